package forecast_test

import (
	"fmt"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
)

// A stall of 50 kW holds a warm car of 75 kWh: 10 to 80 % are 52.5 kWh, an hour and some.
func ExampleOnce() {
	n := run.N
	f, err := forecast.Once(forecast.Plan{
		Car:     &run.Car{Chemistry: "NMC", UsableKWh: n(75), CellsInSeries: n(96), MaxKW: n(200)},
		Stall:   &run.Stall{RatedKW: n(50), MaxA: n(125), MaxV: n(500)},
		FromPct: 10, ToPct: 80, Battery: pack.Nodes{ColdestC: 25, WarmestC: 25}, AmbientC: 20,
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	w, _ := f.Window(10, 80)
	fmt.Println(w.TS > 3780 && w.TS < 4500, f.Ceilings[1].Cause)
	// Output: true stall-current
}
