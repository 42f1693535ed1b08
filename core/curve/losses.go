package curve

import (
	"math"
	"slices"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
)

// LossParts is where the energy between plug and pack went, kWh over the time that both sides were read;
// nil where what it takes was not read. What is left is pumps, electronics and meters that disagree.
type LossParts struct {
	LostKWh   float64  `json:"lost_kwh"`   // the stall's less the car's
	CableKWh  *float64 `json:"cable_kwh"`  // cable and connector: both sides' volts apart, times the amps
	HeaterKWh *float64 `json:"heater_kwh"` // the battery heater, as read
	AuxKWh    *float64 `json:"aux_kwh"`    // what else the car read of itself
	RestKWh   float64  `json:"rest_kwh"`
}

// PackNotes is what a run says of the pack itself.
type PackNotes struct {
	ResistanceOhm *float64 `json:"resistance_ohm"` // volts over amps where the current leapt; nil: it did not
	Leaps         int      `json:"leaps"`          // that it is the middle of
	HeatKWh       *float64 `json:"heat_kwh"`       // made in the cells: the current squared times that resistance
	RiseC         *float64 `json:"rise_c"`         // of the coldest cell, from plug-in to the end
	SpreadC       *float64 `json:"spread_c"`       // coldest to warmest cell at the end
	HottestC      *float64 `json:"hottest_c"`      // the warmest cell at its warmest
	RestPerCell   []Rest   `json:"rest_v"`         // a cell's rest voltage against charge; empty: cells are not noted
	Kind          string   `json:"kind"`           // what it looks like: iron phosphate or nickel; empty: not told
}

// Rest is a cell's voltage at rest at one state of charge.
type Rest struct {
	SoCPct float64 `json:"soc_pct"`
	V      float64 `json:"v"`
}

// of joins a channel of one side over its recordings, while charging.
func (s *sides) of(side trace.Side, c trace.Channel) trace.Series {
	joined := s.joined(side, c)
	var out trace.Series
	for _, l := range s.legs {
		part := cut(joined, trace.Span{From: l.from, To: l.offS})
		if out.Len() == 0 {
			out = trace.Series{T: slices.Clip(part.T), V: slices.Clip(part.V)} // of one leg as a rule: no copy
			continue
		}
		out.T, out.V = append(out.T, part.T...), append(out.V, part.V...)
	}
	return out
}

// losses says where the energy between the two sides went; nil where they were never read at once.
func (s *sides) losses() *LossParts {
	in, stored, shared := s.both()
	if in <= 0 || s.stallAC != nil || s.jumped() {
		return nil
	}
	p := &LossParts{LostKWh: units.KWhFromKJ(in - stored)}
	p.RestKWh = p.LostKWh
	take := func(series trace.Series) *float64 {
		if series.Len() < 2 {
			return nil
		}
		kwh := 0.0
		for _, span := range shared {
			kwh += units.KWhFromKJ(series.Integral(span.From, span.To))
		}
		p.RestKWh -= kwh
		return &kwh
	}
	p.HeaterKWh = take(s.of(trace.CarSide, trace.HeaterPower))
	p.AuxKWh = take(s.of(trace.CarSide, trace.AuxPower))
	stallV, carV := s.of(trace.StallSide, trace.Voltage), s.of(trace.CarSide, trace.Voltage)
	amps := s.of(trace.CarSide, trace.Current)
	var cable trace.Series
	for i, t := range amps.T {
		a, ok1 := stallV.At(t)
		b, ok2 := carV.At(t)
		if ok1 && ok2 && math.Abs(a-b) < 0.05*b { // else a converter lies between, or the clocks disagree
			cable.T, cable.V = append(cable.T, t), append(cable.V, (a-b)*amps.V[i]/1000)
		}
	}
	p.CableKWh = take(cable)
	return p
}

// What makes a leap of the current: so much of it, within so long, with the same state of charge.
const (
	leapA    = 30.0
	leapS    = 12.0
	leastOhm = 0.002 // less is a meter that lags
	mostOhm  = 1.0   // more is none of a pack
)

// packOf is what the car's readings say of its pack, with what is noted of the car, if it is, and how warm the pack
// was at plug-in.
func (s *sides) packOf(car *run.Car, battery *Battery) *PackNotes {
	cells := 0.0
	if car != nil {
		cells, _ = run.Known(car.CellsInSeries)
	}
	var coldest *float64
	if battery != nil && battery.Coldest { // the pack's one value is another sensor
		coldest = battery.StartC
	}
	return s.packNotes(cells, coldest)
}

