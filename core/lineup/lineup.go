// Package lineup puts the recordings of a run on one clock: it finds by how much one
// recording's clock is behind another's, and how much faster it runs, from the shape of what
// both measured, and says how sure that is.
//
// Nothing here decides by a rule of thumb where the data can: two shifts that fit as well as
// each other are both given, and curves that are not of one session are said to be none.
//
// # How two recordings are lined up
//
//  1. Coarse. Both powers (else amps, volts, state of charge) are laid on a grid of a second, and their correlation is
//     worked out at every shift at once, over what both cover there (scores). A session's power looks like itself at
//     one shift only; a shape that repeats, or a long slope, gives several candidates, of which at most six are kept.
//
//  2. Fine. From each candidate shift and rate are fitted by least squares (refine), together with everything else in
//     which the two sides may honestly differ: losses that grow with the current, pumps and heaters that come and go,
//     a meter that reads 3 % high, a display that is told a moment late. Each of those has a leeway (channels), so that
//     it explains what it can explain and no more. Left out, a loss of 5 % on a falling curve looks like half a minute.
//     Single readings that are far off do not rule (Huber's weights).
//
//  3. Which. Of several fits the likelier counts; another one that lies as well, within what chance does, is given
//     beside it. A best fit that leaves more than 5 % of the level, or disagrees for minutes on end, is not of one
//     session, and says so.
//
//  4. How sure. The interval comes from how each moment pulls at shift and rate, neighbouring moments taken together,
//     since what disagrees does so for a while. An edge of power between two readings is known no better than those
//     are apart, however high it is: its many sharp readings around it must not pretend to a tenth of a second.
//
// # Drift
//
// Readings a second apart know an edge of power within half a second, and nothing else in a session is sharp: on a
// taper that loses half its power in half an hour, 2 % of scatter are more than a minute. From the first edge to the
// last, 2,000 s apart, a rate is so known within one or two hundred millionths, which is what quartzes differ by. It is
// therefore stated only where both sides display the state of charge so finely that every reading is an edge. What is
// not stated moves no figure: 100 millionths over half an hour are a fifth of a second.
package lineup

import (
	"math"

	"zincroad/core/say"
	"zincroad/core/trace"
)

// By says what a clock was lined up by.
type By string

// The ways of lining up.
const (
	ByMaster By = "master"      // it is the clock that the others are laid on
	ByShape  By = "shape"       // of power, with current and voltage where both have them
	ByPower  By = "first power" // the moment at which power began in both
	ByNote   By = "note"        // as noted: nothing better could be found
	ByHand   By = "hand"        // as the tester settled it
)

// Clock is how one recording's clock stands against the master's. A reading of its own time t
// lies at (t + OffsetS) / (1 + DriftPPM / 1e6) on the run's clock, so that OffsetS holds at the
// run's zero, and a positive drift is a clock that is fast.
type Clock struct {
	By      By
	OffsetS float64 // s; what was noted before is part of it

	// LowS and HighS are the ends of the 95 % interval; nil where nothing speaks for one.
	LowS, HighS *float64

	DriftPPM float64  // millionths; 0 where it is not known to be another
	DriftSD  *float64 // millionths, one standard deviation; nil: not known

	Alike  float64  // correlation of the shapes; 0 where they were not compared
	RivalS *float64 // another offset that fits as well; the one nearer to the noted counts
	Reason say.Text // why it could not be lined up by shape; empty where it was

	NotOneSession bool // both have a shape over the same time, and not the same one
}

// WholeHours gives the whole hours in an offset that is so near to them that another time
// zone or summer time must be behind it, and what is left; 0 where it is not.
func WholeHours(offsetS float64) (hours int, restS float64) {
	h := math.Round(offsetS / 3600)
	if rest := offsetS - h*3600; h != 0 && math.Abs(h) <= 14 && math.Abs(rest) <= 600 {
		return int(h), rest
	}
	return 0, offsetS
}

// When a fit counts (common practice, no source).
const (
	leastAlike   = 0.94  // correlation: one session has more, two days of one car mostly less (measured)
	mostResidual = 0.05  // of the level: more, and the two are not of one session
	mostLasting  = 0.008 // of the level, for a minute and more: the same
	leastScale   = 0.70
	mostScale    = 1.40
	mostHalfS    = 30   // an interval wider than twice this says nothing
	firmPoints   = 10   // fewer readings than this are lined up by nothing but notes
	factor95     = 3.7  // standard deviations: small steps and slow scatter hide from them (measured)
	surely       = 4    // standard deviations make a drift,
	mostDriftSD  = 20   // where one is no more than so many millionths,
	mostDrift    = 400  // itself no more than any clock has,
	leastDriftS  = 0.02 // and at the ends of what both cover it moves readings by so much;
	finestStep   = 0.02 // only displays of such a step tell one: edges of power are too few
	biasS        = 0.08 // that scatter of 2 % leaves, s (measured)
)

