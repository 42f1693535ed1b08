package trip

import (
	"fmt"
	"testing"

	"zincroad/core/run"
)

// A thousand kilometres with twenty sites of twenty stalls, each other than the others.
func BenchmarkFind(b *testing.B) {
	t := Trip{Car: &run.Car{UsableKWh: run.N(60), Chemistry: "NMC", MaxKW: run.N(150), ConsumptionWhKm: run.N(180)},
		DistanceKm: 1000, SpeedKmh: 110, StartPct: 90, ArrivePct: 10, ReservePct: 6, AmbientC: 10, BatteryC: 18,
		BatteryAtStopsC: run.N(30), Weigh: Minutes}
	for i := range 20 {
		t.Sites = append(t.Sites, Site{Name: fmt.Sprint(i), AtKm: 20 + 48*float64(i), DetourKm: 2, OverheadMin: 5,
			Stall: &run.Stall{RatedKW: run.N(60 + 12*float64(i)), MaxA: run.N(500), MaxV: run.N(920),
				Tariff: &run.Tariff{Currency: "EUR", PerKWh: run.N(0.39 + 0.01*float64(i))}}})
	}
	for b.Loop() {
		if _, err := Find(t); err != nil {
			b.Fatal(err)
		}
	}
}
