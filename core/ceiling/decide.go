package ceiling

import (
	"fmt"
	"math"
	"slices"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// Confidence says how sure a judgement is.
type Confidence string

// The confidences, and from which probability they are given. Of what is called strong 99 in 100 minutes must be
// right, of what is likely 85: the bounds lie lower than that since most of either is surer than its bound. The
// gallery of the tests holds both.
const (
	Strong Confidence = "strong"
	Likely Confidence = "likely"
	Unsure Confidence = "unsure"

	strongFrom = 0.94
	likelyFrom = 0.75
)

// Stretch is a part of a run with one cause that held the power down. Times are on the log's clock.
type Stretch struct {
	FromS, ToS float64
	Cause      Cause
	Confidence Confidence
	Odds       float64 // probability of the cause
	RunnerUp   Cause   // empty: none worth a word
	RunnerOdds float64
	What       string // the limit as a noun with its figure: "the stall's 350 A"
	Pair       bool   // What names two causes of one kind, of which either may be meant
	Level      Level  // what stays level at its end
	Evidence   []string
	LostS      float64 // against the warm reference; NaN: there is none
}

// Level is what stays level while the rest moves.
type Level string

// The levels; empty where neither stays.
const (
	LevelAmps Level = "amps"
	LevelKW   Level = "kW"
)

// Judge says what held the power down, from plug-in to the end, stretch by stretch; what lies between an unplug and
// the next plug-in has no stretch. A log without power has none at all.
//
// It goes through the log twice where the run follows its pack's taper for long enough: then it is known how this pack
// stands to its reference on this day, and what lies a little under the reference elsewhere is seen for what it is.
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
		l.settle(s, k, falls)
	}
	if k.follow(spans) {
		for _, s := range spans {
			l.settle(s, k, falls)
		}
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
func oneIn(p float64) string {
	switch {
	case p >= 0.4:
		return "as likely"
	case p >= 0.02:
		return fmt.Sprintf("1 in %.0f", 1/p)
	}
	return fmt.Sprintf("1 in %.0f", math.Round(1/p/10)*10)
}

// pairFrom is how likely the next cause must be to be named in one breath with the first.
const pairFrom = 0.1

// explain puts a stretch's evidence into words, and what else it might be. The words use the numbers that decided, not
// others that agree with them by chance.
func (l *Log) explain(j *Judgement, s *Stretch) {
	s.LostS = j.LostIn(s, s.FromS, s.ToS)
	if s.Cause == Paused {
		if s.What = "a pause"; s.Evidence == nil {
			s.Evidence = []string{"no power flowed for " + words.Duration(math.Round(s.ToS-s.FromS))}
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
		if s.Cause == Ramp {
			s.What = "the ramp"
			s.Evidence = []string{fmt.Sprintf("%s from plug-in to first power", words.Duration(math.Round(s.ToS-s.FromS)))}
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
	if s.RunnerOdds >= pairFrom {
		if pair := t.pair(s.Cause, s.RunnerUp); pair != "" {
			s.What, s.Pair = pair, true
		}
	}
	if s.RunnerUp != "" && s.Confidence != Strong {
		s.Evidence = append(s.Evidence, fmt.Sprintf("next: %s, %s", s.RunnerUp.Words(), oneIn(s.RunnerOdds)))
	}
	if s.Confidence == Unsure {
		if more := l.logNext(s); more != "" {
			s.Evidence = append(s.Evidence, more)
		}
	}
}

// logNext says what to log next time so that a stretch can be told, "" where nothing would help.
func (l *Log) logNext(s *Stretch) string {
	either := func(a ...Cause) bool {
		for _, c := range a {
			if s.Cause == c || s.RunnerUp == c {
				return true
			}
		}
		return false
	}
	switch {
	case s.Cause == TimerStep || s.Cause == SoCStep:
		return "a replug tells a timer in the car from a step at this charge"
	case either(Cold, Hot) && l.ColdestC.Len() == 0:
		return "log the battery's temperature next time"
	case either(CableHot, StallFault) && l.InletC.Len() == 0 && l.Car.RequestedKW.Len()+l.Stall.RequestedKW.Len() == 0:
		return "log the inlet's temperature and what the car requests next time"
	case either(StallCurrent, StallPower) && (l.OfStall == nil || l.OfStall.RatedKW == nil || l.OfStall.MaxA == nil):
		return "note the stall's ratings in kW and A"
	case either(CarCurrent, CarPower) && (l.OfCar == nil || l.OfCar.MaxKW == nil || l.OfCar.MaxA == nil):
		return "note the car's own limits in kW and A"
	case either(StallCurrent, CarCurrent, AdapterCurrent, CableHot) && l.Car.Amps.Len()+l.Stall.Amps.Len() == 0:
		return "log volts and amps next time"
	}
	return ""
}

// How much of a run must have followed the pack's own taper to say how closely it does, and how closely it is taken
// for at best: five minutes, and 0.8 % (power wobbles by half a per cent, and a kW on a display is one per cent of a
// hundred).
const (
	followS     = 300.0
	closestTo   = 0.008
	mostlyTaper = 0.8
	hotBelow    = 0.025 // less than the most it takes by so much, and hot: it may be led back
)

// follow learns from the stretches that follow the pack's own taper how this pack compares with
// its reference on this day; false where too little of the run does.
//
// Each minute of such a stretch has one voice, the logarithm of what flowed as a share of the taper. Their median is
// the bias; 1.4826 times the median distance from it is the spread, which for a normal distribution is its standard
// deviation (F. R. Hampel, J. Am. Stat. Assoc. 69 (1974) 383). A reference that lies off by more than 8 %, or voices
// that differ by more than 6 %, are no such thing: then the reference is wrong, and nothing is learnt from it. Minutes
// with a cold pack have none.
func (k *known) follow(spans []*span) bool {
	if k.taper == nil {
		return false
	}
	type voice struct{ share, s float64 }
	var voices, hot []voice
	highest := math.Inf(-1)
	for _, s := range spans {
		for i, f := range s.pieces {
			cold := k.warmKnown && (f.coldest0+f.coldest1)/2 < k.warmC
			if s.odds[i][indexOf[PackTaper]] > mostlyTaper && f.shape[falls] > 0.9 && !math.IsNaN(f.ofTaper) && !cold {
				v := voice{math.Log(f.ofTaper), f.toS - f.fromS}
				if max(f.warmest0, f.warmest1) > k.ledBackFrom() {
					hot = append(hot, v)
				} else {
					voices = append(voices, v)
				}
				highest = max(highest, v.share)
			}
		}
	}
	for _, v := range hot { // a hot pack speaks for its own pace as far as it takes as much as any
		if v.share > highest-hotBelow {
			voices = append(voices, v)
		}
	}
	var shares []float64
	long := 0.0
	for _, v := range voices {
		long += v.s
		for range 1 + int(v.s/60) {
			shares = append(shares, v.share)
		}
	}
	if long < followS {
		return false
	}
	middle := trace.Median(shares)
	away := make([]float64, len(shares))
	for i, x := range shares {
		away[i] = math.Abs(x - middle)
	}
	spread := max(closestTo, 1.4826*trace.Median(away))
	if spread > 0.06 || !k.given || math.Abs(middle) > 0.08 {
		return false
	}
	k.settled, k.bias, k.spread = true, middle, spread
	return true
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
				ramp := Stretch{FromS: leg.PlugInS, ToS: power.T[i], Cause: Ramp, Odds: 1}
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
	s := Stretch{FromS: before.grid.to[last], ToS: power.T[i], Cause: Paused, Odds: 1}
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
	s.Evidence = []string{fmt.Sprintf(
		"%d %s without power, the first %s after the last with power, the last %s before the next", i-first,
		words.Plural(i-first, "reading"), words.Duration(math.Round(since)), words.Duration(math.Round(until)))}
	s.FromS, s.ToS = (power.T[first-1]+power.T[first])/2, (power.T[i-1]+power.T[i])/2
	before.grid.to[last], behind.grid.from[0] = s.FromS, s.ToS
	if n := len(before.pieces); n > 0 {
		before.pieces[n-1].toS = s.FromS
	}
	return s
}

// socAt is the state of charge at a time: on the joined line, or where a display shows whole per
// cents on the line from one flip to the next. Before the first reading and behind the last it is the nearest one
// within five minutes, else NaN.
func (l *Log) socAt(t float64) float64 {
	n := l.SoC.Len()
	i, _ := slices.BinarySearch(l.SoC.T, t)
	if n == 0 || i == 0 || i >= n || math.IsNaN(t) {
		return near1(l.SoC, t, 300)
	}
	a, b := i-1, i
	for a > 0 && l.SoC.V[a-1] == l.SoC.V[i-1] {
		a--
	}
	for b < n-1 && l.SoC.V[b] == l.SoC.V[i-1] {
		b++
	}
	if l.SoC.V[b] <= l.SoC.V[a] || l.SoC.T[b] <= l.SoC.T[a] {
		return l.SoC.V[a]
	}
	return l.SoC.V[a] + (l.SoC.V[b]-l.SoC.V[a])*min(1, (t-l.SoC.T[a])/(l.SoC.T[b]-l.SoC.T[a]))
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

// fallen are the sudden falls of a run, by which timers and stairs are known.
type fallen struct {
	list []oneFall
}

// oneFall is a sudden fall: in which leg, when on the log's clock and after the leg's plug-in (s), at which charge
// (per cent, NaN: not read), and the logarithm of the power behind it over that before.
type oneFall struct {
	leg            int
	atS, afterPlug float64
	soc            float64
	share          float64
}

// of adds the falls of a stretch of power; those of typed runs, of which nobody read how sudden they were, count too.
func (x *fallen) of(s *span) {
	for _, f := range s.pieces {
		if f.fall <= -suddenShare || f.moved <= -suddenShare {
			x.list = append(x.list, oneFall{s.grid.leg, f.fellS, f.fellS - s.grid.plugInS, f.fellPct, f.fall})
		}
	}
}

// What two falls may differ by to be the same one, and what counts as round: timers run for whole multiples of 20 s,
// steps of charge lie at whole multiples of 5 % (common practice, no source). Two falls by chance lie within 4 s of
// each other after their plug-ins in one of a hundred runs or so.
const (
	sameTimerS   = 4.0
	sameStepPct  = 0.8
	roundTimerS  = 20.0
	roundStepPct = 5.0
)

// timerSign is what speaks for a timer at a fall, in nats, and whether it is more than a round time: another leg fell
// as long after its plug-in, or the car's timer is noted. A round time alone is worth 0.7, for a third of all times
// lie within 3 s of one; none at all speaks against it.
func (x *fallen) timerSign(leg int, after float64, k *known, l *Log) (odds float64, proof bool) {
	for _, o := range x.list {
		if o.leg != leg && math.Abs(o.afterPlug-after) <= sameTimerS {
			return 7, true
		}
	}
	if l.OfCar != nil {
		if v, ok := run.Known(l.OfCar.TimerS); ok && math.Abs(after-v) < 60 {
			return 4, true
		}
	}
	if away := math.Abs(after - roundTimerS*math.Round(after/roundTimerS)); away <= 3 {
		return 0.7, false
	}
	return -2.0, false
}

// stepSign is what speaks for a step of charge at a fall, in nats, and whether it is more than a round charge: other
// runs of the car or its noted envelope fall there, or this run has two further falls, as stairs have. A fifth of
// all charges lie within half a per cent of a round one; a further fall elsewhere makes stairs likelier.
func (x *fallen) stepSign(at, soc float64, k *known, l *Log) (odds float64, proof bool) {
	for _, s := range l.Elsewhere.StepsPct {
		if math.Abs(s-soc) <= sameStepPct {
			return 4, true
		}
	}
	if k.stepAt(soc) {
		return 4, true
	}
	others := 0
	for _, o := range x.list {
		// A fall that the noted envelope has speaks for the envelope, not for a stair that is not in it.
		if o.atS != at && math.Abs(o.soc-soc) > 3 && !k.stepAt(o.soc) {
			others++
		}
	}
	odds = -1.0
	if away := math.Abs(soc - roundStepPct*math.Round(soc/roundStepPct)); away <= 0.5 {
		odds = 1.0
	}
	if others >= 1 {
		odds += 1.2
	}
	return odds, others >= 2
}

// posterior gives the probability of every state at every step of a chain: how well each agrees,
// and what it costs to be entered anew (from any state, at a price) or to be stayed in, summed over
// all ways through the steps, forward and backward (L. R. Rabiner, Proc. IEEE 77 (1989) 257). All
// are logarithms; enter holds for each step and state the cost of entering it and of staying.
func posterior(agree [][]float64, enter [][][2]float64, price float64) [][]float64 {
	n, m := len(agree), len(agree[0])
	forward, backward := table(n, m), table(n, m)
	for c := range m {
		forward[0][c] = agree[0][c] + enter[0][c][0]
	}
	for i := 1; i < n; i++ {
		all := logSum(forward[i-1])
		for c := range m {
			anew := all + price + enter[i][c][0]
			stay := forward[i-1][c] + enter[i][c][1]
			forward[i][c] = agree[i][c] + logAdd(anew, stay)
		}
	}
	next := make([]float64, m)
	for i := n - 2; i >= 0; i-- {
		for c := range m {
			next[c] = agree[i+1][c] + enter[i+1][c][0] + price + backward[i+1][c]
		}
		all := logSum(next)
		for c := range m {
			stay := agree[i+1][c] + enter[i+1][c][1] + backward[i+1][c]
			backward[i][c] = logAdd(all, stay)
		}
	}
	for i := range forward {
		for c := range m {
			forward[i][c] += backward[i][c]
		}
		total := logSum(forward[i])
		for c := range m {
			forward[i][c] = math.Exp(forward[i][c] - total)
		}
	}
	return forward
}

// settle finds the causes of one stretch of power: each piece's agreement with each cause, and the
// price of going over from one to another at each change point. A hidden Markov chain over pieces instead of over
// readings: pieces are where the description changes, and only there can the cause.
func (l *Log) settle(s *span, k *known, falls *fallen) {
	n := len(s.pieces)
	if n == 0 {
		return
	}
	agree := make([][]float64, n)
	enter := make([][][2]float64, n)
	for i, f := range s.pieces {
		agree[i] = l.weigh(s.grid, f, k)
		if i > 0 && f.fall == 0 && f.mainShape() == s.pieces[i-1].mainShape() {
			for c := range agree[i] { // more of the same is no new evidence
				agree[i][c] *= sameAgain
			}
		}
		enter[i] = l.enter(s, i, k, falls)
	}
	s.odds = posterior(agree, enter, switchPrice)
	s.stretches = make([]Stretch, n)
	for i := range s.pieces {
		s.stretches[i] = l.name(s, i, k)
	}
}

// name takes the likeliest cause of a piece, no surer than what speaks for it allows: the chain is as sure as its
// numbers, but some evidence is no better than a coincidence however well it fits.
func (l *Log) name(s *span, i int, k *known) Stretch {
	f, odds := s.pieces[i], s.odds[i]
	best, second := -1, -1
	for c := range odds {
		switch {
		case best < 0 || odds[c] > odds[best]:
			best, second = c, best
		case second < 0 || odds[c] > odds[second]:
			second = c
		}
	}
	sure := odds[best]
	f.bySign = f.bySign || i > 0 && s.pieces[i-1].bySign && f.fall == 0
	if f.bySign && (causes[best] == TimerStep || causes[best] == SoCStep) {
		most := bySignAtMost // a round time or charge alone is never sure
		if l.ColdestC.Len()+l.WarmestC.Len() == 0 {
			most = unreadAtMost
		}
		sure = min(sure, most)
	}
	if f.b-f.a < fewCells && !f.atRated[causes[best]] && causes[best] != Ramp {
		sure = min(sure, bySignAtMost) // three readings show no shape
	}
	if s.grid.typed { // ten readings leave more room than their spread shows
		sure *= typedTrust
		if causes[best] == PackTaper && k.stairsIn(f.soc0-onStairPct, f.soc1) {
			sure = min(sure, bySignAtMost) // from one reading to the next, stairs and a slope look the same
		}
	}
	return Stretch{FromS: f.fromS, ToS: f.toS, Cause: causes[best], Odds: sure, RunnerUp: causes[second],
		RunnerOdds: odds[second]}
}

// table is n rows of m zeros.
func table(n, m int) [][]float64 {
	out := make([][]float64, n)
	for i := range out {
		out[i] = make([]float64, m)
	}
	return out
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

// sameAgain is how much a piece counts that runs like the one before it: a curve of many pieces is
// not many curves.
const sameAgain = 0.5

// mainShape is the likeliest shape of a piece.
func (f *facts) mainShape() int {
	best := 0
	for s, v := range f.shape {
		if v > f.shape[best] {
			best = s
		}
	}
	return best
}

// levelHeld is the share of the level behind a fall down to which it is still that level: a step of charge may lean a
// little with the volts, and is left when the taper takes over.
const levelHeld = 0.93

// levelLeft tells whether the power has left the level that the last sudden fall led to.
func (s *span) levelLeft(i int) bool {
	for k := i - 1; k >= 0; k-- {
		if f := s.pieces[k]; f.fall < 0 {
			return s.pieces[i].kw < levelHeld*f.line[0]
		}
	}
	return false
}

// shareHeld is how near, as a logarithm, the share of the warm pack's power stays to what it was
// right behind a fall, where a timer has taken a share of it.
const shareHeld = 0.03

// sameShare tells whether a piece takes the same share of the warm pack's power, well under all of
// it, as the last sudden fall led to.
func (s *span) sameShare(i int) bool {
	for k := i - 1; k >= 0; k-- {
		if f := s.pieces[k]; f.fall < 0 {
			return f.share < 0.9 && math.Abs(math.Log(s.pieces[i].share/f.share)) < shareHeld
		}
	}
	return false
}

// onStairs is how near to its envelope, as a share, the power lies behind a step of it; notOnStairs is what speaks for
// a step of charge where it does not.
const (
	onStairs    = 0.1
	notOnStairs = -3.0
)

// onEnvelope tells whether a piece begins on the pack's own envelope, or nothing is known of it.
func (f *facts) onEnvelope(k *known) bool {
	return math.IsNaN(f.taperEnd[0]) || math.Abs(math.Log(f.taperEnd[0])-k.bias) < onStairs
}

// comesBack tells whether the power leaps up again after a fall, within the same stretch of power:
// no timer and no step of charge lets go without a replug.
func (s *span) comesBack(i int) bool {
	for _, f := range s.pieces[i+1:] {
		if f.fall >= 0.5*math.Abs(s.pieces[i].fall) && f.fall >= suddenShare {
			return true
		}
	}
	return false
}

// switchPrice is the price of going over to any other cause at a change point, in nats: one change point in six is the
// end of a cause, the others are bends within one.
const switchPrice = -1.8

// enter is what a change point says for entering each cause there, and for staying in it, in nats beside switchPrice.
// Four kinds of change points, by how the power moves:
//
//   - at the beginning of a stretch of power, where a timer cannot have run out and little has happened yet;
//   - a sudden fall, which is what heat, a warm cable, a failing stall, a neighbour, a timer and a step of charge do,
//     and no level limit and no taper; which of them it is, their signs say (a time, a charge, a mark, a return);
//   - a sudden rise, with which whatever took power away lets go;
//   - a bend, at which one ceiling crosses another: free for the usual ones, dear for those that begin with a fall.
//
// The numbers are orders of magnitude (-1 is one in three, -4 one in fifty, -6 one in four hundred), common practice,
// no source; the gallery of the tests holds them, and each sign has a test with a near miss.
func (l *Log) enter(s *span, i int, k *known, falls *fallen) [][2]float64 {
	f := s.pieces[i]
	out := make([][2]float64, len(causes))
	set := func(c Cause, anew, stay float64) { out[indexOf[c]] = [2]float64{anew, stay} }
	neighbour := l.markNear(run.Neighbour, f.fromS)
	switch {
	case !f.before:
		set(TimerStep, -7, 0)
		set(SoCStep, -4, 0)
		set(SharedCabinet, -1, 0)
		if neighbour {
			set(SharedCabinet, 1, 0)
		}
		set(StallFault, -0.5, 0)
		set(CableHot, -2, 0)
		set(Finish, -2, 0)
	case f.fall <= -suddenShare:
		for _, c := range []Cause{StallPower, StallCurrent, AdapterCurrent, CarPower, CarCurrent, CarConverter} {
			set(c, -3.5, -4)
		}
		set(StallVoltage, -3, -4)
		set(Finish, -4, -4)
		set(PackTaper, -4, -3-10*max(0, -f.fall-0.08)) // a taper does not fall off a cliff
		set(Cold, -3.5, -3)
		set(Ramp, -6, -4)
		set(Unknown, -1, -2)
		set(Hot, 0.5, -0.5)
		set(CableHot, 0.7, -1)
		set(StallFault, 0.5, -1.5)
		set(SharedCabinet, pick(neighbour, 4, -0.3), -3)
		t, tProof := falls.timerSign(s.grid.leg, f.fellS-s.grid.plugInS, k, l)
		c, cProof := falls.stepSign(f.fellS, f.fellPct, k, l)
		if stairs := k.stepAt(f.fellPct); stairs && !f.onEnvelope(k) { // what fell is not what the envelope takes there
			c, cProof = notOnStairs, false
		}
		if tProof && !cProof {
			c -= 4
		}
		if cProof && !tProof {
			t -= 4
		}
		if s.comesBack(i) {
			t, c = t-4, c-4
			out[indexOf[Hot]][0] += 1
		}
		set(TimerStep, t, -4)
		set(SoCStep, c, -1)
		f.bySign = !tProof && !cProof
		if k.stepAt(f.fellPct) { // what follows the envelope falls with it
			if s.sameShare(i) {
				set(SoCStep, c-5, -1)
			}
			for _, of := range []Cause{Cold, Hot, TimerStep} {
				out[indexOf[of]][1] = -0.3
			}
		}
	case f.fall >= suddenShare:
		for _, c := range causes {
			set(c, 0, -4)
		}
		behindRamp := i > 0 && s.pieces[i-1].shape[surges] > 0.5
		set(TimerStep, -6, -5)
		set(SoCStep, -6, -5)
		set(SharedCabinet, -3, pick(neighbour, -6, -4))
		set(Hot, -2, -2)
		set(CableHot, -4, -4)
		set(StallFault, -2.5, -3)
		set(Cold, pick(behindRamp, 0, -1), -2)
		set(PackTaper, 0, -3)
		if behindRamp {
			set(StallFault, -0.5, -3)
			set(CableHot, -2, -4)
			set(SharedCabinet, -1, -4)
		}
	default:
		set(TimerStep, -6, 0)
		set(SoCStep, -5, 0)
		if s.levelLeft(i) {
			set(SoCStep, -5, -3)
		}
		if s.sameShare(i) {
			set(TimerStep, -6, 1)
		}
		set(SharedCabinet, pick(neighbour, -1, -4), 0)
		set(CableHot, -1.5, 0)
		set(StallFault, -3.5, 0)
		set(Hot, -1.5, 0)
		set(Cold, -2, 0)
		set(Ramp, -3, 0)
		if f.warms { // it is warm from here on, as far as was noted
			set(PackTaper, 1.5, 0)
			set(Cold, -3, -1.5)
		}
		if math.Abs(f.moved) >= suddenShare { // a level does not move
			for _, c := range []Cause{StallPower, StallCurrent, AdapterCurrent, CarPower, CarCurrent, CarConverter} {
				out[indexOf[c]][1] -= 3
			}
			if f.moved < 0 { // and whether it fell at once nobody read
				t, tProof := falls.timerSign(s.grid.leg, f.fellS-s.grid.plugInS, k, l)
				c, cProof := falls.stepSign(f.fellS, f.fellPct, k, l)
				set(TimerStep, pick(tProof, t, min(t, 0)-1), -3)
				set(SoCStep, pick(cProof, c, min(c, 0)-1), -1)
				set(Hot, -0.5, -0.5)
				set(CableHot, -0.5, -1)
				set(StallFault, -0.5, -1.5)
				set(SharedCabinet, pick(neighbour, 3, -1), -3)
				f.bySign = !tProof && !cProof
			}
		}
		if i > 0 && s.pieces[i-1].shape[surges] > 0.5 { // behind a ramp, what governs is free
			set(StallFault, -0.5, 0)
			set(Cold, 0, 0)
			set(CableHot, -2, 0)
			set(SharedCabinet, -1, 0)
			set(SoCStep, -4, 0)
		}
	}
	return out
}

// pick is a where yes, else b.
func pick(yes bool, a, b float64) float64 {
	if yes {
		return a
	}
	return b
}

// markNearS is how near to a change a mark must be to speak of it: a tester sees a neighbour plug in, and marks it
// when there is a hand free.
const markNearS = 45

// markNear tells whether a mark of a kind lies near to a time.
func (l *Log) markNear(kind string, t float64) bool {
	for _, m := range l.Marks {
		if m.Kind == kind && math.Abs(m.TS-t) <= markNearS {
			return true
		}
	}
	return false
}

// logAdd is the logarithm of the sum of what a and b are logarithms of, without leaving the range of either.
func logAdd(a, b float64) float64 {
	if a < b {
		a, b = b, a
	}
	if math.IsInf(a, -1) {
		return a
	}
	return a + math.Log1p(math.Exp(b-a))
}

// logSum is logAdd of them all.
func logSum(v []float64) float64 {
	top := math.Inf(-1)
	for _, x := range v {
		top = max(top, x)
	}
	sum := 0.0
	for _, x := range v {
		sum += math.Exp(x - top)
	}
	return top + math.Log(sum)
}

// join puts neighbours of one cause together: sure as their mean over time. What is empty or backwards, as a piece
// between two instants that were settled to be one, is left out. Here a stretch gets its confidence; a runner-up of
// less than one in two hundred is not worth a word.
func join(list []Stretch) []Stretch {
	var out []Stretch
	for _, s := range list {
		if !(s.ToS > s.FromS) {
			continue
		}
		if n := len(out); n > 0 && out[n-1].Cause == s.Cause && s.FromS-out[n-1].ToS < 1e-6 {
			q := &out[n-1]
			a, b := q.ToS-q.FromS, s.ToS-s.FromS
			q.Odds = (q.Odds*a + s.Odds*b) / (a + b)
			if s.RunnerOdds*b > q.RunnerOdds*a {
				q.RunnerUp = s.RunnerUp
			}
			q.RunnerOdds = (q.RunnerOdds*a + s.RunnerOdds*b) / (a + b)
			q.ToS = s.ToS
			continue
		}
		out = append(out, s)
	}
	for i := range out {
		s := &out[i]
		switch {
		case s.Odds >= strongFrom:
			s.Confidence = Strong
		case s.Odds >= likelyFrom:
			s.Confidence = Likely
		default:
			s.Confidence = Unsure
		}
		if s.RunnerOdds < 0.005 {
			s.RunnerUp = ""
		}
	}
	return out
}
