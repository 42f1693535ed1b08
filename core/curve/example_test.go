package curve_test

import (
	"fmt"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// A car takes 100 kW from 10 to 80 %, which takes half an hour: 50 kWh.
func ExampleRead() {
	log := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	for t := 0.0; t <= 1800; t += 10 {
		log.T = append(log.T, t)
		log.Columns[trace.SoC] = append(log.Columns[trace.SoC], 10+70*t/1800)
		log.Columns[trace.Power] = append(log.Columns[trace.Power], 100)
	}
	x := curve.Read(&run.Run{Recordings: []*trace.Recording{log}}, curve.Options{})
	w, ok := x.Window(10, 80)
	fmt.Println(ok, w.TS, *w.EnergyKWh, *w.AverageKW)
	// Output: true 1800 50 100
}
