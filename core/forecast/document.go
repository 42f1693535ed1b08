package forecast

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/say"
)

// Document is a forecast as the open format zincroad-forecast/1 writes it. What
// cannot be worked out is nil or an empty list.
type Document struct {
	Format   string           `json:"format"`
	Posts    []documentPost   `json:"posts"`
	Windows  []documentWindow `json:"windows"`
	Peak     *documentPeak    `json:"peak"`
	Energy   documentEnergy   `json:"energy"`
	Battery  *documentBattery `json:"battery"`
	Ceilings []documentHeld   `json:"ceilings"`
	Cost     *documentCost    `json:"cost"`

	Note    say.Text             `json:"note"`
	Assumed []documentAssumption `json:"assumed"`
}

type documentPost struct {
	SoCPct float64  `json:"soc_pct"`
	TS     float64  `json:"t_s"`
	LowS   float64  `json:"low_s"`
	HighS  *float64 `json:"high_s"`
}

type documentWindow struct {
	FromPct   float64  `json:"from_pct"`
	ToPct     float64  `json:"to_pct"`
	TS        float64  `json:"t_s"`
	LowS      float64  `json:"low_s"`
	HighS     *float64 `json:"high_s"`
	EnergyKWh float64  `json:"energy_kwh"`
	AverageKW float64  `json:"average_kw"`
}

type documentPeak struct {
	KW     float64 `json:"kw"`
	TS     float64 `json:"t_s"`
	SoCPct float64 `json:"soc_pct"`
}

type documentEnergy struct {
	StallKWh float64 `json:"stall_kwh"`
	CarKWh   float64 `json:"car_kwh"`
	LossKWh  float64 `json:"loss_kwh"`
	AuxKWh   float64 `json:"aux_kwh"`
}

type documentBattery struct {
	StartC  float64 `json:"start_c"`
	EndMinC float64 `json:"end_min_c"`
	EndMaxC float64 `json:"end_max_c"`
}

type documentHeld struct {
	FromS float64     `json:"from_s"`
	ToS   float64     `json:"to_s"`
	Cause limit.Cause `json:"cause"`
}

type documentCost struct {
	Currency string   `json:"currency"`
	Total    float64  `json:"total"`
	PerKWh   *float64 `json:"per_kwh"`
}

type documentAssumption struct {
	What  say.Text `json:"what"`
	Value say.Text `json:"value"`
	From  say.Text `json:"from"`
}

// Document gives the forecast in its open format. Posts are every 10 % and the
// plan's own ends.
func (f *Forecast) Document(plan Plan) Document {
	d := Document{Format: Format, Posts: []documentPost{}, Windows: []documentWindow{}, Ceilings: []documentHeld{},
		Assumed: []documentAssumption{}, Note: f.Note, Energy: documentEnergy(f.Energy)}
	for _, p := range f.Posts {
		if math.Mod(p.SoCPct, 10) == 0 || p.SoCPct == plan.FromPct || p.SoCPct == plan.ToPct {
			d.Posts = append(d.Posts, documentPost{p.SoCPct, p.TS, p.LowS, known(p.HighS)})
		}
	}
	for _, w := range f.Windows {
		d.Windows = append(d.Windows,
			documentWindow{w.FromPct, w.ToPct, w.TS, w.LowS, known(w.HighS), w.EnergyKWh, w.AverageKW})
	}
	for _, h := range f.Ceilings {
		d.Ceilings = append(d.Ceilings, documentHeld(h))
	}
	for _, a := range f.Assumed {
		d.Assumed = append(d.Assumed, documentAssumption(a))
	}
	if f.Peak != nil {
		d.Peak = &documentPeak{f.Peak.KW, f.Peak.TS, f.Peak.SoCPct}
	}
	if len(f.Steps) > 0 {
		d.Battery = &documentBattery{f.Battery.StartC, f.Battery.EndMinC, f.Battery.EndMaxC}
	}
	if f.Bill != nil {
		d.Cost = &documentCost{f.Bill.Currency, f.Bill.Total, f.Bill.PerKWh}
	}
	return d
}

func known(v float64) *float64 {
	if math.IsNaN(v) {
		return nil
	}
	return &v
}