// packNotes works out what the car's own readings say of its pack, with so many cells in series (0: not
// noted) and so cold a coldest cell at plug-in (nil: not read); nil where they say nothing.
func (s *sides) packNotes(cells float64, coldestStart *float64) *PackNotes {
	amps, volts := s.of(trace.CarSide, trace.Current), s.of(trace.CarSide, trace.Voltage)
	n := &PackNotes{RestPerCell: []Rest{}}
	n.temperatures(s, coldestStart)
	if amps.Len() < 10 || volts.Len() < 10 {
		if n.RiseC == nil && n.HottestC == nil {
			return nil
		}
		return n
	}
	var ohms []float64
	leaps := amps.Ahead(leapS, func(a, lowest, highest float64) bool { return highest-a >= leapA || a-lowest >= leapA })
	seen := -1
	for _, i := range leaps {
		if i <= seen {
			continue
		}
		j := i + 1
		for j < amps.Len() && amps.T[j]-amps.T[i] < leapS && math.Abs(amps.V[j]-amps.V[i]) < leapA {
			j++
		}
		if j >= amps.Len() || amps.T[j]-amps.T[i] > leapS || math.Abs(amps.V[j]-amps.V[i]) < leapA {
			continue
		}
		v0, ok1 := volts.At(amps.T[i])
		v1, ok2 := volts.At(amps.T[j])
		if r := (v1 - v0) / (amps.V[j] - amps.V[i]); ok1 && ok2 && r > leastOhm && r < mostOhm {
			ohms = append(ohms, r)
		}
		seen = j
	}
	if n.Leaps = len(ohms); n.Leaps == 0 {
		return n
	}
	r := trace.Median(ohms)
	n.ResistanceOhm = &r
	heat := trace.Series{T: amps.T, V: make([]float64, amps.Len())}
	for i, a := range amps.V {
		heat.V[i] = a * a * r / 1000
	}
	kwh := 0.0
	for _, l := range s.legs { // between two of them nothing flows
		if part := cut(heat, trace.Span{From: l.from, To: l.offS}); part.Len() > 1 {
			kwh += units.KWhFromKJ(part.Integral(part.T[0], part.T[part.Len()-1]))
		}
	}
	n.HeatKWh = &kwh
	if cells > 0 {
		n.rest(s, amps, volts, r, cells)
	}
	return n
}

// temperatures notes how far the cells warmed and how far apart they ended.
func (n *PackNotes) temperatures(s *sides, start *float64) {
	low, high := s.of(trace.CarSide, trace.BatteryTempMin), s.of(trace.CarSide, trace.BatteryTempMax)
	if k := low.Len(); k > 0 && start != nil {
		n.RiseC = ptr(low.V[k-1] - *start)
	}
	if i := high.Max(); i >= 0 {
		n.HottestC = ptr(high.V[i])
		if k := low.Len(); k > 0 {
			n.SpreadC = ptr(high.V[high.Len()-1] - low.V[k-1])
		}
	}
}

// Where the two kinds of cell part: the rise of the rest voltage from 30 to 80 % in V. Iron phosphate
// rises by 0.04, nickel by 0.35 (rounded from published curves, from memory).
const betweenKinds = 0.15

// rest works out the rest voltage of a cell at every fifth per cent, and what it says of the
// chemistry.
func (n *PackNotes) rest(s *sides, amps, volts trace.Series, ohm, cells float64) {
	at := map[int][]float64{}
	for i, t := range amps.T {
		v, ok := volts.At(t)
		soc := s.socAt(t)
		if !ok || soc == nil || amps.V[i] < 5 {
			continue
		}
		if k := int(math.Round(*soc / 5)); math.Abs(*soc-5*float64(k)) < 0.6 {
			at[k] = append(at[k], (v-amps.V[i]*ohm)/cells)
		}
	}
	var low, high *float64
	for k := 0; k <= 20; k++ {
		if len(at[k]) == 0 {
			continue
		}
		v := trace.Median(at[k])
		n.RestPerCell = append(n.RestPerCell, Rest{5 * float64(k), v})
		switch k {
		case 6:
			low = ptr(v)
		case 16:
			high = ptr(v)
		}
	}
	if low != nil && high != nil {
		if n.Kind = "nickel"; *high-*low < betweenKinds {
			n.Kind = "iron phosphate"
		}
	}
}
