package stall_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/stall"
)

var n = run.N

func fit(t *testing.T, c *run.Car, s *run.Stall, ad *run.Adapter) *stall.Fit {
	t.Helper()
	f, err := stall.FitOf(c, s, ad, limit.Assumptions{}, false)
	require.NoError(t, err)
	for _, a := range f.At {
		for i := 1; i < len(a.Ceilings); i++ {
			require.LessOrEqual(t, a.Ceilings[i-1].KW, a.Ceilings[i].KW, "lowest first at %g %%", a.SoCPct)
		}
	}
	return f
}

func kw(t *testing.T, a stall.At, cause limit.Cause) float64 {
	t.Helper()
	for _, c := range a.Ceilings {
		if c.Cause == cause {
			return c.KW
		}
	}
	t.Fatalf("no %s at %g %%", cause, a.SoCPct)
	return 0
}

// Common practice, no source: a 350 V class pack on a 500 A stall sees at most
// 175 kW, and one on 300 to 350 A about 100 to 120; within 6 %, for the pack's
// voltage under load is not its class.
func TestLowVoltagePack(t *testing.T) {
	car := &run.Car{
		Chemistry:     "NMC",
		UsableKWh:     n(75),
		CellsInSeries: n(94),
		MaxKW:         n(400),
		MaxA:          n(900),
		Envelope:      []run.Point{{SoCPct: 0, KW: 400}},
	}
	f := fit(t, car, &run.Stall{RatedKW: n(350), MaxA: n(500), MaxV: n(920)}, nil)
	assert.InEpsilon(t, 175, kw(t, f.At[20], limit.StallCurrent), 0.06)
	held, margin := f.At[20].Holding()
	assert.Equal(t, limit.StallCurrent, held.Cause)
	assert.Greater(t, margin, 0.0)
	f = fit(t, car, &run.Stall{RatedKW: n(350), MaxA: n(325), MaxV: n(920)}, nil)
	assert.InDelta(t, 110, kw(t, f.At[20], limit.StallCurrent), 12)
	for _, a := range f.At {
		assert.InDelta(t, 0.325*a.PackV, kw(t, a, limit.StallCurrent), 1e-9, "volts times amps over 1000")
	}
}

func TestCarCappedByCurrentGainsWithVoltage(t *testing.T) {
	car := &run.Car{
		Chemistry:     "NMC",
		UsableKWh:     n(64),
		CellsInSeries: n(98),
		MaxA:          n(170),
		Envelope:      []run.Point{{SoCPct: 0, KW: 90}},
	}
	f := fit(t, car, &run.Stall{RatedKW: n(350), MaxA: n(500)}, nil)
	for i := 11; i <= 80; i++ {
		assert.Greater(t, kw(t, f.At[i], limit.CarCurrent), kw(t, f.At[i-1], limit.CarCurrent))
	}
}

// Common practice, no source: an 800 V class car on a cabinet for 400 V cars is
// held by its converter, 100 to 125 kW, flat.
func TestConverterAdapterAndVoltages(t *testing.T) {
	high := &run.Car{
		Chemistry:     "NMC",
		UsableKWh:     n(82),
		CellsInSeries: n(192),
		PackMinV:      n(610),
		PackMaxV:      n(806),
		MaxKW:         n(240),
		ConverterKW:   n(112),
	}
	low := &run.Stall{RatedKW: n(150), MaxA: n(400), MinV: n(200), MaxV: n(500)}
	f := fit(t, high, low, nil)
	for _, soc := range []int{10, 40, 60} {
		held, _ := f.At[soc].Holding()
		assert.Equal(t, stall.Ceiling{Cause: limit.CarConverter, KW: 112}, held)
	}
	high.ConverterKW = nil
	f = fit(t, high, low, nil)
	assert.False(t, f.Fits)
	assert.Empty(t, f.At)
	assert.Equal(
		t,
		"This stall cannot charge this car: it gives 200 to 500 V, the pack needs 610 to 806 V and the car has "+
			"no converter.",
		f.Reason.Kept(),
	)

	f = fit(t, high, &run.Stall{RatedKW: n(350), MaxA: n(500), MaxV: n(1000)},
		&run.Adapter{MaxA: n(200), MaxV: n(1000)})
	held, _ := f.At[30].Holding()
	assert.Equal(t, limit.AdapterCurrent, held.Cause)
	f = fit(t, high, &run.Stall{RatedKW: n(350), MaxV: n(1000)}, &run.Adapter{MaxV: n(500)})
	assert.Contains(t, f.Reason.Kept(), "This adapter cannot be used: it is rated for 500 V")
}

func TestShareOfTheLabel(t *testing.T) {
	car := &run.Car{UsableKWh: n(80), CellsInSeries: n(96), Envelope: []run.Point{{SoCPct: 0, KW: 300}}}
	f, err := stall.FitOf(car, &run.Stall{RatedKW: n(150)}, nil,
		limit.Assumptions{PowerSharePct: limit.TypicalSharePct}, false)
	require.NoError(t, err)
	assert.InDelta(t, 132.5, kw(t, f.At[30], limit.StallPower), 2.5,
		"130 to 135 kW from a 150 kW stall; common practice, no source")
}

