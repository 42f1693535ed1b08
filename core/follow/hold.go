package follow

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"zincroad/core/ceiling"
	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// How far back readings speak for now: 90 s of a log, and of readings that were typed
// the last few of up to eight minutes. Flat is a spread of so much of the mean, or so
// little in the unit itself.
const (
	lookS     = 90
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
	i, _ := slices.BinarySearch(s.T, max(from, now-lookS))
	if end-i < leastN {
		j, _ := slices.BinarySearch(s.T, max(from, now-typedS))
		i = min(i, max(j, end-typedN))
	}
	if i >= end {
		return stretch{}
	}
	t, v := s.T[i:end], s.V[i:end]
	out := stretch{n: len(v), lengthS: t[len(t)-1] - t[0]}
	lo, hi := v[0], v[0]
	var st, sv float64
	for k := range v {
		lo, hi = min(lo, v[k]), max(hi, v[k])
		st, sv = st+t[k], sv+v[k]
	}
	n := float64(len(v))
	mt, mv := st/n, sv/n
	var tt, tv float64
	for k := range v {
		tt += (t[k] - mt) * (t[k] - mt)
		tv += (t[k] - mt) * (v[k] - mv)
	}
	out.mean, out.spread = mv, hi-lo
	if tt > 0 {
		out.rise = tv / tt * out.lengthS
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

// hold says what seems to hold the power. Where nobody has looked for a while there
// is nothing to say of now; what held when somebody did is still what is learnt.
func (s *State) hold(f *feeds, plan forecast.Plan) {
	switch now := s.KW; {
	case !now.Known():
	case now.AgeS <= lookS:
		s.learntAt = s.charge()
		s.Holding = s.holding(f, plan, s.PluggedS)
		s.learnt = s.Holding
	default:
		then := *f
		then.now -= now.AgeS
		s.learntAt = s.SoC.V
		s.learnt = s.holding(&then, plan, s.PluggedS-now.AgeS)
	}
}

// charge is the state of charge as counted, or as read where it cannot be.
func (s *State) charge() float64 {
	if math.IsNaN(s.Counted) {
		return s.SoC.V
	}
	return s.Counted
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

// seen is what the readings show at the moment of the feeds.
type seen struct {
	kw, amps, volts stretch
	packKW          float64 // of the last reading, into the pack
	soc             float64
	limits          *stall.Limits
	pack            *pack.Pack
}

// holding is what seems to hold the power at the moment of the feeds: of all causes the
// one that fits best, weighed against the others.
func (s *State) holding(f *feeds, plan forecast.Plan, pluggedS float64) *Holding {
	if s.KW.V < curve.PowerFloorKW {
		return &Holding{ceiling.Paused, "no power is flowing", true}
	}
	plugged := f.now - pluggedS
	from := plugged
	if d, ok := lastFall(f.kw, plugged, f.now); ok {
		from = d.AtS
	}
	x := seen{kw: recent(f.kw, f.now, from), amps: recent(f.amps, f.now, from), volts: recent(f.volts, f.now, from),
		soc: s.learntAt}
	if pluggedS < 150 && x.kw.n >= 2 && x.kw.rise > 0.1*x.kw.mean {
		return &Holding{ceiling.Ramp, "the power is still climbing after plug-in", true}
	}
	if h := byOffer(f, plan.Stall); h != nil {
		return h
	}
	x.limits, x.pack = limitsOf(plan)
	x.packKW = s.KW.V
	if f.kwSide == trace.StallSide {
		x.packKW = x.limits.FromPlug(s.KW.V * packShare)
	}
	list := slices.Concat(byCurrent(x), byHalf(x, plan.Stall), byPower(x), s.byPack(x, plan))
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
	if h := byFall(f, pluggedS); h != nil {
		return h
	}
	return s.undecided(plan, x.pack)
}

// packShare of the stall's power reaches the pack (common practice, no source).
const packShare = 0.96

func limitsOf(plan forecast.Plan) (*stall.Limits, *pack.Pack) {
	if plan.Car == nil {
		plan.Car = &run.Car{}
	}
	p, err := pack.For(plan.Car)
	if err != nil {
		p = nil
		inf := math.Inf(1)
		l := &stall.Limits{StallKW: inf, StallA: inf, AdapterA: inf, CarKW: inf, CarA: inf, ConverterKW: inf}
		if t := plan.Stall; t != nil {
			if v, ok := run.Known(t.RatedKW); ok {
				l.StallKW = v
			}
			if v, ok := run.Known(t.MaxA); ok {
				l.StallA = v
			}
		}
		return l, nil
	}
	return stall.LimitsOf(plan.Car, p, plan.Stall, plan.Adapter, plan.Assumed), p
}

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
		cause ceiling.Cause
		whose string
		amps  float64
	}{
		{ceiling.StallCurrent, "the stall's", x.limits.StallA},
		{ceiling.AdapterCurrent, "the adapter's", x.limits.AdapterA},
		{ceiling.CarCurrent, "the car's", x.limits.CarA},
	} {
		if near(x.amps.mean, r.amps) {
			out = append(out, candidate{Holding{Cause: r.cause, Reason: fmt.Sprintf("amps are flat at %s: %s limit, %s A", at,
				r.whose, words.Figure(r.amps, 0))},
				off(x.amps.mean, r.amps, 0.03*r.amps)})
		}
	}
	creeps := x.kw.rise >= 0.002*x.kw.mean && 2*math.Abs(x.amps.rise)*x.kw.mean <= x.kw.rise*x.amps.mean
	if !creeps && x.volts.told() && x.volts.rise > 0.002*x.volts.mean { // kW by whole numbers creep unseen
		creeps = math.Abs(x.amps.rise)*x.volts.mean*2 <= x.volts.rise*x.amps.mean
	}
	if len(out) == 0 && creeps && x.amps.mean < x.limits.StallA {
		out = append(out, candidate{Holding{Cause: ceiling.StallCurrent,
			Reason: fmt.Sprintf("amps are flat at %s, under every rating noted: stall, cable or car", at)}, goodFit + 0.1})
	}
	return out
}

// leastOffered is how many readings in a row must be all that the stall offers.
const leastOffered = 3

// byOffer: the stall itself says that it gives all that it would. Where that is well
// under its label at a shared cabinet, somebody else has the rest.
func byOffer(f *feeds, t *run.Stall) *Holding {
	offer := f.last(f.offered)
	if n := f.kw.Len(); !offer.Known() || offer.AgeS > lookS || n < leastOffered {
		return nil
	}
	for i := f.kw.Len() - leastOffered; i < f.kw.Len(); i++ {
		if then, ok := f.offered.At(f.kw.T[i]); !ok || !near(f.kw.V[i], then) {
			return nil
		}
	}
	at := words.Figure(offer.V, 0)
	if t != nil {
		_, shared := run.Known(t.SharedKW)
		if rated, ok := run.Known(t.RatedKW); ok && shared && offer.V < 0.8*rated {
			return &Holding{ceiling.SharedCabinet, fmt.Sprintf("the stall offers %s of its %s kW, and all of that flows: its cabinet is shared", at, words.Figure(rated, 0)), true}
		}
	}
	return &Holding{ceiling.StallPower, fmt.Sprintf("the stall offers %s kW, and all of that flows", at), true}
}

// byHalf: kW level at half of what a shared cabinet has; without a neighbour's mark it
// is never sure.
func byHalf(x seen, t *run.Stall) []candidate {
	if t == nil || !x.kw.flat(flatKW) {
		return nil
	}
	shared, ok := run.Known(t.SharedKW)
	if !ok || !near(x.kw.mean, shared/2) {
		return nil
	}
	return []candidate{{Holding{Cause: ceiling.SharedCabinet,
		Reason: fmt.Sprintf("flat at %s kW, half of the cabinet's %s: look for a neighbour", words.Figure(x.kw.mean, 0),
			words.Figure(shared, 0))}, goodFit + 0.01}}
}

// byPower: kW level.
func byPower(x seen) []candidate {
	if !x.kw.flat(flatKW) {
		return nil
	}
	var out []candidate
	add := func(c ceiling.Cause, misfit float64, format string, args ...any) {
		out = append(out, candidate{Holding{Cause: c, Reason: fmt.Sprintf(format, args...)}, misfit})
	}
	at, l := words.Figure(x.kw.mean, 0), x.limits
	if l.Converter && x.kw.mean >= 0.9*l.ConverterKW && x.kw.mean <= 1.1*l.ConverterKW {
		add(ceiling.CarConverter, off(x.kw.mean, l.ConverterKW, 0.1*l.ConverterKW),
			"flat at %s kW: the car's converter, %s kW", at, words.Figure(l.ConverterKW, 0))
	}
	if near(x.packKW, l.CarKW) || near(x.kw.mean, l.CarKW) {
		add(ceiling.CarPower, min(off(x.packKW, l.CarKW, nearShare*l.CarKW), off(x.kw.mean, l.CarKW, nearShare*l.CarKW)),
			"flat at %s kW: the car's limit, %s kW", at, words.Figure(l.CarKW, 0))
	}
	if x.kw.mean >= 0.85*l.StallKW && x.kw.mean <= 1.03*l.StallKW {
		misfit := 0.5
		if falls := x.amps.told() && x.amps.rise < 0; !falls && x.kw.mean <= 0.93*l.StallKW {
			misfit = goodFit + 0.2
		}
		add(ceiling.StallPower, misfit, "flat at %s kW, just under the stall's %s", at, words.Figure(l.StallKW, 0))
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
func (s *State) byPack(x seen, plan forecast.Plan) []candidate {
	if x.pack == nil || math.IsNaN(x.soc) {
		return nil
	}
	taper := x.pack.Taper(plan.Car, plan.Gentle)
	warm := min(taper.KW(x.soc), x.limits.CarKW)
	var out []candidate
	add := func(c ceiling.Cause, misfit float64, format string, args ...any) {
		out = append(out, candidate{Holding{Cause: c, Reason: fmt.Sprintf(format, args...)}, misfit})
	}
	now := x.packKW
	if s.Coldest.Known() && s.Coldest.V < x.pack.WarmC-2 && now < 0.92*warm {
		share := x.pack.ColdShare(s.Coldest.V)
		misfit := off(now, share*warm, coldNear*warm)
		if x.amps.flat(flatAmps) {
			misfit += ampsFlat
		}
		if x.kw.told() && x.kw.rise <= 0 {
			misfit += notRising
		}
		add(ceiling.Cold, misfit, "the coldest cell has %s °C, the car likes %s °C: about %s %% of its %s kW",
			words.Figure(s.Coldest.V, 0),
			words.Figure(x.pack.WarmC, 0), words.Figure(share*100, 0), words.Figure(warm, 0))
	}
	if s.Warmest.Known() && s.Warmest.V > x.pack.HotC && now < 0.92*warm {
		share := x.pack.HotShare(s.Warmest.V)
		add(ceiling.Hot, off(now, share*warm, 0.2*warm)+0.3, "the warmest cell has %s °C", words.Figure(s.Warmest.V, 0))
	}
	cause, what := ceiling.PackTaper, "the pack's own taper"
	if taper.AtStep(x.soc) {
		cause, what = ceiling.SoCStep, "the pack's step at this charge"
	}
	add(cause, off(now, taper.KW(x.soc), taperNear*taper.KW(x.soc)+1), "%s kW at %s %% is %s", words.Figure(s.KW.V, 0),
		words.Figure(x.soc, 0), what)
	if out[len(out)-1].misfit > 1 {
		out = out[:len(out)-1]
	}
	return out
}

// undecided says what is missing to decide.
func (s *State) undecided(plan forecast.Plan, p *pack.Pack) *Holding {
	if p == nil || math.IsNaN(s.learntAt) {
		return &Holding{ceiling.Unknown, "not decidable yet: log volts and amps", false}
	}
	reason := fmt.Sprintf("not decidable: %s kW where a warm pack takes %s", words.Figure(s.KW.V, 0), words.Figure(p.Taper(plan.Car, plan.Gentle).KW(s.learntAt), 0))
	if !s.Coldest.Known() {
		reason += "; note the battery's temperature"
	}
	return &Holding{ceiling.Unknown, reason, false}
}

// compare looks for power that left the forecast, at the same state of charge.
func (s *State) compare(f *feeds, baseline *forecast.Forecast, zero float64) {
	if baseline == nil || len(baseline.Steps) == 0 || s.PluggedS < 90 {
		return
	}
	if now := s.KW; !now.Known() || now.AgeS > lookS || now.V < 1 {
		return
	}
	car := f.kwSide == trace.CarSide
	since, by := math.NaN(), 0.0
	for i := f.kw.Len() - 1; i >= 0; i-- {
		t := f.kw.T[i]
		soc, ok := f.soc.At(t)
		if !ok || t < f.now-s.PluggedS+60 {
			if !ok && t > f.now-lookS {
				continue // power is read more often than charge
			}
			break
		}
		want, ok := forecastKW(baseline, soc, car)
		d := f.kw.V[i] - want
		if !ok || math.Abs(d) < max(alertKW, alertShare*want) || by != 0 && math.Signbit(d) != math.Signbit(by) {
			break
		}
		if by == 0 {
			by = d
		}
		since = t
	}
	if by != 0 && f.now-since >= alertS {
		s.Alert = &Alert{by, since - zero}
	}
}

// forecastKW is the forecast's power at a state of charge, on the headline's side.
func forecastKW(f *forecast.Forecast, soc float64, car bool) (float64, bool) {
	i := stepAt(f, soc)
	if i >= len(f.Steps)-1 {
		return 0, false
	}
	st := f.Steps[i]
	if st.StallKW == 0 && i+30 < len(f.Steps) { // handshake or replug: what comes after it
		st = f.Steps[i+30]
	}
	if car {
		return st.PackKW, true
	}
	return st.StallKW, true
}

// stepAt gives the index of the first step at or above a state of charge.
func stepAt(f *forecast.Forecast, soc float64) int {
	i, _ := slices.BinarySearchFunc(f.Steps, soc, func(st forecast.Step, soc float64) int {
		return cmp.Compare(st.SoCPct, soc)
	})
	return i
}
