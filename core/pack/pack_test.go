package pack_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/internal/oracle"
)

var n = run.N

// Rest voltages of NMC against graphite by the fitted functions of Chen et al.,
// J. Electrochem. Soc. 167 (2020) 080534 (coefficients and stoichiometric range from
// memory). That cell is emptied to 2.5 V; a car keeps about its lowest 8 % back
// (common practice, no source).
func TestNickelAgainstPublishedCell(t *testing.T) {
	p, err := pack.For(&run.Car{Chemistry: "NMC", UsableKWh: n(75), CellsInSeries: n(1)})
	require.NoError(t, err)
	for soc := 10.0; soc <= 95; soc += 5 {
		cell := 8 + 0.92*soc
		y := 0.9077 + (0.2661-0.9077)*cell/100
		x := 0.0279 + (0.9014-0.0279)*cell/100
		up := -0.8090*y + 4.4875 - 0.0428*math.Tanh(
			18.5138*(y-0.5542),
		) - 17.7326*math.Tanh(
			15.7890*(y-0.3117),
		) + 17.5842*math.Tanh(15.9308*(y-0.3120))
		un := 1.9793*math.Exp(-39.3631*x) + 0.2482 - 0.0909*math.Tanh(
			29.8538*(x-0.1234),
		) - 0.04478*math.Tanh(
			14.9159*(x-0.2769),
		) - 0.0205*math.Tanh(30.4444*(x-0.6103))
		assert.InDelta(t, up-un, p.RestV(soc), 0.12, "at %g %%", soc)
	}
}

// Iron phosphate by the fitted function of Prada et al., J. Electrochem. Soc. 160
// (2013) A616, against the graphite of Chen et al. (coefficients from memory); from
// 20 to 90 %, where the ends of the two cells do not matter.
func TestIronPhosphateAgainstPublishedCell(t *testing.T) {
	p, err := pack.For(&run.Car{Chemistry: "LFP", UsableKWh: n(52), CellsInSeries: n(1)})
	require.NoError(t, err)
	for soc := 20.0; soc <= 90; soc += 10 {
		cell := 8 + 0.92*soc // the same 8 % kept back
		y, x := 1-cell/100, 0.0279+(0.9014-0.0279)*cell/100
		up := 3.4077 - 0.020269*y + 0.5*math.Exp(-150*y) - 0.9*math.Exp(-30*(1-y))
		un := 1.9793*math.Exp(-39.3631*x) + 0.2482 - 0.0909*math.Tanh(
			29.8538*(x-0.1234),
		) - 0.04478*math.Tanh(
			14.9159*(x-0.2769),
		) - 0.0205*math.Tanh(30.4444*(x-0.6103))
		assert.InDelta(t, up-un, p.RestV(soc), 0.06, "at %g %%", soc)
	}
}

// Iron phosphate is flat and nickel climbs (common practice, no source).
func TestChemistriesDiffer(t *testing.T) {
	climb := func(chemistry string) float64 {
		p, err := pack.For(&run.Car{Chemistry: chemistry, UsableKWh: n(60), CellsInSeries: n(1)})
		require.NoError(t, err)
		return p.RestV(80) - p.RestV(20)
	}
	assert.Less(t, climb("LFP"), 0.1)
	assert.Greater(t, climb("NMC"), 0.35)
}

func TestAmpsAndHeatByHand(t *testing.T) {
	// 400 V at rest, 0.1 Ω, 100 A: 410 V at the terminals, 41 kW, 1 kW of heat.
	assert.InDelta(t, 100, pack.Amps(41, 400, 0.1), 1e-9)
	assert.InDelta(t, 1, pack.HeatKW(100, 0.1), 1e-12)
	assert.Zero(t, pack.Amps(-3, 400, 0.1))
	assert.InDelta(t, 102.5, pack.Amps(41, 400, 0), 1e-9)
	// 399 V at 250 A is about 100 kW (common practice, no source).
	assert.InDelta(t, 250, pack.Amps(99.75, 399, 0), 1e-9)
}

func TestColdAndFaults(t *testing.T) {
	p, err := pack.For(&run.Car{UsableKWh: n(60), WarmC: n(24)})
	require.NoError(t, err)
	assert.InDelta(t, 0.5, p.ColdShare(13), 1e-9, "a pack at 13 °C took half; common practice, no source")
	assert.Equal(t, 1.0, p.ColdShare(30))
	assert.Zero(t, p.ColdShare(-30), "a frozen pack takes nothing; common practice, no source")
	assert.InDelta(t, 2, p.Ohm(50, 0)/p.Ohm(50, 25), 0.15)
	_, err = pack.For(&run.Car{})
	assert.ErrorIs(t, err, pack.ErrCapacity)
	_, err = pack.For(&run.Car{UsableKWh: n(60), PackMinV: n(400), PackMaxV: n(300)})
	assert.ErrorIs(t, err, pack.ErrVoltages)
}

