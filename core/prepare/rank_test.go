package prepare_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/say"
)

func offers() []prepare.Offer {
	at := func(id int64, site, name string, kw, maxV, km float64) prepare.Offer {
		return prepare.Offer{ID: id, Site: site, Km: km,
			Stall: &run.Stall{Site: site, Name: name, RatedKW: n(kw), MaxA: n(500), MinV: n(150), MaxV: n(maxV)}}
	}
	list := []prepare.Offer{
		at(1, "Lower Weir", "1", 50, 1000, 3),
		at(2, "Lower Weir", "2", 150, 1000, 3),
		at(3, "Lower Weir", "3", 150, 1000, 3),
		at(4, "Slate Quarry", "1", 150, 200, 1),
		at(5, "Slate Quarry", "2", 150, 1000, 5000),
		at(6, "Dye House", "1", 150, 1000, math.NaN()),
	}
	list[2].Chosen = true
	return list
}

// Stalls that give the same stand together and are chosen together; the stronger come
// first, of those as strong the nearer, and those that cannot be used last, with the reason.
func TestRank(t *testing.T) {
	p := plan(nil)
	list, warm := prepare.Rank(p, prepare.Of(p), offers())
	assert.False(t, warm)
	require.Len(t, list, 5)
	names := []string{"Dye House 1", "Lower Weir 2, 3", "Lower Weir 1"}
	for i, name := range names {
		assert.Equal(t, name, list[i].Name)
		assert.True(t, list[i].Reached)
	}
	assert.False(t, list[0].HasKm(), "not known how far: it may be next door")
	assert.True(t, list[1].Chosen)
	assert.InDelta(t, list[0].TS, list[1].TS, 1e-9, "as strong")
	assert.Greater(t, list[2].TS, list[1].TS, "a third of the power takes longer, though the pack is cold")
	reasons := map[string]string{list[3].Name: list[3].Reason.Kept(), list[4].Name: list[4].Reason.Kept()}
	assert.Contains(t, reasons["Slate Quarry 1"], "cannot: 150–200 V, pack ")
	assert.Contains(t, reasons["Slate Quarry 2"], "out of reach for a start at 10")
}

// Stalls stand together only where nothing that is noted of them tells them apart: not the
// tax on the price, not a cabinet that one of them shares with a neighbour.
func TestRankTellsStallsApart(t *testing.T) {
	names := func(change func(*run.Stall)) (out []string) {
		list := offers()[1:3]
		for i := range list {
			list[i].Stall.Tariff = &run.Tariff{Currency: "EUR", PerKWh: n(0.4), TaxPct: n(20)}
		}
		change(list[1].Stall)
		ranked, _ := prepare.Rank(plan(nil), nil, list)
		for _, r := range ranked {
			out = append(out, r.Name)
		}
		return out
	}
	apart := []string{"Lower Weir 2", "Lower Weir 3"}
	assert.Equal(t, []string{"Lower Weir 2, 3"}, names(func(*run.Stall) {}))
	assert.Equal(t, apart, names(func(s *run.Stall) { s.Tariff.TaxPct = nil }))
	assert.Equal(t, apart, names(func(s *run.Stall) { s.Tariff.Membership = &run.Membership{PerKWhOff: n(0.1)} }))
	assert.Equal(t, apart, names(func(s *run.Stall) { s.SharedKW = n(300) }))
}

// Before a plan is worked out, every stall is ranked for a warm pack, at any distance.
func TestRankWithoutAPlan(t *testing.T) {
	list, warm := prepare.Rank(plan(nil), nil, offers())
	assert.True(t, warm)
	require.Len(t, list, 5)
	reached := 0
	for _, r := range list {
		if r.Reached {
			reached++
		}
	}
	assert.Equal(t, 4, reached)
}

func TestDefaults(t *testing.T) {
	stop, _ := prepare.MethodOf("stop")
	cold := stop
	cold.Cold = true
	nav := car(func(c *run.Car) { c.Preconditioning = "navigation" })
	none := car(func(c *run.Car) { c.Preconditioning, c.HeaterKW = "none", nil })
	assert.Equal(t, prepare.Navigation, stop.DefaultWay(nav, bigStall))
	assert.Equal(t, prepare.Heater, stop.DefaultWay(car(nil), bigStall), "by its switch")
	assert.Equal(t, prepare.Steady, stop.DefaultWay(none, bigStall))
	assert.Equal(t, prepare.Steady, cold.DefaultWay(nav, bigStall), "cold on purpose")

	assert.Equal(t, 25.0, stop.TargetFor(car(nil)), "where the car is warm")
	assert.True(t, math.IsNaN(cold.TargetFor(car(nil))))
	assert.True(t, math.IsNaN(stop.TargetFor(&run.Car{})), "nothing is known of its pack")
	own := stop
	own.TargetC = n(31)
	assert.Equal(t, 31.0, own.TargetFor(car(nil)))

	own.Climate = "on"
	assert.Zero(t, stop.ClimateKW())
	assert.Equal(t, 2.0, own.ClimateKW())
}

func TestMethodsByName(t *testing.T) {
	own := []prepare.Method{{Name: "Tuesday round", FromPct: 15}}
	assert.Equal(t, 15.0, prepare.MethodNamed("Tuesday round", own).FromPct)
	assert.Equal(t, 80.0, prepare.MethodNamed("10–80 % stop", own).ToPct)
	assert.Equal(t, prepare.Method{Name: "by feel"}, prepare.MethodNamed("by feel", own))
}

// The nearest that can charge the car: the same site before any other, none of which it is
// not known how far it is.
func TestBestFallback(t *testing.T) {
	weak := &run.Stall{RatedKW: n(50), MaxV: n(200)}
	places := []prepare.Place{
		{Name: "far", Km: 30, Stall: bigStall},
		{Name: "unknown", Km: math.NaN(), Stall: bigStall},
		{Name: "near", Km: 8, Stall: bigStall},
		{Name: "low", Km: 2, Stall: weak},
	}
	assert.Equal(t, 2, prepare.BestFallback(car(nil), places))
	same := append(places, prepare.Place{Name: "beside", SameSite: true, Km: math.NaN(), Stall: bigStall})
	assert.Equal(t, 4, prepare.BestFallback(car(nil), same))
	assert.Equal(t, -1, prepare.BestFallback(car(nil), places[3:]))
	assert.Equal(t, -1, prepare.BestFallback(&run.Car{}, places), "nothing is known of the car")
}

// A plan's figures have numbers, and say why there are none where it is not worked out.
func TestPlansFiguresExplainThemselves(t *testing.T) {
	p := plan(func(p *prepare.Plan) { p.Fallback = &prepare.Fallback{Name: "Slate Quarry 1", Km: 10} })
	x := prepare.Explained{Plan: prepare.Of(p), FromPct: 10, ToPct: 80,
		Assumed: []pack.Assumption{{What: say.Own("mass")}}}
	for _, f := range prepare.Figures {
		if f.Key != "ceilings" && f.Key != "bill" { // these need a fit and a tariff
			assert.NotEmpty(t, f.Numbers(x), f.Key)
		}
	}
	drive, ok := prepare.Figures.Find("drive")
	require.True(t, ok)
	assert.Equal(
		t,
		[]string{"the plan is not worked out: no car"},
		say.AllKept(drive.Numbers(prepare.Explained{Why: say.Own("no car")})),
	)
	_, ok = prepare.Figures.Find("luck")
	assert.False(t, ok)
}
