package stall_test

import (
	"fmt"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/stall"
)

// A pack of the 400 V class at a stall of 250 A: its current holds it to about 100 kW.
func ExampleFitOf() {
	n := run.N
	car := &run.Car{Chemistry: "NMC", UsableKWh: n(75), CellsInSeries: n(108), MaxKW: n(200)}
	fit, err := stall.FitOf(
		car,
		&run.Stall{RatedKW: n(350), MaxA: n(250), MaxV: n(1000)},
		nil,
		limit.Assumptions{},
		false,
	)
	if err != nil {
		fmt.Println(err)
		return
	}
	held, _ := fit.At[40].Holding()
	fmt.Println(held.Cause, held.KW > 95 && held.KW < 110)
	// Output: stall-current true
}

// 50 kWh at 0.50 and a fee of 1.
func ExampleBillOf() {
	n := run.N
	bill := stall.BillOf(&run.Tariff{Currency: "EUR", PerKWh: n(0.5), SessionFee: n(1)}, stall.Use{KWh: 50})
	fmt.Println(bill.Currency, bill.Total)
	// Output: EUR 26
}
