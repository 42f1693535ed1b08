package ceiling

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// How far back readings speak for now (LookS): 90 s of a log, and of readings that were typed
// the last few of up to eight minutes. Flat is a spread of so much of the mean, or so
// little in the unit itself.
const (
	LookS     = 90
	leastN    = 4
	typedN    = 4
	typedS    = 480
	leastS    = 55 // so long at least must few readings lie apart to show that something is flat
	flatShare = 0.012
	flatAmps  = 2.0
	flatKW    = 1.0
	nearShare = 0.03 // a rating is meant when the reading is so near to it
)

// stretch is the recent part of a series.
type stretch struct {
	mean, spread, rise float64 // rise: last less first, of a line through the points
	n                  int
	lengthS            float64
}

// recent takes the part of a series that speaks for now, from a time on.
func recent(s trace.Series, now, from float64) stretch {
	end := len(s.T)
	for end > 0 && s.T[end-1] > now {
		end--
	}
	i, _ := slices.BinarySearch(s.T, max(from, now-LookS))
	if end-i < leastN {
		j, _ := slices.BinarySearch(s.T, max(from, now-typedS))
		i = min(i, max(j, end-typedN))
	}
	if i >= end {
		return stretch{}
	}
	t, v := s.T[i:end], s.V[i:end]
	out := stretch{n: len(v), lengthS: t[len(t)-1] - t[0], mean: stat.Mean(v, nil), spread: floats.Max(v) - floats.Min(v)}
	if out.lengthS > 0 {
		_, slope := stat.LinearRegression(t, v, nil, false)
		out.rise = slope * out.lengthS
	}
	return out
}

// told tells whether a stretch says anything about level or slope: four readings, or
// two that lie a minute apart.
func (s stretch) told() bool { return s.n >= leastN || s.n >= 2 && s.lengthS >= leastS }

// flat tells whether a stretch stays level.
func (s stretch) flat(least float64) bool {
	return s.told() && s.spread <= max(least, flatShare*math.Abs(s.mean))
}

// Holding is what seems to hold the power down.
type Holding struct {
	Cause  Cause  // the one that fits best
	Reason string // one line, with the numbers used
	Sure   bool   // it fits well and the next one clearly worse
}

// candidate is a cause with how badly it fits: 0 is a perfect fit, 1 what noise makes
// of one, 2 and more a poor one.
type candidate struct {
	Holding
	misfit float64
}

// From what misfit on a cause is none, and when the best one is sure: it fits well, and
// the next one clearly worse.
const (
	poorFit    = 2.5
	goodFit    = 1.2
	clearMatch = 1.0
)

// Evidence is what was read of a run up to one moment of one leg, and what is known of
// its car and stall. A series or figure that was not read is empty or NaN.
type Evidence struct {
	NowS     float64   // the moment, on the clock of the series
	PlugInS  float64   // the plug-in of this leg
	EarlierS []float64 // those of the legs before, in order

	KW      trace.Series // the power that is judged
	KWSide  trace.Side   // whose it is
	Amps    trace.Series
	Volts   trace.Series
	Offered trace.Series // by the stall, kW

	SoCPct             float64 // at the moment, as closely as it is known
	ColdestC, WarmestC float64 // as read last

	Car    *run.Car   // nil: nothing known
	Stall  *run.Stall // nil: nothing known
	Limits *Limits
	Pack   *pack.Pack // nil: the car's capacity is not known
	Gentle bool       // the car's gentle profile
}

// seen is what the readings show at the moment.
type seen struct {
	*Evidence
	kw, amps, volts stretch
	lastKW          float64 // as read last
	packKW          float64 // the same, into the pack
}

// Holds says what seems to hold the power at the moment: of all causes the one that fits
// best, weighed against the others. Without a reading of the power it is nil.
func Holds(e Evidence) *Holding {
	n := e.KW.Len()
	if n == 0 {
		return nil
	}
	x := seen{Evidence: &e, lastKW: e.KW.V[n-1]}
	if x.lastKW < run.PowerFloorKW {
		return &Holding{Paused, "no power is flowing", true}
	}
	from := e.PlugInS
	if d, ok := e.KW.LastFall(e.PlugInS, e.NowS); ok {
		from = d.AtS
	}
	x.kw, x.amps, x.volts = recent(e.KW, e.NowS, from), recent(e.Amps, e.NowS, from), recent(e.Volts, e.NowS, from)
	if e.NowS-e.PlugInS < rampS && x.kw.n >= 2 && x.kw.rise > 0.1*x.kw.mean {
		return &Holding{Ramp, "the power is still climbing after plug-in", true}
	}
	if h := byOffer(x); h != nil {
		return h
	}
	x.packKW = x.lastKW
	if e.KWSide == trace.StallSide {
		x.packKW = e.Limits.FromPlug(x.lastKW * PackShare)
	}
	list := slices.Concat(byCurrent(x), byHalf(x), byPower(x), byPack(x))
	slices.SortStableFunc(list, func(a, b candidate) int { return cmp.Compare(a.misfit, b.misfit) })
	if len(list) > 0 && list[0].misfit <= poorFit {
		best := list[0].Holding
		best.Sure = list[0].misfit <= goodFit
		for _, other := range list[1:] {
			if other.Cause != best.Cause && other.misfit < list[0].misfit+clearMatch {
				best.Sure = false
			}
		}
		return &best
	}
	if h := byFall(x); h != nil {
		return h
	}
	return undecided(x)
}