// Fit lines one recording up with the master. Both must be in order of time; the other's times
// carry what was noted of its clock already, and notedS says how much that is.
func Fit(master, other *trace.Recording, notedS float64) Clock {
	c := Clock{By: ByNote, OffsetS: notedS}
	a, b := shapesOf(master), shapesOf(other)
	everyA, everyB := a.every(), b.every()
	if everyA == 0 || everyB == 0 {
		c.Reason = say.T("lineup.one-of-the-two")
		return c
	}
	dense, sparse, swapped := a, b, false
	if everyA > everyB {
		dense, sparse, swapped = b, a, true
		everyA, everyB = everyB, everyA
	}
	var pairs []channelPair
	var first channelOf
	for _, ch := range channels {
		if p, ok := pairOf(ch, dense[ch.channel], sparse[ch.channel], everyA, everyB); ok && moves(p) {
			if len(pairs) == 0 {
				first = ch
			}
			pairs = append(pairs, p)
		}
	}
	if len(pairs) == 0 {
		c.Reason = say.T("lineup.nothing-that-both-recorded")
		return byFirstPower(c, a, b, notedS)
	}
	best, rival, alike, why := choose(dense[first.channel], sparse[first.channel], pairs, everyB)
	c.Alike = alike
	if why.reason.Any() {
		c.Reason, c.NotOneSession = why.reason, why.notOne
		if alike == 0 {
			return byFirstPower(c, a, b, notedS)
		}
		return c
	}
	_, drift, sd := best.clock(swapped)
	stated := rival == nil && best.byDisplay && math.Abs(drift) > surely*sd && sd < mostDriftSD &&
		math.Abs(drift) < mostDrift && math.Abs(drift)*1e-6*best.spanS/2 > leastDriftS
	offset, variance := best.nearZero(swapped)
	if stated { // the two were fitted together
		offset, _, _ = best.clock(swapped)
		variance = best.variance(swapped)
	}
	half := factor95 * math.Sqrt(variance+biasS*biasS)
	if half > mostHalfS {
		c.Reason = say.T("lineup.stretch", say.Duration(2*half))
		return byFirstPower(c, a, b, notedS)
	}
	c.By, c.Reason = ByShape, nil
	c.LowS, c.HighS = ptr(notedS+offset-half), ptr(notedS+offset+half)
	if best.byDisplay {
		c.DriftSD = ptr(sd)
	}
	if rival != nil {
		other, _ := rival.nearZero(swapped)
		if math.Abs(other) < math.Abs(offset) {
			offset, other = other, offset
			c.LowS, c.HighS = ptr(notedS+offset-half), ptr(notedS+offset+half)
		}
		c.RivalS = ptr(notedS + other)
	}
	if math.Abs(offset) > half {
		c.OffsetS = notedS + offset
	}
	if stated {
		c.DriftPPM = drift
		c.OffsetS = notedS + offset
	}
	return c
}

// nearZero gives the offset of the recording that is not the master where no drift is stated, and its variance: at the
// run's zero, but no farther from what both cover than half of its length. A zero that lies hours away (a log in
// seconds since midnight) would be moved by seconds by a rate that nobody knows.
func (f fit) nearZero(swapped bool) (offsetS, variance float64) {
	zero := -f.shiftS // on the other's clock
	if swapped {
		zero = 0
	}
	at := math.Max(f.middleS-f.spanS, math.Min(f.middleS+f.spanS, zero))
	away := (at - f.middleS) * 1e-6
	offsetS = f.shiftS + f.rate*away
	if swapped {
		offsetS = -offsetS
	}
	return offsetS, math.Max(0, f.varShift+2*away*f.cov+away*away*f.varRate)
}

// clock gives a fit as the clock of the recording that is not the master: offset at the run's
// zero, drift and its standard deviation in millionths.
func (f fit) clock(swapped bool) (offsetS, driftPPM, driftSD float64) {
	// dense = (1 + rate) u + shift - rate middle = (u + d) / (1 + r)
	rate := f.rate * 1e-6
	d := (f.shiftS - rate*f.middleS) / (1 + rate)
	r := 1/(1+rate) - 1
	if swapped {
		d, r = -d/(1+r), 1/(1+r)-1
	}
	return d, r * 1e6, math.Sqrt(f.varRate)
}

// variance is that of the offset at the run's zero.
func (f fit) variance(swapped bool) float64 {
	away := (-f.shiftS - f.middleS) * 1e-6 // from the middle to the dense clock's zero, on the other's
	if swapped {
		away = -f.middleS * 1e-6
	}
	return math.Max(0, f.varShift+2*away*f.cov+away*away*f.varRate)
}

