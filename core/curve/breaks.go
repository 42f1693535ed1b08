package curve

import (
	"math"
	"slices"

	"zincroad/core/health"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// breach is a stretch of the run over which a recording does not go on as it seems to: its clock jumped, or its state
// of charge was set anew. What spans it is not stated.
type breach struct {
	trace.Span             // on the run's clock
	recording  int         // whose
	kind       health.Kind // ClockJump or Recalibrated
	why        say.Text    // in words, with the numbers used
	readings   []int       // of the recording as it was recorded, on both sides of it
	silent     bool        // nothing flowed in it, whatever a line through it says
	side       trace.Side  // whose power that is
	socOnly    bool        // times are good; the charge is not
}

// When a recording does not go on as it seems to (common practice, no source).
const (
	jumpS        = 10.0 // a clock that goes back by less may be a late packet
	jumpSteps    = 5.0  // so may one that goes back by fewer intervals
	mostJumps    = 20   // of one clock; a file with more has no order
	leastGain    = 1.0  // points that must have been gained in a silence before its absence tells
	gainedShare  = 0.25 // of them, and no more was
	leapPoints   = 3.0  // points by which a charge is set anew, beyond what flowed: no display rounds so far
	leapWithinS  = 60.0 // read at most so far apart,
	leapReadings = 30   // in a log, not in notes
)

// breaches looks for them in every recording.
func (s *sides) breaches(raw []*trace.Recording) []breach {
	var out []breach
	for i, rec := range s.recordings {
		soc := rec.Series(trace.SoC)
		if soc.Len() < 3 {
			continue
		}
		perKJ := s.gainPerKJ(soc)
		out = append(out, s.setBack(i, raw[i])...)
		out = append(out, s.leaptAhead(i, raw[i], soc, perKJ)...)
		out = append(out, s.setAnew(i, raw[i], soc, perKJ)...)
	}
	slices.SortFunc(out, func(a, b breach) int { return int(math.Copysign(1, a.From-b.From)) })
	return out
}

// piecesOfGain is in how many pieces the gain for what flowed is looked at: few enough for whole per cents to tell
// something in each, and enough for the middle of them not to hear of one leap.
const (
	piecesOfGain = 30
	leastPieces  = 5
)

// gainPerKJ is how many points a kilojoule gives, by the middle of all pieces without a gap; NaN where it cannot be
// told.
func (s *sides) gainPerKJ(soc trace.Series) float64 {
	side := s.poweredSide()
	var rates []float64
	for _, f := range s.flows[side] {
		gaps := trace.Gaps(f.asRead(), s.interval[side])
		within := trace.Span{From: math.Max(f.T[0], soc.T[0]), To: math.Min(f.T[f.Len()-1], soc.T[soc.Len()-1])}
		step := within.Len() / piecesOfGain
		for k := range piecesOfGain {
			from := within.From + float64(k)*step
			torn := slices.ContainsFunc(gaps, func(g trace.Span) bool { return g.From < from+step && g.To > from })
			a, ok1 := soc.At(from)
			b, ok2 := soc.At(from + step)
			if kj := f.Series.Integral(from, from+step); !torn && ok1 && ok2 && kj > 0 {
				rates = append(rates, (b-a)/kj)
			}
		}
	}
	if len(rates) < leastPieces {
		return math.NaN()
	}
	return trace.Median(rates)
}

// poweredSide is the side whose power tells what reached the pack: the car's where it was read.
func (s *sides) poweredSide() trace.Side {
	if s.power[trace.CarSide].Len() < 2 {
		return trace.StallSide
	}
	return trace.CarSide
}

// setBack finds where a recording's clock went back while its charge went on: read in order of its times, what came
// after lies among what came before.
func (s *sides) setBack(i int, raw *trace.Recording) []breach {
	every := trace.MedianInterval(s.recordings[i].T)
	soc := raw.Columns[trace.SoC]
	var out []breach
	steps := 0
	outside := trace.Outlying(raw.T)
	for k := 1; k < raw.Len(); k++ {
		by := raw.T[k-1] - raw.T[k]
		if !(by > math.Max(jumpS, jumpSteps*every)) || slices.Contains(outside, k-1) || slices.Contains(outside, k) {
			continue
		}
		if steps++; steps > mostJumps {
			return nil // a file without an order
		}
		before, then, after := math.NaN(), math.NaN(), math.NaN()
		for j := k - 1; j >= 0 && (math.IsNaN(before) || math.IsNaN(then)); j-- {
			if math.IsNaN(before) {
				before = soc[j]
			}
			if raw.T[j] <= raw.T[k] && math.IsNaN(then) {
				then = soc[j]
			}
		}
		for j := k; j < raw.Len() && math.IsNaN(after); j++ {
			after = soc[j]
		}
		if !(before > then) || !(after >= before) { // it belongs where its time says
			continue
		}
		out = append(out, breach{Span: s.onRun(i, raw.T[k], raw.T[k-1]), recording: i, kind: health.ClockJump,
			readings: []int{k - 1, k}, side: raw.Side, why: say.T("curve.its-clock-goes-back", say.Duration(by),
				say.Fig(before, 1), say.Fig(after, 1))})
	}
	return out
}

// onRun puts two times of a recording on the run's clock.
func (s *sides) onRun(i int, from, to float64) trace.Span {
	c := s.clocks[i]
	at := func(t float64) float64 { return (t + c.OffsetS) / (1 + c.DriftPPM/1e6) }
	return trace.Span{From: at(from), To: at(to)}
}

// leaptAhead finds silences under power in which the charge stood still: the clock leapt, or nothing flowed.
func (s *sides) leaptAhead(i int, raw *trace.Recording, soc trace.Series, perKJ float64) []breach {
	rec, p := s.recordings[i], s.each[i]
	if p.Len() < 3 || math.IsNaN(perKJ) {
		return nil
	}
	var out []breach
	for _, gap := range trace.Gaps(p, trace.MedianInterval(p.T)) {
		before, ok1 := p.At(gap.From)
		after, ok2 := p.At(gap.To)
		if !ok1 || !ok2 || math.Min(before, after) < PowerFloorKW || !s.inOneLeg(gap) {
			continue
		}
		from, ok1 := soc.At(gap.From)
		to, ok2 := soc.At(gap.To)
		expected := (before + after) / 2 * gap.Len() * perKJ
		if !ok1 || !ok2 || expected < math.Max(leastGain, 2*rec.Resolution()) || to-from > gainedShare*expected {
			continue
		}
		out = append(out, breach{Span: gap, recording: i, kind: health.ClockJump, silent: true, side: rec.Side,
			readings: s.readingsAt(i, raw, gap), why: say.T("curve.over-without-readings-at", say.Duration(gap.Len()),
				say.Fig((before+after)/2, 0), say.Fig(from, 1), say.Fig(to, 1), say.Fig(expected, 0))})
	}
	return out
}

// setAnew finds where the charge leaps by points that did not flow, and stays.
func (s *sides) setAnew(i int, raw *trace.Recording, soc trace.Series, perKJ float64) []breach {
	res := s.recordings[i].Resolution()
	if math.IsNaN(perKJ) || soc.Len() < leapReadings {
		return nil
	}
	var out []breach
	since := 0 // the last change of the display: one that stood still and catches up is not set anew
	for k := 1; k < soc.Len(); k++ {
		leap := soc.V[k] - soc.V[k-1]
		span := trace.Span{From: soc.T[k-1], To: soc.T[k]}
		if leap >= leapPoints || leap <= 1-leapPoints {
			flowed := 0.0
			for _, f := range s.flows[s.poweredSide()] {
				flowed += f.Series.Integral(soc.T[since], soc.T[k])
			}
			beyond := leap - flowed*perKJ
			if math.Abs(beyond) >= leapPoints*math.Max(1, res) && span.Len() <= leapWithinS && s.inOneLeg(span) {
				out = append(out, breach{Span: span, recording: i, kind: health.Recalibrated, socOnly: true, side: raw.Side,
					readings: s.readingsAt(i, raw, span), why: say.T("curve.the-charge-leaps-from", say.Fig(soc.V[k-1], 1),
						say.Fig(soc.V[k], 1), say.Fig(math.Abs(beyond), 1))})
			}
		}
		if leap != 0 {
			since = k
		}
	}
	if len(out) > 0 && len(health.SoCSpikes(soc, res)) > 0 {
		return nil // it leaps away and comes back
	}
	return out
}

// inOneLeg tells whether a stretch lies within the flow of one leg.
func (s *sides) inOneLeg(span trace.Span) bool {
	return slices.ContainsFunc(s.legs, func(l leg) bool {
		return !math.IsNaN(l.powerS) && span.From >= l.powerS && span.To <= l.offS
	})
}

// readingsAt are the readings of a recording, as it was recorded, at both ends of a stretch of the run.
func (s *sides) readingsAt(i int, raw *trace.Recording, span trace.Span) []int {
	var out []int
	for k, t := range raw.T {
		if at := s.onRun(i, t, t).From; at == span.From || at == span.To {
			out = append(out, k)
		}
	}
	return out
}

// spans tells why nothing is stated of what lies between two times of the run's clock; nil where nothing is against it.
// Only what counts: the charge of the side that the run's is of, and every clock.
func (s *sides) spans(from, to float64) *breach {
	for k := range s.broken {
		b := &s.broken[k]
		if b.socOnly && s.socSide != "" && b.side != s.socSide {
			continue
		}
		if b.From < to && b.To > from {
			return b
		}
	}
	return nil
}

// jumpedBefore tells whether a clock jumped before a time: it is not so long after plug-in as it seems.
func (s *sides) jumpedBefore(t float64) bool {
	return slices.ContainsFunc(s.broken, func(b breach) bool { return !b.socOnly && b.To <= t })
}

// dark lists where nothing is known of what held the run: silences in which nothing flowed, and what lies before a log
// that begins late.
func (s *sides) dark() []trace.Span {
	var out []trace.Span
	for _, b := range s.broken {
		if b.silent {
			out = append(out, b.Span)
		}
	}
	if at, late := s.beginsLate(); late {
		out = append(out, trace.Span{From: s.legs[0].from, To: at})
	}
	return out
}

// silentKJ is what a line through silences in which nothing flowed adds to a side's power between two times.
func (f flow) silentKJ(from, to float64) float64 {
	sum := 0.0
	for _, x := range f.silent {
		if a, b := math.Max(from, x.From), math.Min(to, x.To); a < b {
			sum += f.Series.Integral(a, b)
		}
	}
	return sum
}

// Integral is what flowed between two times, kJ.
func (f flow) Integral(from, to float64) float64 {
	return f.Series.Integral(from, to) - f.silentKJ(from, to)
}

// findBreaches finds what does not go on, and takes out of every flow what did not flow.
func (s *sides) findBreaches(raw []*trace.Recording) {
	s.broken = s.breaches(raw)
	for _, b := range s.broken {
		for k := range s.flows[b.side] {
			if f := &s.flows[b.side][k]; b.silent {
				f.silent = append(f.silent, b.Span)
				f.allKJ = f.Integral(f.T[0], f.T[f.Len()-1])
			}
		}
	}
	s.stallAC = s.readsAC()
}

// A stall's meter that sits on the mains side of its rectifiers reads their loss too: the same share at any power,
// where what is lost behind them grows with the current (common practice, no source: rectifiers lose 4 to 8 %).
const (
	acShare     = 0.05 // of what reaches the pack, at least
	acSpread    = 0.01 // by which the share may differ along the run
	acOver      = 1.02 // of the label: a meter's own error is less
	acOverAlone = 1.04 // where nothing but the label speaks
	acHeldS     = 60   // for so long
	acReadings  = 30
)

// meterAC is why the stall's readings seem to be of its mains side.
type meterAC struct {
	why   say.Text
	share float64 // by which it reads above the car; NaN: the car was not read
}

// readsAC tells it; nil where nothing speaks for it.
func (s *sides) readsAC() *meterAC {
	rated := s.ratedKW
	stall, car := s.power[trace.StallSide], s.power[trace.CarSide]
	if math.IsNaN(rated) || stall.Len() < acReadings {
		return nil
	}
	over := s.heldOver(stall, rated)
	if car.Len() < acReadings {
		if over < acOverAlone {
			return nil
		}
		return &meterAC{share: math.NaN(), why: say.T("curve.it-reads-kw-for", say.Fig(over*rated, 0), say.Fig(rated, 0))}
	}
	top := car.V[car.Max()]
	var shares []float64
	for i, t := range stall.T {
		if v, ok := car.At(t); ok && v > top/4 {
			shares = append(shares, stall.V[i]/v-1)
		}
	}
	if len(shares) < acReadings || over < acOver {
		return nil
	}
	slices.Sort(shares)
	low, mid, high := shares[len(shares)/10], shares[len(shares)/2], shares[len(shares)*9/10]
	if mid < acShare || high-low > 2*acSpread {
		return nil
	}
	return &meterAC{share: mid, why: say.T("curve.it-reads-kw-at", say.Fig(over*rated, 0), say.Fig(rated, 0),
		say.Fig(mid*100, 1))}
}

// heldOver is the power, as a share of a rating, at or above which a series stays for a minute.
func (s *sides) heldOver(p trace.Series, rated float64) float64 {
	best := 0.0
	for _, level := range slices.Sorted(slices.Values([]float64{acOver, acOverAlone, 1.06, 1.08, 1.10, 1.12, 1.15, 1.2})) {
		from := math.NaN()
		for i, v := range p.V {
			switch {
			case v < level*rated:
				from = math.NaN()
			case math.IsNaN(from):
				from = p.T[i]
			case p.T[i]-from >= acHeldS:
				best = level
			}
		}
	}
	return best
}

// ratedOf is the stall's label, kW; NaN where it is not noted.
func ratedOf(r *run.Run) float64 {
	if r.Stall == nil {
		return math.NaN()
	}
	if kw, ok := run.Known(r.Stall.RatedKW); ok {
		return kw
	}
	return math.NaN()
}