// rampS is how long after plug-in a climb may still be the ramp.
const rampS = 150

// PackShare of the stall's power reaches the pack (common practice, no source).
const PackShare = 0.96

func near(v, rating float64) bool {
	return !math.IsInf(rating, 0) && math.Abs(v-rating) <= nearShare*rating
}

// off is how far a value lies from what is expected, in units of a tolerance.
func off(v, expected, tolerance float64) float64 { return math.Abs(v-expected) / tolerance }

// byCurrent: amps level, at a rating or at none.
func byCurrent(x seen) []candidate {
	if !x.amps.flat(flatAmps) || x.amps.mean < 5 || x.kw.told() && x.kw.rise < -0.01*x.kw.mean {
		return nil
	}
	at := words.Figure(x.amps.mean, 0)
	var out []candidate
	for _, r := range []struct {
		cause Cause
		whose string
		amps  float64
	}{
		{StallCurrent, "the stall's", x.Limits.StallA},
		{AdapterCurrent, "the adapter's", x.Limits.AdapterA},
		{CarCurrent, "the car's", x.Limits.CarA},
	} {
		if near(x.amps.mean, r.amps) {
			out = append(
				out,
				candidate{Holding{Cause: r.cause, Reason: fmt.Sprintf("amps are flat at %s: %s limit, %s A", at,
					r.whose, words.Figure(r.amps, 0))},
					off(x.amps.mean, r.amps, 0.03*r.amps)},
			)
		}
	}
	creeps := x.kw.rise >= 0.002*x.kw.mean && 2*math.Abs(x.amps.rise)*x.kw.mean <= x.kw.rise*x.amps.mean
	if !creeps && x.volts.told() && x.volts.rise > 0.002*x.volts.mean { // kW by whole numbers creep unseen
		creeps = math.Abs(x.amps.rise)*x.volts.mean*2 <= x.volts.rise*x.amps.mean
	}
	if len(out) == 0 && creeps && x.amps.mean < x.Limits.StallA {
		out = append(out, candidate{Holding{Cause: StallCurrent,
			Reason: fmt.Sprintf("amps are flat at %s, under every rating noted: stall, cable or car",
				at)}, goodFit + 0.1})
	}
	return out
}

// leastOffered is how many readings in a row must be all that the stall offers.
const leastOffered = 3

// byOffer: the stall itself says that it gives all that it would. Where that is well
// under its label at a shared cabinet, somebody else has the rest.
func byOffer(x seen) *Holding {
	last, n := x.Offered.Len()-1, x.KW.Len()
	if last < 0 || x.NowS-x.Offered.T[last] > LookS || n < leastOffered {
		return nil
	}
	for i := n - leastOffered; i < n; i++ {
		if then, ok := x.Offered.At(x.KW.T[i]); !ok || !near(x.KW.V[i], then) {
			return nil
		}
	}
	offer := x.Offered.V[last]
	at := words.Figure(offer, 0)
	if t := x.Stall; t != nil {
		_, shared := run.Known(t.SharedKW)
		if rated, ok := run.Known(t.RatedKW); ok && shared && offer < 0.8*rated {
			return &Holding{
				SharedCabinet,
				fmt.Sprintf("the stall offers %s of its %s kW, and all of that flows: its cabinet is shared",
					at, words.Figure(rated, 0)),
				true,
			}
		}
	}
	return &Holding{StallPower, fmt.Sprintf("the stall offers %s kW, and all of that flows", at), true}
}

// byHalf: kW level at half of what a shared cabinet has; without a neighbour's mark it
// is never sure.
func byHalf(x seen) []candidate {
	if x.Stall == nil || !x.kw.flat(flatKW) {
		return nil
	}
	shared, ok := run.Known(x.Stall.SharedKW)
	if !ok || !near(x.kw.mean, shared/2) {
		return nil
	}
	return []candidate{{Holding{Cause: SharedCabinet,
		Reason: fmt.Sprintf("flat at %s kW, half of the cabinet's %s: look for a neighbour", words.Figure(x.kw.mean, 0),
			words.Figure(shared, 0))}, goodFit + 0.01}}
}

