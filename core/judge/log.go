package judge

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
)

// Log is what was read of a run on one clock, and what is known of its car and stall.
// A series that was not read is empty; of what is not known the pointer is nil.
type Log struct {
	Legs       []Leg   // in order of time
	Car, Stall SideLog // at the pack's terminals, and at the plug: losses and what is drawn beside lie between

	SoC                        trace.Series // %
	ColdestC, WarmestC, InletC trace.Series // °C, of the pack's cells and of the car's inlet
	Marks                      []run.Mark   // in order of time
	ColdestOf                  say.Text     // what ColdestC was read of; empty: the coldest cell

	OfCar      *run.Car
	OfStall    *run.Stall
	Adapter    *run.Adapter   // between the two; nil: none
	Conditions *run.Condition // of the run
	Elsewhere  Elsewhere      // what other runs taught of car and stall
}

// Leg is the time between a plug-in and its unplug, in s of the log's clock.
type Leg struct {
	PlugInS float64 // or the first reading, where the plug-in is not known
	FirstS  float64 // first power
	ToS     float64 // the unplug, or the last reading
}

// SideLog is what one side of the plug showed.
type SideLog struct {
	KW, Amps, Volts         trace.Series // as read, kW, A, V
	RequestedKW, RequestedA trace.Series // what the car asked for
	OfferedKW, OfferedA     trace.Series // what the stall would give
}

// Elsewhere is what other runs say of this car and this stall; its zero value says nothing.
type Elsewhere struct {
	Car         *vehicle.Model // the car as its other runs know it; nil: there are none
	StallMostA  float64        // the most amps that this stall gave any car; 0: not known
	StallMostKW float64        // the most kW
}

// offeredKW is what the stall offers at a voltage: the lower of its kW and its amps, as far as they were read; NaN.
func (l *Log) offeredKW(volts float64, at func(trace.Series) float64) float64 {
	kw, byAmps := at(l.Stall.OfferedKW), at(l.Stall.OfferedA)*volts/1000
	if math.IsNaN(kw) || byAmps < kw {
		return byAmps
	}
	return kw
}

// askedFor is what was delivered over what was requested, as each side shows it: the lowest of
// the sides, in kW or amps; NaN where nothing was requested or read.
func (l *Log) askedFor(from, to, reach float64) float64 {
	low := math.NaN()
	for _, s := range []*SideLog{&l.Stall, &l.Car} {
		for _, pair := range [][2]trace.Series{{s.KW, s.RequestedKW}, {s.Amps, s.RequestedA}} {
			given, asked := pair[0], pair[1]
			if asked.Len() == 0 {
				continue
			}
			if given.Len() == 0 { // the other side's is the only one that was read
				if given = l.Car.KW; s == &l.Car {
					given = l.Stall.KW
				}
				if pair[1].Len() == s.RequestedA.Len() && s.RequestedKW.Len() == 0 {
					if given = l.Car.Amps; s == &l.Car {
						given = l.Stall.Amps
					}
				}
			}
			g, a := meanIn(given, from, to, reach), meanIn(asked, from, to, reach)
			if a >= 1 && !math.IsNaN(g) && !(g/a > low) {
				low = g / a
			}
		}
	}
	return low
}

// PackShare of the stall's power reaches the pack (common practice, no source).
const PackShare = 0.96