func TestBill(t *testing.T) {
	// Ten minutes at 100 kW, ten going down to 80, ten at 80: 15 at or under 90.
	use := stall.Use{T: []float64{0, 600, 1200, 1800}, KW: []float64{100, 100, 80, 80}, KWh: 45, IdleS: 15 * 60}
	tiers := &run.Tariff{Currency: "EUR", PerMin: []run.Tier{{UpToKW: n(90), Price: n(0.32)}, {Price: n(0.64)}}}
	b := stall.BillOf(tiers, use)
	assert.InDelta(t, 15*0.32+15*0.64, b.Total, 1e-9)
	all := &run.Tariff{PerKWh: n(0.5), SessionFee: n(1), IdlePerMin: n(0.1), IdleAfterMin: n(10), TaxPct: n(20)}
	b = stall.BillOf(all, use)
	assert.InDelta(t, (22.5+1+0.5)*1.2, b.Total, 1e-9)
	assert.InDelta(t, 4.8, b.Tax, 1e-9)
	assert.Nil(t, stall.BillOf(&run.Tariff{Currency: "EUR"}, use), "no price, no bill")

	// Common practice, no source: 4 a month against 0.12 off a kWh pays from 34 kWh.
	kwh, ok := stall.BreakEvenKWh(&run.Membership{PerMonth: n(4), PerKWhOff: n(0.12)})
	assert.True(t, ok)
	assert.InDelta(t, 33.3, kwh, 0.04)

	assert.NoError(t, stall.CheckTiers(tiers.PerMin))
	assert.ErrorIs(t, stall.CheckTiers([]run.Tier{{UpToKW: n(90)}, {UpToKW: n(60)}}), stall.ErrTiers)
	assert.ErrorIs(t, stall.CheckTiers([]run.Tier{{}, {UpToKW: n(60)}}), stall.ErrTiers)
}

// Ratings of couplers by IEC 62196-3 and IEC TS 62196-3-1 (from memory): 1000 V, and
// 500 A with thermal management. 500 V at 350 A are 175 kW.
func TestRemarksOnRatings(t *testing.T) {
	for _, tt := range []struct {
		name string
		s    run.Stall
		says []string
	}{
		{"as couplers are rated", run.Stall{RatedKW: n(350), MaxA: n(500), MaxV: n(1000)}, nil},
		{"nothing known", run.Stall{}, nil},
		{"above both", run.Stall{RatedKW: n(600), MaxA: n(600), MaxV: n(1250)},
			[]string{"1250 V is above the 1000 V", "600 A is above the 500 A"}},
		{"a label out of reach", run.Stall{RatedKW: n(200), MaxA: n(350), MaxV: n(500)}, []string{"500 V at 350 " +
			"A are 175 kW"}},
	} {
		got := stall.Remarks(&tt.s)
		require.Len(t, got, len(tt.says), tt.name)
		for i := range got {
			assert.Contains(t, got[i].Kept(), tt.says[i], tt.name)
		}
	}
}

// Which tier is out of order, and what it would have to be above.
func TestTierFaults(t *testing.T) {
	_, _, ok := stall.TierFault([]run.Tier{{UpToKW: n(60)}, {UpToKW: n(90)}, {}})
	assert.True(t, ok)
	at, above, ok := stall.TierFault([]run.Tier{{UpToKW: n(90)}, {UpToKW: n(60)}})
	assert.False(t, ok)
	assert.Equal(t, 1, at)
	assert.Equal(t, 90.0, above)
	at, above, ok = stall.TierFault([]run.Tier{{}, {UpToKW: n(60)}})
	assert.False(t, ok)
	assert.Zero(t, at)
	assert.True(t, math.IsNaN(above), "only the last may be without a power")
}

// 4 a month against 0.12 off a kWh pays from 33.3 kWh on: 34 whole ones (common practice, no source).
func TestMembershipPaysFrom(t *testing.T) {
	tariff := &run.Tariff{PerKWh: run.N(0.59), Membership: &run.Membership{PerMonth: run.N(4), PerKWhOff: run.N(0.12)}}
	kwh, ok := stall.BreakEvenKWh(tariff.Membership)
	require.True(t, ok)
	assert.Equal(t, 34.0, math.Ceil(kwh))
	member, ok := stall.WithMembership(tariff)
	require.True(t, ok)
	assert.InDelta(t, 47, stall.BillOf(member, stall.Use{KWh: 100}).Total, 1e-9)
	_, ok = stall.WithMembership(&run.Tariff{PerKWh: run.N(0.5)})
	assert.False(t, ok)
}

// 0.60 a minute: at 120 kW a kWh costs 0.30, at 12 kW 3.00. Ten minutes of the one are 20 kWh for 6;
// what follows costs ten times as much. Power that stays never grows dear.
func TestWhenUnpluggingSaves(t *testing.T) {
	tariff := &run.Tariff{PerMin: []run.Tier{{Price: run.N(0.6)}}}
	at, perKWh, ok := stall.Dearest(tariff, stall.Use{T: []float64{0, 600, 601, 1800}, KW: []float64{120, 120, 12, 12}})
	require.True(t, ok)
	assert.Equal(t, 600.0, at)
	assert.InDelta(t, 3, perKWh, 0.05)
	_, _, ok = stall.Dearest(tariff, stall.Use{T: []float64{0, 600, 1800}, KW: []float64{120, 120, 120}})
	assert.False(t, ok)
}
