package judge

import (
	"math"
	"slices"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// Judge says what held the power down, from plug-in to the end, stretch by stretch; what lies between an unplug and
// the next plug-in has no stretch. A log without power has none at all.
func Judge(l *Log) *Judgement {
	k := l.learn()
	side := l.judged(k)
	power := trace.WithoutUpwardSpikes(side.KW)
	falls := &fallen{}
	k.falls = falls
	var out []Stretch
	var spans []*span
	for i, leg := range l.Legs {
		spans = append(spans, l.spansOf(k, side, power, i, leg)...)
	}
	for _, s := range spans {
		falls.of(s)
	}
	for _, s := range spans {
		l.decide(s, k, falls)
	}
	for _, s := range spans {
		out = append(out, s.before...)
		out = append(out, s.stretches...)
	}
	j := &Judgement{Stretches: join(out), Reference: k.reference(l), known: k, spans: spans}
	for i := range j.Stretches {
		l.explain(j, &j.Stretches[i])
	}
	return j
}

// oneIn writes a small probability as people say it.
func oneIn(p float64) say.Text {
	switch {
	case p >= 0.4:
		return say.T("judge.as-likely")
	case p >= 0.02:
		return say.T("judge.in", say.Fixed(1/p, 0))
	}
	return say.T("judge.in", say.Fixed(math.Round(1/p/10)*10, 0))
}

// pairFrom is how likely the next cause must be to be named in one breath with the first.
const pairFrom = 0.1

// explain puts a stretch's evidence into words, and what else it might be. The words use the numbers that decided, not
// others that agree with them by chance.
func (l *Log) explain(j *Judgement, s *Stretch) {
	s.LostS = j.LostIn(s, s.FromS, s.ToS)
	if s.Cause == limit.Paused {
		if s.What = say.T("judge.pause"); s.Evidence == nil {
			s.Evidence = []say.Text{say.T("judge.no-power", say.Duration(math.Round(s.ToS-s.FromS)))}
		}
		return
	}
	var pieces []*facts
	var g, first *grid // of the last piece, and of the first: a stretch can go over a gap
	for _, sp := range j.spans {
		for _, f := range sp.pieces {
			if f.fromS >= s.FromS-1e-6 && f.toS <= s.ToS+1e-6 {
				if pieces, g = append(pieces, f), sp.grid; first == nil {
					first = g
				}
			}
		}
	}
	if len(pieces) == 0 {
		if s.Cause == limit.Ramp {
			s.What = say.T("judge.the-ramp")
			s.Evidence = []say.Text{say.T("judge.from-plug-in-to", say.Duration(math.Round(s.ToS-s.FromS)))}
		}
		return
	}
	t := l.tell(j.known, first, g, pieces)
	t.leg, t.shape = g.leg, shape(pieces[len(pieces)-1].mainShape())
	switch t.shape {
	case ampsLevel:
		s.Level = LevelAmps
	case kwLevel:
		s.Level = LevelKW
	}
	s.What, s.Evidence = t.what(s.Cause), t.evidence(s.Cause)
	if s.RunnerOdds >= pairFrom && s.Odds+s.RunnerOdds >= likelyFrom {
		if pair := t.pair(s.Cause, s.RunnerUp); pair.Any() {
			s.What, s.Pair = pair, true
		}
	}
	if s.RunnerUp != "" && s.Confidence != say.Strong {
		s.Evidence = append(s.Evidence, say.T("judge.next", s.RunnerUp.Text(), oneIn(s.RunnerOdds)))
	}
	if s.Confidence == say.Unsure {
		if more := l.logNext(s); more.Any() {
			s.Evidence = append(s.Evidence, more)
		}
	}
}

// logNext says what to log next time so that a stretch can be told, "" where nothing would help.
func (l *Log) logNext(s *Stretch) say.Text {
	either := func(a ...limit.Cause) bool {
		for _, c := range a {
			if s.Cause == c || s.RunnerUp == c {
				return true
			}
		}
		return false
	}
	switch {
	case s.Cause == limit.TimerStep || s.Cause == limit.SoCStep:
		return say.T("judge.a-replug-tells-a")
	case either(limit.Cold, limit.Hot) && l.ColdestC.Len() == 0:
		return say.T("judge.log-the-battery-temperature")
	case either(limit.CableHot, limit.StallFault) && l.InletC.Len() == 0 &&
		l.Car.RequestedKW.Len()+l.Stall.RequestedKW.Len() == 0:
		return say.T("judge.log-the-inlet-temperature")
	case either(limit.StallCurrent, limit.StallPower) &&
		(l.OfStall == nil || l.OfStall.RatedKW == nil || l.OfStall.MaxA == nil):
		return say.T("judge.note-the-stall-ratings")
	case either(limit.CarCurrent, limit.CarPower) && (l.OfCar == nil || l.OfCar.MaxKW == nil || l.OfCar.MaxA == nil):
		return say.T("judge.note-the-car-own")
	case either(limit.StallCurrent, limit.CarCurrent, limit.AdapterCurrent, limit.CableHot) &&
		l.Car.Amps.Len()+l.Stall.Amps.Len() == 0:
		return say.T("judge.log-volts-and-amps")
	}
	return nil
}

// span is a stretch of flowing power within a leg, with what lies before and behind it.
type span struct {
	grid              *grid
	pieces            []*facts
	before, stretches []Stretch
	odds              [][]float64 // of each piece and cause
	first             bool        // of its leg
}

// usualRampS is how long a ramp takes as a rule, handshake included, where nobody looked (common practice, no source:
// 20 to 60 s from plug-in to full power).
const usualRampS = 60

// pausedLeastS is how long no power must flow to be a pause.
const pausedLeastS = 3

// spansOf splits a leg into its stretches of flowing power: between them it is paused. From plug-in to first power the
// leg has its ramp; of a typed run whose first reading comes minutes later only the usual length of one, and that as
// unsure: nobody looked. A dip under 1 kW for less than three seconds is a late reading, no pause.
func (l *Log) spansOf(k *known, side *SideLog, power trace.Series, index int, leg Leg) []*span {
	i0, i1 := within(power, leg.PlugInS, leg.ToS)
	var out []*span
	var cur *span
	first := true
	for i := i0; i < i1; {
		if power.V[i] < run.PowerFloorKW {
			i++
			continue
		}
		j := i
		for j < i1 {
			if power.V[j] >= run.PowerFloorKW {
				j++
				continue
			}
			e := j
			for e < i1 && power.V[e] < run.PowerFloorKW {
				e++
			}
			if e < i1 && power.T[e]-power.T[j] < pausedLeastS {
				j = e
				continue
			}
			break
		}
		cur = &span{grid: l.gridOf(k, side, trace.Series{T: power.T[i:j], V: power.V[i:j]}, index), first: first}
		if first {
			if leg.PlugInS < power.T[i] {
				ramp := Stretch{FromS: leg.PlugInS, ToS: power.T[i], Cause: limit.Ramp, Odds: 1}
				if power.T[i]-leg.PlugInS > usualRampS && cur.grid.typed { // nobody looked until long after
					ramp.ToS, ramp.Odds = leg.PlugInS+usualRampS, 0.8
					cur.grid.from[0] = ramp.ToS
				}
				cur.before = append(cur.before, ramp)
			}
		} else if n := len(out); n > 0 {
			cur.before = append(cur.before, pause(out[n-1], cur, power, i))
		}
		first = false
		list := cur.grid.pieces()
		cur.grid.sharpen(list, power)
		list = cur.grid.turned(list, k)
		for x := range list {
			f := cur.grid.look(&list[x], k)
			f.fellPct = l.socAt(f.fellS)
			cur.pieces = append(cur.pieces, f)
		}
		out = append(out, cur)
		i = j
	}
	return out
}

// seldomReadOdds is how sure a pause is to lie where readings far apart put it.
const seldomReadOdds = 0.8

// pause is what lies between two stretches of power, of which the later begins with reading i. Where nobody read for
// long before it or behind it, it begins and ends half-way, and no more is said of it than that.
func pause(before, behind *span, power trace.Series, i int) Stretch {
	last := len(before.grid.to) - 1
	s := Stretch{FromS: before.grid.to[last], ToS: power.T[i], Cause: limit.Paused, Odds: 1}
	first := i
	for first > 0 && power.V[first-1] < run.PowerFloorKW {
		first--
	}
	if first == 0 || first == i {
		return s
	}
	since, until := power.T[first]-power.T[first-1], power.T[i]-power.T[i-1]
	if max(since, until) < trace.TypedFromS {
		return s
	}
	s.Odds = seldomReadOdds
	s.Evidence = []say.Text{say.T("judge.without-power-the-first", i-first, say.Duration(math.Round(since)),
		say.Duration(math.Round(until)))}
	s.FromS, s.ToS = (power.T[first-1]+power.T[first])/2, (power.T[i-1]+power.T[i])/2
	before.grid.to[last], behind.grid.from[0] = s.FromS, s.ToS
	if n := len(before.pieces); n > 0 {
		before.pieces[n-1].toS = s.FromS
	}
	return s
}

// socAt is the state of charge at a time, as smooth gives it.
func (l *Log) socAt(t float64) float64 { return smooth(l.SoC, t) }

// smooth is a slow quantity at a time: on the joined line, or where a display shows whole steps on the line from one
// flip to the next. Before the first reading and behind the last it is the nearest one within five minutes, else NaN.
func smooth(s trace.Series, t float64) float64 {
	n := s.Len()
	i, _ := slices.BinarySearch(s.T, t)
	if n == 0 || i == 0 || i >= n || math.IsNaN(t) {
		return near1(s, t, 300)
	}
	a, b := i-1, i
	for a > 0 && s.V[a-1] == s.V[i-1] {
		a--
	}
	for b < n-1 && s.V[b] == s.V[i-1] {
		b++
	}
	if s.V[b] == s.V[a] || s.T[b] <= s.T[a] {
		return s.V[a]
	}
	return s.V[a] + (s.V[b]-s.V[a])*min(1, (t-s.T[a])/(s.T[b]-s.T[a]))
}

// within gives the readings from i to j-1 that lie between two times, both included.
func within(s trace.Series, from, to float64) (i, j int) {
	for i < len(s.T) && s.T[i] < from {
		i++
	}
	for j = i; j < len(s.T) && s.T[j] <= to; j++ {
	}
	return i, j
}

// decide finds the causes of one stretch of power: each piece's agreement with each cause, and the price of going over
// from one to another at each change point. A hidden Markov chain over pieces instead of over readings: pieces are
// where the description changes, and only there can the cause. What may hold for the whole run though nobody noted it
// is guessed once for all pieces, and the chains' chances are put together by how well each guess explains the run.
func (l *Log) decide(s *span, k *known, falls *fallen) {
	if len(s.pieces) == 0 {
		return
	}
	w := l.weighSpan(s, k, falls)
	s.odds = table(len(s.pieces), len(causes))
	total := math.Inf(-1)
	for _, h := range l.guesses(k, w.course) {
		odds, evidence := posterior(w.under(&h), w.changes(&h), switchPrice)
		evidence += math.Log(h.weight)
		total = logAdd(total, evidence)
		share := math.Exp(evidence - total)
		for i := range odds {
			for c := range odds[i] {
				s.odds[i][c] += (odds[i][c] - s.odds[i][c]) * share
			}
		}
	}
	s.stretches = make([]Stretch, len(s.pieces))
	for i := range s.pieces {
		s.stretches[i] = l.name(s, i, k)
	}
}

// name takes the likeliest cause of a piece, no surer than what speaks for it allows: the chain is as sure as its
// numbers, but some evidence is no better than a coincidence however well it fits.
func (l *Log) name(s *span, i int, k *known) Stretch {
	f, odds := s.pieces[i], s.odds[i]
	best, second := -1, -1
	party := likeliest(odds)
	for c := range odds { // the likeliest of the likeliest party
		if l.has(s, i, causes[c]) && causes[c].Sign().Whose == party && (best < 0 || odds[c] > odds[best]) {
			best = c
		}
	}
	for c := range odds {
		if best < 0 && l.has(s, i, causes[c]) || best >= 0 && party == limit.OfNobody && odds[c] > odds[best] {
			best = c
		}
	}
	for c := range odds {
		if c != best && (second < 0 || odds[c] > odds[second]) {
			second = c
		}
	}
	sure, trusted := odds[best], 1.0
	f.bySign = f.bySign || i > 0 && s.pieces[i-1].bySign && f.fall == 0
	stepped := causes[best] == limit.TimerStep || causes[best] == limit.SoCStep
	if stepped && k.cool(f) { // temperature explains first
		sure = min(sure, bySignAtMost)
	}
	if f.bySign && stepped {
		most := bySignAtMost // a round time or charge alone is never sure
		if l.ColdestC.Len()+l.WarmestC.Len() == 0 {
			most = unreadAtMost
		}
		sure = min(sure, most)
	}
	if f.b-f.a < fewCells && !k.meets(f, causes[best]) && causes[best] != limit.Ramp {
		sure = min(sure, bySignAtMost) // three readings show no shape
	}
	// Not so cold, or so hot, that any pack would be.
	mild := math.IsNaN(f.coldest0) || !k.warmKnown && f.coldest0 >= unnotedCentreC-2*unnotedCentreSD
	tepid := math.IsNaN(k.hotC) && !(max(f.warmest0, f.warmest1) > unnotedHotC+2*unnotedHotSD)
	if causes[best] == limit.PackTaper && k.contradicts(f) || causes[best] == limit.Cold && mild ||
		causes[best] == limit.Hot && tepid {
		sure = min(sure, bySignAtMost)
	}
	if s.grid.typed { // ten readings leave more room than their spread shows
		trusted = typedTrust
		sure *= trusted
		if causes[best] == limit.PackTaper && k.stairsIn(f.soc0-onStairPct, f.soc1) {
			sure = min(sure, bySignAtMost) // from one reading to the next, stairs and a slope look the same
		}
	}
	return Stretch{FromS: f.fromS, ToS: f.toS, Cause: causes[best], Odds: sure, RunnerUp: causes[second],
		RunnerOdds: odds[second], chances: slices.Clone(odds), trusted: trusted}
}

// atRatingShare is how near to a rating a level is at it.
const atRatingShare = 0.02

// meets tells whether a limit's rating is what flowed: there a piece of three readings says enough, for chance hardly
// puts them on a rating.
func (k *known) meets(f *facts, c limit.Cause) bool {
	var read, rating float64
	switch c {
	case limit.StallPower:
		read, rating = f.plugKW, k.stallKW
	case limit.StallCurrent:
		read, rating = f.plugA, k.stallA
	case limit.AdapterCurrent:
		read, rating = f.plugA, k.adapterA
	case limit.CarPower:
		read, rating = f.packKW, k.carKW
	case limit.CarCurrent:
		read, rating = f.packA, k.carA
	case limit.CarConverter:
		read, rating = f.plugKW, k.converterKW
	case limit.SharedCabinet:
		read, rating = f.plugKW, k.sharedKW/2
	}
	return rating > 0 && math.Abs(math.Log(read/rating)) < atRatingShare
}

// notedOff is how far, as a share, a pack may be off its noted envelope and follow it for sure.
const notedOff = 0.1

// contradicts tells whether what is noted speaks against a pack's own taper: a limit whose rating is what flowed,
// another envelope, or cells that are colder than from where it is warm.
func (k *known) contradicts(f *facts) bool {
	for _, c := range []limit.Cause{limit.CarPower, limit.CarCurrent, limit.StallPower, limit.StallCurrent} {
		if k.meets(f, c) {
			return true
		}
	}
	off := notedOff
	if k.learnt != nil {
		off = max(off, 2*k.learnt.SD((f.soc0+f.soc1)/2))
	}
	return k.given && math.Abs(math.Log(f.ofTaper)) > off || k.warmKnown && f.coldest0 < k.warmC
}

// cool tells whether a piece's coldest cell is colder than from where the pack is warm, as noted or as a rule.
func (k *known) cool(f *facts) bool {
	if k.warmKnown {
		return f.coldest0 < k.warmC
	}
	return f.coldest0 < unnotedCentreC
}

// has tells whether what a cause needs was read of a piece: without it, the cause is at most the next best.
func (l *Log) has(s *span, i int, c limit.Cause) bool {
	f, g := s.pieces[i], s.grid
	noted := l.Conditions != nil && l.Conditions.BatteryC != nil
	rises := f.lean > 0 && f.line[1] > (1+suddenShare)*f.line[0] && f.toS-f.fromS > 120
	switch c {
	case limit.Cold:
		return l.ColdestC.Len() > 0 || noted || rises
	case limit.Hot:
		return l.WarmestC.Len()+l.ColdestC.Len() > 0 || noted
	case limit.CableHot:
		return l.InletC.Len() > 0 || s.comesBack(i) || i > 0 && s.comesBack(i-1)
	case limit.StallCurrent, limit.CarCurrent, limit.AdapterCurrent:
		return g.ampsRead || g.voltsRead
	case limit.Finish, limit.StallVoltage:
		return g.voltsRead
	}
	return true
}

// fewCells is how many readings it takes to show how power runs.
const fewCells = 4

// typedTrust is what typed readings' odds are worth: with it a typed run can be strong only where its odds are 0.965
// and more.
const typedTrust = 0.975

// onStairPct is how far behind a step of its envelope a pack may still be on it, in per cent of charge.
const onStairPct = 8

// bySignAtMost is how sure a timer or a step of charge can be that nothing but a round figure
// speaks for.
const bySignAtMost = 0.9

// unreadAtMost is the same where no cell was read either: it may have been heat.
const unreadAtMost = 0.7
