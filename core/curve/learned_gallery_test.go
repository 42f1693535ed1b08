package curve_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
)

// Cars whose behaviour is noted nowhere, of three models that share nothing with the arithmetic, charge a few times at
// whatever stalls there are, warm and cold; what that taught must foretell how they charge elsewhere.

// outing is where and how a car charges once.
type outing struct {
	stallKW, stallA, gives, airC, coldC, fromPct, toPct float64
}

// anyOuting is one of those that people have: two in five start cold, one in four stalls gives less than its label.
func anyOuting(rng *rand.Rand, warmC float64) outing {
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	o := outing{stallKW: []float64{50, 100, 150, 150, 200, 300, 400}[rng.IntN(7)], gives: 1, airC: between(-5, 25),
		fromPct: math.Round(between(5, 20)), toPct: math.Round(between(80, 90))}
	o.stallA = map[float64]float64{50: 125, 100: 250, 150: 400, 200: 500, 300: 500, 400: 600}[o.stallKW]
	if rng.IntN(4) == 0 {
		o.gives = between(0.88, 0.98)
	}
	o.coldC = warmC + between(-1, 7)
	if rng.IntN(5) < 2 {
		o.coldC = between(3, 18)
	}
	return o
}

// learnable is one car of one model: what it does on an outing.
type learnable struct {
	warmC float64
	car   *run.Car
	drive func(o outing, seed uint64) ([]second, *trace.Recording, *trace.Recording)
}

func firstKind(seed uint64) learnable {
	base := newModel(rand.New(rand.NewPCG(seed, 61)))
	base.pauseS = 0
	return learnable{base.warmC, &run.Car{Name: "Alder", Chemistry: chemistryOf(base.iron)},
		func(o outing, seed uint64) ([]second, *trace.Recording, *trace.Recording) {
			m := *base
			m.rng = rand.New(rand.NewPCG(seed, 62))
			m.stallKW, m.stallA, m.label, m.cold = o.stallKW*o.gives, o.stallA, 1, o.coldC
			m.fromPct, m.toPct = o.fromPct, o.toPct
			seconds, car, stall, _ := m.play()
			return seconds, car, stall
		}}
}

func thirdKind(seed uint64) learnable {
	base := newAmped(seed + 9000)
	base.converterKW, base.adapterA, base.neighbourS, base.hotCable, base.replugPct = 0, math.Inf(1), 0, false, 0
	base.tripS, base.timerS, base.cooling, base.cells = math.Inf(1), math.Inf(1), 6, min(base.cells, 108)
	base.pauseS, base.faultShare = 0, 1
	return learnable{base.warmC, &run.Car{Name: "Rowan", Chemistry: chemistryOf(base.iron)},
		func(o outing, seed uint64) ([]second, *trace.Recording, *trace.Recording) {
			m, own := *base, *base.model
			m.model = &own
			m.rng = rand.New(rand.NewPCG(seed, 63))
			m.stallKW, m.stallA, m.label, m.cold = o.stallKW*o.gives, o.stallA, 1, o.coldC
			m.fromPct, m.toPct = o.fromPct, o.toPct
			seconds, car, stall, _ := m.play()
			return seconds, car, stall
		}}
}

func fifthKind(seed uint64) learnable {
	base := newModular(seed + 900)
	base.lentS, base.cableFromS = math.Inf(1), math.Inf(1)
	return learnable{base.warmC, &run.Car{Name: "Hazel", Chemistry: "NMC"},
		func(o outing, seed uint64) ([]second, *trace.Recording, *trace.Recording) {
			m, own := *base, *base.model
			m.model = &own
			m.rng = rand.New(rand.NewPCG(seed, 64))
			m.stallKW, m.stallA, m.gives, m.airC, m.fromC = o.stallKW, o.stallA, o.gives, o.airC, o.coldC
			m.fromPct, m.toPct = o.fromPct, o.toPct
			return m.play()
		}}
}

func chemistryOf(iron bool) string {
	if iron {
		return "LFP"
	}
	return "NMC"
}

// outingRun is an outing as somebody would log and note it.
func (x learnable) outingRun(o outing, seed uint64) (*run.Run, []second) {
	seconds, car, stall := x.drive(o, seed)
	m := &model{rng: rand.New(rand.NewPCG(seed, 65))}
	without(car, trace.RequestedPower, trace.AmbientTemp)
	without(stall, trace.SoC, trace.BatteryTempMin, trace.BatteryTempMax, trace.InletTemp, trace.RequestedPower,
		trace.AmbientTemp)
	m.wobble(car, 0.004)
	m.wobble(stall, 0.003)
	round(car, trace.SoC, 0.5)
	round(car, trace.BatteryTempMin, 1)
	round(car, trace.BatteryTempMax, 1)
	return &run.Run{Title: fmt.Sprintf("%s, outing %d", x.car.Name, seed),
		StartedAt: time.Unix(int64(seed)*86400, 0).UTC(),
		Car:       x.car, Stall: &run.Stall{RatedKW: n(o.stallKW), MaxA: n(o.stallA), MaxV: n(1000)},
		Conditions: &run.Condition{AmbientC: n(math.Round(o.airC))}, Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}},
		Recordings: []*trace.Recording{car, stall}}, seconds
}

