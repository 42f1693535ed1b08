package main

import (
	"fmt"
	"zincroad/core/curve"
	"zincroad/demo"
)

func main() {
	bs, err := demo.Bundles()
	if err != nil {
		panic(err)
	}
	for _, b := range bs {
		r := b.Run
		x := curve.Read(r, curve.Options{})
		fmt.Printf("== %s | %s | %s %v kW %v A\n", r.Title, r.Car.Name, r.Stall.Site, *r.Stall.RatedKW, *r.Stall.MaxA)
		for _, m := range r.Marks {
			fmt.Printf("   mark %.0f %s; ", m.TS-x.ZeroS, m.Kind)
		}
		fmt.Println()
		for _, c := range x.Plateaus { fmt.Printf("   plateau %.0f-%.0f %.1f kW %.2f\n", c.FromS, c.ToS, c.KW, c.SlopeKWPerMin) }
		for _, c := range x.Cliffs { fmt.Printf("   cliff %.1f %.1f-%.1f at %v\n", c.TS, c.FromKW, c.ToKW, *c.SoCPct) }
		for _, c := range x.Ceilings {
			fmt.Printf("   %5.0f-%5.0f %s %s / %s %v\n", c.FromS, c.ToS, c.Cause, c.Confidence, c.RunnerUp, c.Evidence)
		}
	}
}
