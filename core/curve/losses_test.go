package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// A pack of 96 cells with 0.08 Ω, 350 V at rest, that takes 100 A for half an hour and leaps to 200 A
// in the middle; the stall's volts are 2 V higher, its meter has 0.5 kW more, 0.4 of it a heater.
func TestLossesAndResistanceByHand(t *testing.T) {
	amps := func(at float64) float64 {
		if at >= 900 {
			return 200
		}
		return 100
	}
	car := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	stall := &trace.Recording{Name: "stall.csv", Side: trace.StallSide, Columns: map[trace.Channel][]float64{}}
	soc := 20.0
	for i := range 1801 {
		at := float64(i)
		a := amps(at)
		v := 350 + 0.08*a
		put := func(r *trace.Recording, c trace.Channel, x float64) { r.Columns[c] = append(r.Columns[c], x) }
		car.T, stall.T = append(car.T, at), append(stall.T, at)
		put(car, trace.Current, a)
		put(car, trace.Voltage, v)
		put(car, trace.Power, a*v/1000)
		put(car, trace.SoC, soc)
		put(car, trace.HeaterPower, 0.4)
		put(stall, trace.Power, a*(v+2)/1000+0.5)
		put(stall, trace.Voltage, v+2)
		soc += a * v / 3.6e6 / 75 * 100
	}
	r := of(car, stall)
	r.Car = &run.Car{CellsInSeries: run.N(96)}
	x := Read(r, Options{})
	require.NotNil(t, x.Losses)
	// Cable: 2 V at 100 A for 900 s and at 200 A for 900 s: 0.15 kWh. Heater 0.4 kW for half an hour: 0.2.
	near(t, 0.15, x.Losses.CableKWh, 0.001)
	near(t, 0.2, x.Losses.HeaterKWh, 0.001)
	assert.Nil(t, x.Losses.AuxKWh)
	assert.InDelta(t, 0.05, x.Losses.RestKWh, 0.002, "0.1 kW that nobody read")
	assert.InDelta(t, 0.4, x.Losses.LostKWh, 0.002)

	require.NotNil(t, x.Pack)
	assert.Equal(t, 1, x.Pack.Leaps)
	near(t, 0.08, x.Pack.ResistanceOhm, 1e-6)
	// 100² · 0.08 W for a quarter of an hour is 0.2 kWh, 200² · 0.08 is 0.8.
	near(t, 1.0, x.Pack.HeatKWh, 0.002)
	require.NotEmpty(t, x.Pack.RestPerCell)
	for _, rest := range x.Pack.RestPerCell {
		assert.InDelta(t, 350.0/96, rest.V, 1e-6)
	}
}

// 150 kW are asked for all along; for ten minutes in the middle 100 flow: 8.33 kWh less.
func TestLessThanRequested(t *testing.T) {
	kw := points{{0, 0}, {10, 0}, {30, 149}, {600, 149}, {601, 100}, {1200, 100}, {1201, 149}, {1800, 149}}
	stall := rec(trace.StallSide, 1, points{{0, 10}, {1800, 70}}, kw)
	asked := make([]float64, stall.Len())
	for i := range asked {
		asked[i] = 150
	}
	stall.Columns[trace.RequestedPower] = asked
	x := Read(of(stall), Options{})
	require.NotNil(t, x.Asked)
	assert.InDelta(t, 600, x.Asked.ShortS, 3)
	assert.InDelta(t, 50*600/3600.0, x.Asked.ShortKWh, 0.05)
	assert.InDelta(t, 601, x.Asked.FromS, 1.5)
	assert.Contains(t, find(t, x, AboutAsked).Text.Kept(), "Less than the car requested flowed for 10 min")

	all := rec(trace.StallSide, 1, points{{0, 10}, {1800, 70}}, points{{0, 149}, {1800, 149}})
	all.Columns[trace.RequestedPower] = asked
	assert.Contains(t, find(t, Read(of(all), Options{}), AboutAsked).Text.Kept(), "All that the car requested flowed")
}

// The stall's screen was read from the middle on: what was lost is 4 kW for a quarter of an hour, 1 kWh,
// of which a heater of 1 kW took 0.25; not 40 kWh less what flowed before anybody looked.
func TestLossesOfASideThatStartsLate(t *testing.T) {
	car := rec(trace.CarSide, 1, points{{0, 20}, {1800, 80}}, points{{0, 100}, {1800, 100}})
	car.Columns[trace.HeaterPower] = make([]float64, car.Len())
	for i := range car.T {
		car.Columns[trace.HeaterPower][i] = 1
	}
	stall := rec(trace.StallSide, 1, points{{900, 50}, {1800, 80}}, points{{900, 104}, {1800, 104}})
	from := 0
	for stall.T[from] < 900 {
		from++
	}
	late := &trace.Recording{Name: stall.Name, Side: stall.Side, T: stall.T[from:],
		Columns: map[trace.Channel][]float64{trace.Power: stall.Columns[trace.Power][from:]}}
	x := Read(of(car, late), Options{})
	require.NotNil(t, x.Losses)
	assert.InDelta(t, 1, x.Losses.LostKWh, 0.01)
	near(t, 0.25, x.Losses.HeaterKWh, 0.005)
	assert.InDelta(t, 0.75, x.Losses.RestKWh, 0.01)
}

// All of a request that is no more than the stall offers says nothing of the car; nor for sure where the
// offer was not read.
func TestAllOfWhatWasOffered(t *testing.T) {
	with := func(offered float64) Finding {
		r := rec(trace.StallSide, 1, points{{0, 10}, {1800, 70}}, points{{0, 149}, {1800, 149}})
		for c, v := range map[trace.Channel]float64{trace.RequestedPower: 150, trace.OfferedPower: offered} {
			if v == 0 {
				continue
			}
			r.Columns[c] = make([]float64, r.Len())
			for i := range r.T {
				r.Columns[c][i] = v
			}
		}
		return find(t, Read(of(r), Options{}), AboutAsked)
	}
	assert.Contains(t, with(150).Text.Kept(), "it requested what the stall offered")
	assert.Contains(t, with(300).Text.Kept(), "the stall offered more: what held it lies in the car")
	assert.Equal(t, say.Strong, with(300).Confidence)
	assert.Equal(t, say.Likely, with(0).Confidence)
}

// 76 kWh give or take 2 and then 71 are less; 75 are no change; without an upper end nothing is less.
func TestCapacityChanges(t *testing.T) {
	of := func(value, low, high float64) Interval { return Interval{Value: value, Low: low, High: &high} }
	assert.Equal(t, -1, of(76, 74, 78).Change(of(71, 69, 73)))
	assert.Equal(t, 1, of(76, 74, 78).Change(of(81, 79, 83)))
	assert.Equal(t, 0, of(76, 74, 78).Change(of(75, 73, 77)))
	assert.Equal(t, 0, of(76, 74, 78).Change(Interval{Value: 71, Low: 60}))
}