// Common practice, no source: a 1.3 kW heater ran 60 minutes and raised a pack from
// 6 to 7 °C to 11 at the coldest and 14 at the warmest cell. Within 2.5 K, with the
// package's one set of parameters for 450 kg.
func TestSmallHeater(t *testing.T) {
	p, err := pack.For(&run.Car{UsableKWh: n(72), BatteryMassKg: n(450)})
	require.NoError(t, err)
	nodes := pack.Nodes{ColdestC: 6, WarmestC: 7}
	for range 3600 {
		nodes = p.Thermal.Step(nodes, 1, 0, 1.3, pack.Surroundings{AmbientC: 6})
	}
	assert.InDelta(t, 11, nodes.ColdestC, 2.5)
	assert.InDelta(t, 14, nodes.WarmestC, 2.5)
}

// The two nodes against SciPy's solve_ivp, from the same balance written out there.
func TestNodesAgainstSciPy(t *testing.T) {
	p, err := pack.For(&run.Car{UsableKWh: n(72), BatteryMassKg: n(450)})
	require.NoError(t, err)
	nodes := pack.Nodes{ColdestC: 2, WarmestC: 5}
	for range 5400 {
		nodes = p.Thermal.Step(nodes, 1, 3, 2, pack.Surroundings{AmbientC: -5, SpeedKmh: 50})
	}
	var want [2]float64
	oracle.SciPy(t, `
from scipy.integrate import solve_ivp
d = data
def f(t, y):
    c, w = y
    q = d["g"] * (w - c)
    return [2 / d["cap"] * (0.42 * 3 + 0.38 * 2 * d["share"] + q - 0.6 * d["loss"] * (c + 5)),
            2 / d["cap"] * (0.58 * 3 + 0.62 * 2 * d["share"] - q - 0.4 * d["loss"] * (w + 5))]
r = solve_ivp(f, (0, 5400), [2, 5], rtol=1e-9, atol=1e-9)
out = [r.y[0][-1], r.y[1][-1]]
`, map[string]float64{"g": 0.028, "cap": 472.5, "share": 0.7, "loss": 0.030}, &want)
	assert.InDelta(t, want[0], nodes.ColdestC, 0.01)
	assert.InDelta(t, want[1], nodes.WarmestC, 0.01)
}

// A car whose envelope nobody has drawn: by its kind. The shape of a high peak falls
// early, that of a modest one holds past half; between two kinds there is no jump; an
// iron-phosphate pack holds longer than a nickel pack of the same peak.
func TestTaperByKindOfCar(t *testing.T) {
	share := func(chemistry string, c, soc float64) float64 {
		car := &run.Car{Chemistry: chemistry, UsableKWh: run.N(80), MaxKW: run.N(80 * c)}
		p, err := pack.For(car)
		require.NoError(t, err)
		taper := p.Taper(car, false)
		assert.True(t, taper.Assumed)
		assert.InDelta(t, 80*c, taper.PeakKW(), 1e-9)
		return taper.KW(soc) / taper.PeakKW()
	}
	assert.Less(t, share("NMC", 3.1, 45), 0.65)
	assert.Equal(t, 1.0, share("NMC", 1, 45))
	assert.Greater(t, share("LFP", 2, 45), share("NMC", 2, 45))
	for _, soc := range []float64{20, 45, 70, 90} {
		for c := 0.8; c < 3.4; c += 0.05 {
			assert.InDelta(t, share("NMC", c, soc), share("NMC", c+0.05, soc), 0.03)
		}
	}
	car := &run.Car{UsableKWh: run.N(80), Envelope: []run.Point{{SoCPct: 0, KW: 100}}}
	p, err := pack.For(car)
	require.NoError(t, err)
	assert.False(t, p.Taper(car, false).Assumed)
}

// 270 kW at 400 A are 675 V: no 400 V class pack. Without amps, or with limits that no pack has, one stands in.
func TestCellsFollowFromTheCarsLimits(t *testing.T) {
	p, err := pack.For(&run.Car{UsableKWh: run.N(90), MaxKW: run.N(270), MaxA: run.N(400)})
	require.NoError(t, err)
	assert.InDelta(t, 675/3.67, p.Cells, 4)
	assert.Contains(t, p.Assumed[1].From.Kept(), "270 kW at 400 A are 675 V")
	for _, c := range []*run.Car{{UsableKWh: run.N(90), MaxKW: run.N(270)},
		{UsableKWh: run.N(90), MaxKW: run.N(270), MaxA: run.N(50)}} {
		p, err = pack.For(c)
		require.NoError(t, err)
		assert.Equal(t, 96.0, p.Cells)
	}
}
