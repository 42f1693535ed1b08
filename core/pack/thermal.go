package pack

// Nodes are the two temperatures that matter, in °C: a pack is as slow as its
// coldest cell and as endangered as its warmest.
type Nodes struct {
	ColdestC, WarmestC float64
}

// Ordered gives the nodes with the colder one first. The node that is more exposed
// to the outside is the warmer one when the pack comes in from the cold.
func (n Nodes) Ordered() Nodes {
	return Nodes{min(n.ColdestC, n.WarmestC), max(n.ColdestC, n.WarmestC)}
}

// MeanC is the mean of both nodes.
func (n Nodes) MeanC() float64 { return (n.ColdestC + n.WarmestC) / 2 }

// Thermal is how a pack holds, spreads and loses heat. Half of the heat capacity
// sits in each node.
type Thermal struct {
	HeatCapacityKJK float64 // of the whole pack
	CouplingKWK     float64 // between the nodes
	LossKWK         float64 // to the outside when parked
	LossPerKmhKWK   float64 // more of it for each km/h of wind
	RainFactor      float64 // loss while driving in rain, times this
	HeaterShare     float64 // of the heater's power that ends in the cells
	CoolingKW       float64 // the most that the car's cooling takes out
	CoolFromC       float64 // the warmest cell from which it cools
}

// Shares of heat that go to the colder node: its own cells make as much heat as
// the others, but it sits where the coolant and the outside reach it first.
const (
	ColdJoule  = 0.42
	ColdHeater = 0.38
	coldLoss   = 0.6
)

// thermalOf gives the defaults for a pack of massKg. They are one set, chosen once
// from what testers report of warming and cooling packs (common practice, no
// source) and scaled by mass; docs/definitions.md lists what they are held against.
func thermalOf(massKg float64) Thermal {
	size := massKg / 450
	return Thermal{
		HeatCapacityKJK: 1.05 * massKg, // kJ/(kg K): cells about 1.0, coolant and case a little more (from memory)
		CouplingKWK:     0.028 * size,
		LossKWK:         0.010 * size, // a pack needs a night to cool down
		LossPerKmhKWK:   0.0004 * size,
		RainFactor:      1.35,
		HeaterShare:     0.70,
		CoolingKW:       3.5 * size,
		CoolFromC:       32,
	}
}

// Surroundings are what the pack meets from outside.
type Surroundings struct {
	AmbientC float64
	SpeedKmh float64
	Rain     bool
	Cooling  bool // the car may cool actively
}

// LossAt is the heat lost per kelvin above the outside, in kW/K.
func (t Thermal) LossAt(s Surroundings) float64 {
	loss := t.LossKWK + t.LossPerKmhKWK*max(0, s.SpeedKmh)
	if s.Rain && s.SpeedKmh > 0 {
		loss *= t.RainFactor
	}
	return loss
}

// CoolingAt is what the cooling takes out at a warmest cell, in kW: none below
// CoolFromC, all of CoolingKW from CoolingRisesK above it.
func (t Thermal) CoolingAt(warmestC float64) float64 {
	return t.CoolingKW * max(0, min(1, (warmestC-t.CoolFromC)/CoolingRisesK))
}

// CoolingRisesK is over how many kelvin the cooling comes up to all that it has (from memory).
const CoolingRisesK = 8.0

// Step moves the nodes on by dtS seconds with jouleKW of heat made in the cells
// and heaterKW drawn by the heater. It is an explicit Euler step: exact enough for
// steps far below the pack's own time constants, which are minutes to hours.
func (t Thermal) Step(n Nodes, dtS, jouleKW, heaterKW float64, s Surroundings) Nodes {
	heater := heaterKW * t.HeaterShare
	loss := t.LossAt(s)
	across := t.CouplingKWK * (n.WarmestC - n.ColdestC)
	cooling := 0.0
	if s.Cooling {
		cooling = t.CoolingAt(max(n.WarmestC, n.ColdestC))
	}
	cold := ColdJoule*jouleKW + ColdHeater*heater + across - coldLoss*loss*(n.ColdestC-s.AmbientC) - cooling/2
	warm := (1-ColdJoule)*jouleKW + (1-ColdHeater)*heater - across - (1-coldLoss)*loss*(n.WarmestC-s.AmbientC) - cooling/2
	half := t.HeatCapacityKJK / 2
	return Nodes{n.ColdestC + cold*dtS/half, n.WarmestC + warm*dtS/half}
}