// taughtBy is what some runs taught.
func taughtBy(car *run.Car, runs []*run.Run) *vehicle.Model {
	taught := make([]curve.Taught, len(runs))
	for i, r := range runs {
		taught[i] = curve.Of(r).Taught()
	}
	return curve.Learn(car, "", taught, nil).Car
}

// tookS is how long a session took to come from one charge to another, s.
func tookS(seconds []second, from, to float64) float64 {
	a, b := math.NaN(), math.NaN()
	for _, s := range seconds {
		if math.IsNaN(a) && s.soc >= from {
			a = s.t
		}
		if math.IsNaN(b) && s.soc >= to {
			b = s.t
		}
	}
	return b - a
}

// foretellings are how sessions were foretold that no run taught.
type foretellings struct {
	near, within, all float64
	widths            []float64
	said              []string
}

// nearShare is how near a time must be foretold to be near.
const nearShare = 0.05

// foretold teaches some cars of one kind by five runs each, and foretells four more of each.
func foretold(t *testing.T, of func(uint64) learnable, kind, from, cars uint64) (out foretellings) {
	t.Helper()
	for car := from; car < from+cars; car++ {
		x := of(car)
		rng := rand.New(rand.NewPCG(car, kind))
		var runs []*run.Run
		for i := range uint64(5) {
			r, _ := x.outingRun(anyOuting(rng, x.warmC), 100*car+i)
			runs = append(runs, r)
		}
		m := taughtBy(x.car, runs)
		for i := range uint64(4) {
			o := anyOuting(rng, x.warmC)
			_, seconds := x.outingRun(o, 100*car+50+i)
			to := min(80, seconds[len(seconds)-1].soc)
			took := tookS(seconds, o.fromPct, to)
			f, err := forecast.Of(forecast.Plan{Car: x.car, Known: m, Stall: &run.Stall{RatedKW: n(o.stallKW),
				MaxA: n(o.stallA), MaxV: n(1000)}, FromPct: o.fromPct, ToPct: to, AmbientC: o.airC,
				Battery: pack.Nodes{ColdestC: o.coldC, WarmestC: o.coldC}}, forecast.DefaultUncertainty)
			require.NoError(t, err)
			out.add(f, took, o, to)
		}
	}
	return out
}

func (x *foretellings) add(f *forecast.Forecast, took float64, o outing, to float64) {
	x.all++
	w, ok := f.Window(o.fromPct, to)
	if !ok {
		x.said = append(x.said, f.Note.Kept())
		return
	}
	if math.Abs(w.TS/took-1) <= nearShare {
		x.near++
	}
	if took >= w.LowS && !(took > w.HighS) {
		x.within++
	}
	x.widths = append(x.widths, (w.HighS-w.LowS)/w.TS)
	x.said = append(x.said,
		fmt.Sprintf("%.0f kW giving %.2f, %.0f °C: took %.0f s, foretold %.0f (%+.1f %%), %.0f to %.0f",
			o.stallKW, o.gives, o.coldC, took, w.TS, 100*(w.TS/took-1), w.LowS, w.HighS))
}

// What five runs taught of a car foretells sessions at other stalls and other temperatures. The third kind has no
// cooling at all and a resistance that does not fall with warmth, as no car does: only its ranges are held.
func TestLearnedCarsAreForetold(t *testing.T) {
	for _, k := range []struct {
		name         string
		of           func(uint64) learnable
		near, within float64 // % of the sessions
	}{
		{"first", firstKind, 55, 85},
		{"third", thirdKind, 55, 85},
		{"fifth", fifthKind, 10, 55},
	} {
		x := foretold(t, k.of, uint64(len(k.name)), 0, 4)
		t.Logf("%s: near %.0f, within %.0f of %.0f, middle width %.0f %%", k.name, x.near, x.within, x.all,
			100*trace.Median(x.widths))
		said := strings.Join(x.said, "\n")
		assert.GreaterOrEqual(t, share(x.near, x.all), k.near, "%s\n%s", k.name, said)
		assert.GreaterOrEqual(t, share(x.within, x.all), k.within, "%s\n%s", k.name, said)
		assert.LessOrEqual(t, trace.Median(x.widths), 0.25, k.name)
	}
}
