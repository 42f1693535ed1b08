package bench

import (
	"crypto/sha256"
	"encoding/json"
	"math"
	"slices"
	"sync"

	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// whatIf works out what conditions could come to in one window, each forecast once.
type whatIf struct {
	entries  []Entry
	from, to float64
	bases    []int // the reference, and the run furthest from it
	kept     Forecasts

	mu   sync.Mutex // over what follows: conditions are gone through side by side
	cars map[*run.Car]*run.Car
	done map[forecast.Plan]func() float64
}

func newWhatIf(entries []Entry, bases []int, window Span, kept Forecasts) *whatIf {
	return &whatIf{entries: entries, from: window.FromPct, to: window.ToPct, bases: bases, kept: kept,
		cars: map[*run.Car]*run.Car{}, done: map[forecast.Plan]func() float64{}}
}

// took is the window's time of a run with one condition changed; NaN where it cannot be worked out.
func (w *whatIf) took(e Entry, change func(*forecast.Plan)) float64 {
	p, ok := planOf(e, w.from, w.to)
	if !ok {
		return math.NaN()
	}
	w.mu.Lock()
	p.Car = w.car(e.Run.Car)
	change(&p)
	once, ok := w.done[p]
	if !ok {
		once = sync.OnceValue(func() float64 { return w.timeOf(p) })
		w.done[p] = once
	}
	w.mu.Unlock()
	return once()
}

// Forecasts keeps how long plans take, from one comparison to the next: the same runs are looked at again and again. It
// is asked side by side.
type Forecasts interface {
	Get(plan string) (tookS float64, known bool)
	Add(plan string, tookS float64) (forgot bool)
}

// timeOf is how long a plan takes for the window, s; NaN where it does not cover it.
func (w *whatIf) timeOf(p forecast.Plan) float64 {
	plan, all := named(p)
	if all && w.kept != nil {
		if tookS, known := w.kept.Get(plan); known {
			return tookS
		}
	}
	tookS := math.NaN()
	// It begins at the window's first post, and ends at its last.
	if f, err := forecast.Quick(p); err == nil && !f.Note.Any() {
		tookS = f.TS
	}
	if all && w.kept != nil {
		w.kept.Add(plan, tookS)
	}
	return tookS
}

// named is a name that a plan shares with its equals alone, whatever its pointers are; false where it has none.
func named(p forecast.Plan) (name string, ok bool) {
	if p.Known != nil { // what a car's runs taught is not written out
		return "", false
	}
	text, err := json.Marshal(p)
	if err != nil {
		return "", false
	}
	sum := sha256.Sum256(text)
	return string(sum[:]), true
}

// car is a run's car that takes no less than the runs on the bench show of it: a curve that was noted
// or is only its kind's, and lies below what it took at a post, would make a stall that held it look
// like one that does not matter.
func (w *whatIf) car(c *run.Car) *run.Car {
	if out, ok := w.cars[c]; ok {
		return out
	}
	out := *c
	w.cars[c] = &out
	p, err := pack.For(c)
	if err != nil {
		return &out
	}
	shown := map[float64]float64{}
	for _, e := range w.entries {
		if carOf(e).Name != c.Name {
			continue
		}
		share := 1.0
		if e.Reading.Side == trace.StallSide {
			share = judge.PackShare
		}
		for _, post := range e.Reading.Posts {
			if post.PowerKW != nil {
				shown[post.SoCPct] = max(shown[post.SoCPct], *post.PowerKW*share)
			}
		}
	}
	taper, above, most := p.Taper(c, false), false, 0.0
	points := make([]run.Point, 0, len(shown)+100)
	for soc := 0.0; soc <= 100; soc++ {
		kw := taper.KW(soc)
		if v, ok := shown[soc]; ok && v > kw {
			kw, above = v, true
		}
		points = append(points, run.Point{SoCPct: soc, KW: kw})
		most = max(most, shown[soc])
	}
	if above {
		out.Envelope = raised(points, shown)
	}
	if kw, ok := run.Known(c.MaxKW); ok && most > kw {
		out.MaxKW = run.N(most)
	}
	return &out
}

// raised lifts a curve by each per cent to the straight lines between neighbouring posts.
func raised(points []run.Point, shown map[float64]float64) []run.Point {
	last := math.NaN()
	for soc := 0.0; soc <= 100; soc++ {
		if _, ok := shown[soc]; !ok {
			continue
		}
		for between := last + 1; between < soc; between++ {
			share := (between - last) / (soc - last)
			kw := shown[last] + share*(shown[soc]-shown[last])
			points[int(between)].KW = max(points[int(between)].KW, kw)
		}
		last = soc
	}
	return points
}

// effect is how much a condition could matter in the window, in s: by the forecast run both ways,
// between its two values that lie furthest apart (of words, the two bases'), with all else as the
// reference has it and as the run furthest from that has it; nil where it cannot be worked out. The
// range is what the model leaves open: half of the least to half as much again as the most (common
// practice, no source).
func (w *whatIf) effect(name string, values []Value) (low, high *float64) {
	if !(w.to > w.from) {
		return nil, nil
	}
	ends := w.bases
	if a, b, _ := extremes(values); a != b && name != "preconditioned" {
		ends = []int{slices.Index(values, a), slices.Index(values, b)}
	}
	if len(ends) < 2 || values[ends[0]] == values[ends[1]] {
		for i, v := range values {
			if v != values[ends[0]] && v.Noted() {
				ends = []int{ends[0], i}
				break
			}
		}
	}
	least, most := math.Inf(1), math.Inf(-1)
	for _, base := range w.bases {
		var took [2]float64
		for k, i := range ends[:min(2, len(ends))] {
			change, ok := changeTo(name, w.entries[i])
			if !ok {
				return nil, nil
			}
			took[k] = w.took(w.entries[base], change)
		}
		by := math.Abs(took[1] - took[0])
		if math.IsNaN(by) {
			return nil, nil
		}
		least, most = math.Min(least, by), math.Max(most, by)
	}
	a, b := 0.5*least, 1.5*most
	return &a, &b
}

// planOf is a run as a forecast would have planned it, over a window; false without a capacity.
func planOf(e Entry, from, to float64) (forecast.Plan, bool) {
	if e.Run.Car == nil {
		return forecast.Plan{}, false
	}
	if _, err := pack.For(e.Run.Car); err != nil {
		return forecast.Plan{}, false
	}
	p := forecast.Plan{Car: e.Run.Car, Stall: e.Run.Stall, Adapter: e.Run.Adapter, FromPct: from, ToPct: to, AmbientC: 15,
		Gentle: conditionsOf(e).Profile == "gentle"}
	if a := Outside(e); a != nil {
		p.AmbientC = *a
	}
	p.Battery = pack.Nodes{ColdestC: pack.DefaultWarmC, WarmestC: pack.DefaultWarmC + 2}
	if b := BatteryAtStart(e); b != nil {
		p.Battery = pack.Nodes{ColdestC: *b, WarmestC: *b + 2}
	}
	return p, true
}

// climateKW is what a cabin draws with its climate control on (common practice, no source).
const climateKW = 3.0

// changeTo is what a run's own value of a condition does to a plan; false where the forecast knows
// nothing of it.
func changeTo(name string, e Entry) (func(*forecast.Plan), bool) {
	switch name {
	case "ambient_c":
		a := Outside(e)
		if a == nil {
			return nil, false
		}
		return func(p *forecast.Plan) {
			p.AmbientC = *a
			if BatteryAtStart(e) == nil { // then the pack is as warm as the day, or what warmed it
				t := *a
				if pre := conditionsOf(e).Preconditioned; pre != "" && pre != "none" {
					t = max(t, pack.DefaultWarmC)
				}
				p.Battery = pack.Nodes{ColdestC: t, WarmestC: t + 2}
			}
		}, true
	case "battery_c":
		b := BatteryAtStart(e)
		if b == nil {
			return nil, false
		}
		return func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: *b, WarmestC: *b + 2} }, true
	case "preconditioned":
		b := BatteryAtStart(e)
		if b == nil {
			return nil, false
		}
		return func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: *b, WarmestC: *b + 2} }, true
	case "stall", "stall_kw":
		if e.Run.Stall == nil {
			return nil, false
		}
		return func(p *forecast.Plan) { p.Stall = e.Run.Stall }, true
	case "adapter":
		return func(p *forecast.Plan) { p.Adapter = e.Run.Adapter }, true
	case "climate":
		kw := 0.0
		if conditionsOf(e).Climate == "on" {
			kw = climateKW
		}
		return func(p *forecast.Plan) { p.ClimateKW = kw }, true
	case "profile":
		return func(p *forecast.Plan) { p.Gentle = conditionsOf(e).Profile == "gentle" }, true
	}
	return nil, false
}
