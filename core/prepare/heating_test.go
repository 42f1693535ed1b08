package prepare

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"

	"zincroad/core/pack"
	"zincroad/core/run"
)

func heatingPlan(stopC run.Number) Plan {
	return Plan{
		Car: &run.Car{UsableKWh: run.N(75), CellsInSeries: run.N(96), BatteryMassKg: run.N(460), HeaterKW: run.N(4.4),
			Preconditioning: "manual", ConsumptionWhKm: run.N(200), HeaterStopC: stopC},
		Stall:  &run.Stall{RatedKW: run.N(350)},
		NowPct: 60, Now: pack.Nodes{ColdestC: 5, WarmestC: 5}, FromPct: 10, ToPct: 80, Km: 18, Road: Road{AmbientC: 2},
		BurnPct: DefaultBurnPct,
	}
}

func driverOf(t require.TestingT, p Plan) *driver {
	made, err := pack.For(p.Car)
	require.NoError(t, err)
	return newDriver(p, made)
}

// However it is driven, warmed and parked: no more heat reaches the pack than was burnt for it, and the charge ends
// where the plan wants it.
func TestHeatIsNeverMoreThanWasBurnt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := heatingPlan(nil)
		p.NowPct = rapid.Float64Range(20, 95).Draw(t, "now")
		p.Road.SpeedKmh = rapid.Float64Range(40, 160).Draw(t, "speed")
		p.Road.AmbientC = rapid.Float64Range(-20, 35).Draw(t, "outside")
		p.Car.UsableKWh = run.N(rapid.Float64Range(20, 120).Draw(t, "kWh"))
		p.Now = pack.Nodes{ColdestC: p.Road.AmbientC, WarmestC: p.Road.AmbientC}
		p.Km = 5
		if rapid.Bool().Draw(t, "stops by itself") {
			p.Car.HeaterStopC = run.N(rapid.Float64Range(0, 25).Draw(t, "at"))
		}
		w := rapid.SampledFrom([]Way{Nothing, Steady, Heater, AtHome, AtTheSite, Hard, HeaterHard}).Draw(t, "way")
		d := driverOf(t, p)
		if d.budget <= d.direct {
			return
		}
		a := d.approach(w, rapid.Float64Range(60, 7200).Draw(t, "warm"))
		m := d.begin
		for i := range a.Phases {
			ph := &a.Phases[i]
			for s := ph.FromS; s < ph.ToS; s += stepS {
				if heat := d.heatKW(ph, m.SoCPct, m.Battery) + ph.HeaterKW; heat > ph.KW+1e-9 {
					t.Fatalf("%s: %g kW of heat of %g burnt", ph.Kind, heat, ph.KW)
				}
				m.Battery = d.step(ph, m.SoCPct, m.Battery, stepS)
			}
		}
		if end := a.Plug().SoCPct; end < p.FromPct-0.05 || end > p.FromPct+0.05 {
			t.Fatalf("%s ends at %g %%, wanted %g", w, end, p.FromPct)
		}
	})
}

// Hard driving heats by what it burns: at half the speed it burns less and warms less; testers see ten to fifteen
// kelvin in a quarter to half an hour (common practice, no source).
func TestHardDrivingFollowsTheSpeed(t *testing.T) {
	warmed := func(kmh float64) float64 {
		p := heatingPlan(nil)
		p.Road.SpeedKmh, p.NowPct = kmh, 80
		d := driverOf(t, p)
		ph := d.phase(Warm, 0.5, hardFactor*d.driveKW, 0)
		ph.hard = true
		return d.before([]Phase{ph}).Battery.Ordered().ColdestC - p.Now.ColdestC
	}
	slow, fast := warmed(60), warmed(120)
	assert.Greater(t, fast, 1.5*slow)
	assert.True(t, fast > 10 && fast < 25, "%g K", fast)
}

// A heater that stops by itself at 13 °C heats from the start until it does, in every way that it takes part in, and
// no way promises by it what it cannot give.
func TestAHeaterThatStopsByItself(t *testing.T) {
	const stop = 13.0
	d := driverOf(t, heatingPlan(run.N(stop)))
	for _, w := range []Way{Heater, AtHome, AtTheSite, HeaterHard, ChargedHeater} {
		a := d.approach(w, heatLongest)
		heated := 0.0
		for _, ph := range a.Phases {
			if ph.HeaterKW > 0 {
				heated += ph.ToS - ph.FromS
				for _, m := range a.Moments {
					if m.TS > ph.FromS && m.TS < ph.ToS {
						assert.LessOrEqual(t, m.Battery.Ordered().ColdestC, stop+0.5, "%s, heater on", w)
					}
				}
			}
		}
		if w != ChargedHeater { // behind a charge the pack is warmer than that
			assert.Greater(t, heated, 600.0, "%s: from 5 to 13 °C takes a while", w)
		}
	}
	a := d.approach(Heater, heatLongest)
	require.NotEmpty(t, a.Phases)
	assert.Positive(t, a.Phases[0].HeaterKW, "from the start")
	free := driverOf(t, heatingPlan(nil)).approach(Heater, heatLongest)
	assert.Less(t, a.Plug().Battery.Ordered().ColdestC, free.Plug().Battery.Ordered().ColdestC-3)
}