// byPower: kW level.
func byPower(x seen) []candidate {
	if !x.kw.flat(flatKW) {
		return nil
	}
	var out []candidate
	add := func(c Cause, misfit float64, format string, args ...any) {
		out = append(out, candidate{Holding{Cause: c, Reason: fmt.Sprintf(format, args...)}, misfit})
	}
	at, l := words.Figure(x.kw.mean, 0), x.Limits
	if l.Converter && x.kw.mean >= 0.9*l.ConverterKW && x.kw.mean <= 1.1*l.ConverterKW {
		add(CarConverter, off(x.kw.mean, l.ConverterKW, 0.1*l.ConverterKW),
			"flat at %s kW: the car's converter, %s kW", at, words.Figure(l.ConverterKW, 0))
	}
	if near(x.packKW, l.CarKW) || near(x.kw.mean, l.CarKW) {
		add(CarPower, min(off(x.packKW, l.CarKW, nearShare*l.CarKW), off(x.kw.mean, l.CarKW, nearShare*l.CarKW)),
			"flat at %s kW: the car's limit, %s kW", at, words.Figure(l.CarKW, 0))
	}
	if x.kw.mean >= 0.85*l.StallKW && x.kw.mean <= 1.03*l.StallKW {
		misfit := 0.5
		if falls := x.amps.told() && x.amps.rise < 0; !falls && x.kw.mean <= 0.93*l.StallKW {
			misfit = goodFit + 0.2
		}
		add(StallPower, misfit, "flat at %s kW, just under the stall's %s", at, words.Figure(l.StallKW, 0))
	}
	return out
}

// What cold and heat look like: so near to its share is the power of a cold pack, and it
// climbs as the pack warms.
const (
	coldNear  = 0.12
	notRising = 1.0
	ampsFlat  = 1.0
	taperNear = 0.1
)

// byPack: what the battery itself would take, cold or warm.
func byPack(x seen) []candidate {
	if x.Pack == nil || math.IsNaN(x.SoCPct) {
		return nil
	}
	taper := x.Pack.Taper(x.Car, x.Gentle)
	warm := min(taper.KW(x.SoCPct), x.Limits.CarKW)
	var out []candidate
	add := func(c Cause, misfit float64, format string, args ...any) {
		out = append(out, candidate{Holding{Cause: c, Reason: fmt.Sprintf(format, args...)}, misfit})
	}
	now := x.packKW
	if x.ColdestC < x.Pack.WarmC-2 && now < 0.92*warm {
		share := x.Pack.ColdShare(x.ColdestC)
		misfit := off(now, share*warm, coldNear*warm)
		if x.amps.flat(flatAmps) {
			misfit += ampsFlat
		}
		if x.kw.told() && x.kw.rise <= 0 {
			misfit += notRising
		}
		add(Cold, misfit, "the coldest cell has %s °C, the car likes %s °C: about %s %% of its %s kW",
			words.Figure(x.ColdestC, 0),
			words.Figure(x.Pack.WarmC, 0), words.Figure(share*100, 0), words.Figure(warm, 0))
	}
	if x.WarmestC > x.Pack.HotC && now < 0.92*warm {
		share := x.Pack.HotShare(x.WarmestC)
		add(Hot, off(now, share*warm, 0.2*warm)+0.3, "the warmest cell has %s °C", words.Figure(x.WarmestC, 0))
	}
	cause, what := PackTaper, "the pack's own taper"
	if taper.AtStep(x.SoCPct) {
		cause, what = SoCStep, "the pack's step at this charge"
	}
	add(cause, off(now, taper.KW(x.SoCPct), taperNear*taper.KW(x.SoCPct)+1), "%s kW at %s %% is %s",
		words.Figure(x.lastKW, 0), words.Figure(x.SoCPct, 0), what)
	if out[len(out)-1].misfit > 1 {
		out = out[:len(out)-1]
	}
	return out
}

// undecided says what is missing to decide.
func undecided(x seen) *Holding {
	if x.Pack == nil || math.IsNaN(x.SoCPct) {
		return &Holding{Unknown, "not decidable yet: log volts and amps", false}
	}
	reason := fmt.Sprintf("not decidable: %s kW where a warm pack takes %s", words.Figure(x.lastKW, 0),
		words.Figure(x.Pack.Taper(x.Car, x.Gentle).KW(x.SoCPct), 0))
	if math.IsNaN(x.ColdestC) {
		reason += "; note the battery's temperature"
	}
	return &Holding{Unknown, reason, false}
}

// sameS is how near to each other after plug-in two falls are the same one.
const sameS = 15

// byFall is what a sudden fall in this leg says: a timer in the car where an earlier
// leg fell as long after its plug-in; else what could be meant, and what tells.
func byFall(x seen) *Holding {
	d, ok := x.KW.LastFall(x.PlugInS, x.NowS)
	if !ok {
		return nil
	}
	after := d.AtS - x.PlugInS
	what := fmt.Sprintf("fell from %s to %s kW %s after plug-in", words.Figure(d.From, 0),
		words.Figure(d.To, 0), words.Duration(math.Round(after)))
	for i, in := range x.EarlierS {
		until := x.PlugInS
		if i+1 < len(x.EarlierS) {
			until = x.EarlierS[i+1]
		}
		if e, ok := x.KW.LastFall(in, until); ok && math.Abs(e.AtS-in-after) <= sameS {
			return &Holding{TimerStep, what + ", as after the plug-in before: a timer in the car", true}
		}
	}
	return &Holding{Unknown, what + ": a timer in the car, a step at this charge, or the stall; a replug tells", false}
}
