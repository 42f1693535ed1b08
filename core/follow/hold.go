package follow

import (
	"fmt"
	"math"
	"slices"

	"zincroad/core/ceiling"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trace"
	"zincroad/core/words"
)

// What counts as flat over the last lookS seconds: a spread of so much of the mean,
// or so little in the unit itself.
const (
	lookS     = 90
	leastN    = 4
	flatShare = 0.012
	flatAmps  = 2.0
	flatKW    = 1.0
	nearShare = 0.03 // a rating is meant when the reading is so near to it
)

// stretch is the recent part of a series.
type stretch struct {
	mean, spread, rise float64 // rise: last less first, of a line through the points
	n                  int
}

func recent(s trace.Series, now float64) stretch {
	i, _ := slices.BinarySearch(s.T, now-lookS)
	t, v := s.T[i:], s.V[i:]
	out := stretch{n: len(v)}
	if len(v) == 0 {
		return out
	}
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
		out.rise = tv / tt * (t[len(t)-1] - t[0])
	}
	return out
}

// flat tells whether a stretch stays level; few readings say nothing.
func (s stretch) flat(least float64) bool {
	return s.n >= leastN && s.spread <= max(least, flatShare*math.Abs(s.mean))
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

// holding is what seems to hold the power in the last minute and a half before the
// moment of the feeds.
func (s *State) holding(f *feeds, plan forecast.Plan, pluggedS float64) *Holding {
	if s.KW.V < 1 {
		return &Holding{ceiling.Paused, "no power is flowing", true}
	}
	kw, amps := recent(f.kw, f.now), recent(f.amps, f.now)
	if pluggedS < 150 && kw.n >= 2 && kw.rise > 0.1*kw.mean {
		return &Holding{ceiling.Ramp, "the power is still climbing after plug-in", true}
	}
	l, p := limitsOf(plan)
	for _, by := range []func() *Holding{
		func() *Holding { return byOffer(f, plan.Stall) },
		func() *Holding { return byCurrent(amps, kw, l) },
		func() *Holding { return byHalf(kw, plan.Stall) },
		func() *Holding { return byPower(kw, amps, l) },
		func() *Holding { return s.byPack(kw, plan, p) },
		func() *Holding { return byFall(f, pluggedS) },
	} {
		if h := by(); h != nil {
			return h
		}
	}
	return s.undecided(plan, p)
}

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

// byCurrent: amps level while the power creeps up.
func byCurrent(amps, kw stretch, l *stall.Limits) *Holding {
	if !amps.flat(flatAmps) || amps.mean < 5 || kw.rise < -0.01*kw.mean {
		return nil
	}
	at := words.Figure(amps.mean, 0)
	switch {
	case near(amps.mean, l.StallA):
		return &Holding{ceiling.StallCurrent, fmt.Sprintf("amps are flat at %s: the stall's limit, %s A", at, words.Figure(l.StallA, 0)), true}
	case near(amps.mean, l.AdapterA):
		return &Holding{ceiling.AdapterCurrent, fmt.Sprintf("amps are flat at %s: the adapter's limit, %s A", at, words.Figure(l.AdapterA, 0)), true}
	case near(amps.mean, l.CarA):
		return &Holding{ceiling.CarCurrent, fmt.Sprintf("amps are flat at %s: the car's limit, %s A", at, words.Figure(l.CarA, 0)), true}
	case kw.rise < 0.002*kw.mean || 2*math.Abs(amps.rise)*kw.mean > kw.rise*amps.mean:
		return nil // amps move as much as kW: a limit in kW looks the same
	case amps.mean < l.StallA:
		return &Holding{ceiling.StallCurrent, fmt.Sprintf("amps are flat at %s, under every rating noted: stall, cable or car", at), false}
	}
	return nil
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

// byHalf: kW level at half of what a shared cabinet has.
func byHalf(kw stretch, t *run.Stall) *Holding {
	if t == nil || !kw.flat(flatKW) {
		return nil
	}
	if shared, ok := run.Known(t.SharedKW); ok && near(kw.mean, shared/2) {
		return &Holding{ceiling.SharedCabinet, fmt.Sprintf("flat at %s kW, half of the cabinet's %s: look for a neighbour", words.Figure(kw.mean, 0), words.Figure(shared, 0)), false}
	}
	return nil
}

// byPower: kW level.
func byPower(kw, amps stretch, l *stall.Limits) *Holding {
	if !kw.flat(flatKW) {
		return nil
	}
	at := words.Figure(kw.mean, 0)
	falling := amps.n >= leastN && amps.rise < 0
	switch {
	case l.Converter && kw.mean >= 0.9*l.ConverterKW && kw.mean <= 1.1*l.ConverterKW:
		return &Holding{ceiling.CarConverter, fmt.Sprintf("flat at %s kW: the car's converter, %s kW", at, words.Figure(l.ConverterKW, 0)), true}
	case near(kw.mean, l.CarKW):
		return &Holding{ceiling.CarPower, fmt.Sprintf("flat at %s kW: the car's limit, %s kW", at, words.Figure(l.CarKW, 0)), true}
	case kw.mean >= 0.85*l.StallKW && kw.mean <= 1.03*l.StallKW:
		return &Holding{ceiling.StallPower, fmt.Sprintf("flat at %s kW, just under the stall's %s", at, words.Figure(l.StallKW, 0)), falling || kw.mean > 0.93*l.StallKW}
	}
	return nil
}

// byPack: what the battery itself would take, cold or warm.
func (s *State) byPack(kw stretch, plan forecast.Plan, p *pack.Pack) *Holding {
	now, soc := s.KW.V, s.learntAt
	if p == nil || math.IsNaN(soc) {
		return nil
	}
	taper := p.Taper(plan.Car, plan.Gentle)
	warm := taper.KW(soc)
	if s.Coldest.Known() && s.Coldest.V < p.WarmC-2 {
		share := p.ColdShare(s.Coldest.V)
		if now < 0.92*warm && math.Abs(now-share*warm) < 0.25*warm {
			return &Holding{ceiling.Cold, fmt.Sprintf("the coldest cell has %s °C, the car likes %s: about %s %% of its %s kW", words.Figure(s.Coldest.V, 0),
				words.Figure(p.WarmC, 0), words.Figure(share*100, 0), words.Figure(warm, 0)), kw.rise > 0}
		}
	}
	if s.Warmest.Known() && s.Warmest.V > p.HotC && now < 0.92*warm {
		return &Holding{ceiling.Hot, fmt.Sprintf("the warmest cell has %s °C", words.Figure(s.Warmest.V, 0)), false}
	}
	if math.Abs(now-warm) < 0.1*warm+1 {
		cause, what := ceiling.PackTaper, "the pack's own taper"
		if taper.AtStep(soc) {
			cause, what = ceiling.SoCStep, "the pack's step at this charge"
		}
		return &Holding{cause, fmt.Sprintf("%s kW at %s %% is %s", words.Figure(now, 0), words.Figure(soc, 0), what), true}
	}
	return nil
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
	i, _ := slices.BinarySearchFunc(f.Steps, soc, func(st forecast.Step, soc float64) int {
		switch {
		case st.SoCPct < soc:
			return -1
		case st.SoCPct > soc:
			return 1
		}
		return 0
	})
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

// expect works the rest of the run out, with what it has shown so far.
func (s *State) expect(plan forecast.Plan, sinceZero float64) {
	soc := s.charge()
	if plan.Car == nil || math.IsNaN(soc) || soc >= plan.ToPct {
		return
	}
	rest := s.learned(plan, soc)
	f, err := forecast.Of(rest, forecast.Uncertainty{TaperPct: 5, BatteryK: 1})
	if err != nil || f.Note != "" {
		return
	}
	at := func(pct float64) *Expect {
		if p, ok := f.Post(pct); ok {
			return &Expect{pct, sinceZero + p.TS, sinceZero + p.LowS, sinceZero + p.HighS}
		}
		return nil
	}
	s.End = at(plan.ToPct)
	if next := 10 * (math.Floor(soc/10) + 1); next < plan.ToPct {
		s.Next = at(next)
	}
}

// learned is the plan of what is left: from here, with the temperatures read, and
// with the limit that seems to hold taken for what it is.
func (s *State) learned(plan forecast.Plan, soc float64) forecast.Plan {
	rest := plan
	rest.FromPct, rest.HandshakeS, rest.ReplugAtPct, rest.NeighbourS = soc, 1, 0, 0
	if s.Coldest.Known() {
		rest.Battery = pack.Nodes{ColdestC: s.Coldest.V, WarmestC: s.Coldest.V + 4}
		if s.Warmest.Known() {
			rest.Battery.WarmestC = s.Warmest.V
		}
	} else if s.Forecast != nil {
		for _, st := range s.Forecast.Steps {
			if st.SoCPct >= soc {
				rest.Battery = st.Battery
				break
			}
		}
	}
	kw := s.KW.V
	if s.learnt == nil || kw < 1 {
		return rest
	}
	limit := run.Stall{}
	if plan.Stall != nil {
		limit = *plan.Stall
	}
	switch s.learnt.Cause {
	case ceiling.StallCurrent, ceiling.AdapterCurrent, ceiling.CarCurrent:
		amps := s.Amps.V
		limit.MaxA, rest.Stall = &amps, &limit
	case ceiling.StallPower, ceiling.SharedCabinet, ceiling.CarPower, ceiling.CarConverter:
		limit.RatedKW, rest.Stall = &kw, &limit
		rest.Assumed.PowerSharePct = 100
	case ceiling.Ramp, ceiling.Paused:
	default:
		rest.TaperShare = s.share(rest, s.learntAt, kw)
	}
	return rest
}

// share is what the pack takes of what the forecast's rules would have it take.
func (s *State) share(rest forecast.Plan, soc, kw float64) float64 {
	p, err := pack.For(rest.Car)
	if err != nil {
		return 1
	}
	want := p.Taper(rest.Car, rest.Gentle).KW(soc) * p.ColdShare(rest.Battery.Ordered().ColdestC)
	if want <= 1 {
		return 1
	}
	return max(0.3, min(1.2, kw/want))
}