// why says why two recordings could not be lined up, and whether that is because they are not of one session.
type why struct {
	reason say.Text
	notOne bool
}

// choose finds the shift at which the shapes lie best on each other, and another one that does
// as well, if there is one. A reason says why there is none.
func choose(dense, sparse trace.Series, pairs []channelPair, everySparse float64) (best fit, rival *fit, alike float64,
	none why) {
	step := 1.0
	for dense.Span().Len()/step > mostSteps || sparse.Span().Len()/step > mostSteps {
		step *= 2
	}
	a := gridOf(dense, math.Floor(dense.T[0]), step, false)
	b := gridOf(sparse, math.Floor(sparse.T[0]), step, everySparse > denseS)
	candidates := correlate(a, b)
	if len(candidates) == 0 {
		return fit{}, nil, 0, why{reason: say.T("lineup.their-readings-do-not")}
	}
	var fits []fit
	for _, cand := range candidates {
		alike = math.Max(alike, cand.like)
		if cand.like < leastAlike || cand.score < candidates[0].score/2 {
			continue
		}
		if f, ok := refine(pairs, cand.shiftS); ok {
			fits = append(fits, f)
		}
	}
	if len(fits) == 0 && alike < leastAlike {
		return fit{}, nil, alike, why{say.T("lineup.their-shapes-are-not"), true}
	} else if len(fits) == 0 { // as where one of the clocks jumped
		return fit{}, nil, alike, why{reason: say.T("lineup.their-shapes-are-alike")}
	}
	best = fits[0]
	for _, f := range fits[1:] {
		if f.gain(best.residualScale()) > best.gain(best.residualScale()) {
			best = f
		}
	}
	switch {
	case best.residual > mostResidual, best.lasting > mostLasting, best.scale < leastScale, best.scale > mostScale:
		return best, nil, alike, why{say.T("lineup.their-shapes-are-alike-but"), true}
	case best.points < firmPoints:
		return best, nil, alike, why{reason: say.T("lineup.too-few-readings-lie")}
	}
	for i := range fits {
		f := fits[i]
		if math.Abs(f.shiftS-best.shiftS) > apartS && f.asGood(best) {
			rival = &f
			break
		}
	}
	return best, rival, alike, why{}
}

// mostSteps bounds a grid: four and a half hours at a step of 1 s.
const mostSteps = 1 << 14

func (f fit) residualScale() float64 {
	v := make([]float64, len(f.costs))
	for i, c := range f.costs {
		v[i] = math.Abs(c)
	}
	return math.Max(1e-9, 1.4826*trace.Median(v))
}

// cost is the mean square of the residuals, none counted for more than ten scales.
func (f fit) cost(scale float64) float64 {
	sum := 0.0
	for _, c := range f.costs {
		sum += math.Min(c*c, 100*scale*scale)
	}
	return sum / float64(len(f.costs))
}

// independentPoints is how many of the points tell something new.
func (f fit) independentPoints() float64 {
	return math.Max(2, math.Min(float64(f.points), f.spanS/independent))
}

// gain is how much likelier the fit is than none: the log of the ratio, for choosing.
func (f fit) gain(scale float64) float64 {
	return -f.independentPoints() / 2 * math.Log(f.cost(scale)/(100*scale*scale)+1e-9)
}

// asGood tells whether a fit lies as well as the best one, within what chance does, over at
// least half as many points.
func (f fit) asGood(best fit) bool {
	scale := best.residualScale()
	chance := 3 * math.Sqrt(2/f.independentPoints())
	return f.points*2 >= best.points && f.cost(scale) <= best.cost(scale)*(1+chance)
}

// byFirstPower lines up the moments at which power began, where both recordings saw it begin.
func byFirstPower(c Clock, a, b shapes, notedS float64) Clock {
	ta, wa, ok1 := beginning(a[trace.Power])
	tb, wb, ok2 := beginning(b[trace.Power])
	if !ok1 || !ok2 || wa > 60 || wb > 60 {
		return c
	}
	half := (wa+wb)/2 + 2
	offset := ta - tb
	c.By, c.LowS, c.HighS = ByPower, ptr(notedS+offset-half), ptr(notedS+offset+half)
	if math.Abs(offset) > half {
		c.OffsetS = notedS + offset
	}
	return c
}

// beginning is the middle between the last reading without power and the first with it that is
// followed by more, and how far the two are apart.
func beginning(p trace.Series) (at, width float64, ok bool) {
	for i := 1; i+1 < p.Len(); i++ {
		if p.V[i-1] < 1 && p.V[i] >= 1 && p.V[i+1] >= 1 {
			return (p.T[i-1] + p.T[i]) / 2, p.T[i] - p.T[i-1], true
		}
	}
	return 0, 0, false
}
