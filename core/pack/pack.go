// Package pack is a car's battery as the arithmetic sees it: its voltage at rest
// against state of charge, its resistance against temperature and charge, the heat
// that a current makes in it, and how warm its coldest and its warmest cells get.
//
// A car's own figures come first; what is not given is filled in from chemistry,
// capacity and mass by the defaults of this package, and every default that was
// used is listed with where it comes from.
package pack

import (
	"errors"
	"math"
	"slices"

	"zincroad/core/run"
	"zincroad/core/say"
)

// Pack is one car's battery. Voltages are the whole pack's.
type Pack struct {
	Chemistry     string       // as in run.Car
	Cells         float64      // in series
	UsableKWh     float64      // from 0 to 100 % on the display
	CapacityAh    float64      // charge from 0 to 100 %
	MinV, MaxV    float64      // at the terminals: the range that the car works in
	ResistanceOhm float64      // at 25 °C and half full
	ActivationJ   float64      // how strongly it falls with temperature, J/mol
	WarmC         float64      // at and above this the pack takes its full power
	HotC          float64      // above this the car takes power back
	HalfBelowK    float64      // so many kelvin below WarmC it takes half of its power
	HeaterKW      float64      // what the battery heater draws; 0: none
	Thermal       Thermal      // how it warms and cools
	Assumed       []Assumption // every default that was used

	rest *chemistry
}

// Assumption is a figure that was not given and what stands in for it.
type Assumption struct {
	What  say.Text // the figure
	Value say.Text // what stands in, with its unit
	From  say.Text // where the default comes from
}

var (
	// ErrCapacity is returned for a car of which neither the usable nor the gross
	// capacity is known.
	ErrCapacity = errors.New("the car's usable capacity (usable_kwh) is needed")
	// ErrVoltages is returned for a pack whose lowest voltage is above its highest.
	ErrVoltages = errors.New("the pack's lowest voltage (pack_min_v) is above its highest (pack_max_v)")
)

// Defaults for what a car's description leaves out.
const (
	defaultCells   = 96   // a 400 V class pack (common practice, no source)
	usableOfGross  = 0.95 // common practice, no source
	kWhPerKgOfPack = 0.16 // pack, not cell: 150 to 180 Wh/kg (from memory)
	defaultHotC    = 48   // cars take power back from about here (common practice, no source)
)

// DefaultWarmC is from where a pack takes its full power when that is not noted:
// "21 to 27 °C is comfortable for most" (common practice, no source).
const DefaultWarmC = 25.0

// ResistanceC is the temperature that a pack's resistance is stated at.
const ResistanceC = 25.0

// For makes the pack of a car. It fails where there is no capacity to work with,
// or where the pack's voltages contradict each other.
func For(c *run.Car) (*Pack, error) {
	if c == nil {
		return nil, ErrCapacity
	}
	p := &Pack{Chemistry: c.Chemistry, rest: chemistryOf(c.Chemistry)}
	if !slices.Contains([]string{"NMC", "NCA", "LFP"}, c.Chemistry) {
		p.assume(say.T("pack.chemistry"), say.T("pack.as-nickel-manganese-cobalt"), say.T("pack.not-given-or-other"))
	}
	var ok bool
	if p.UsableKWh, ok = run.Known(c.UsableKWh); !ok {
		gross, ok := run.Known(c.GrossKWh)
		if !ok {
			return nil, ErrCapacity
		}
		p.UsableKWh = usableOfGross * gross
		p.assume(say.T("pack.usable-capacity"), say.T("pack.kwh", say.Fixed(p.UsableKWh, 1)),
			say.T("pack.of-the-gross-capacity"))
	}
	if err := p.volts(c); err != nil {
		return nil, err
	}
	p.CapacityAh = p.UsableKWh * 1000 / (p.rest.mean * p.Cells)
	p.heat(c)
	return p, nil
}

// volts settles the cells in series and the range of the terminals.
func (p *Pack) volts(c *run.Car) error {
	cells, known := run.Known(c.CellsInSeries)
	nominal, hasNominal := run.Known(c.PackNominalV)
	minV, hasMin := run.Known(c.PackMinV)
	maxV, hasMax := run.Known(c.PackMaxV)
	if hasMin && hasMax && minV > maxV {
		return ErrVoltages
	}
	switch {
	case known:
	case hasNominal:
		cells = math.Round(nominal / p.rest.nominal)
		p.assume(say.T("pack.cells-in-series"), say.T("pack.cells", int(cells)),
			say.T("pack.nominal-voltage-over-v", say.Fixed(p.rest.nominal, 2)))
	case hasMax:
		cells = math.Round(maxV / p.rest.top)
		p.assume(say.T("pack.cells-in-series"), say.T("pack.cells", int(cells)),
			say.T("pack.highest-voltage-over-v", say.Fixed(p.rest.top, 2)))
	default:
		cells = p.cellsAtLimits(c)
	}
	p.Cells = max(1, cells)
	p.MinV, p.MaxV = p.Cells*p.rest.bottom, p.Cells*p.rest.top
	if hasMin {
		p.MinV = minV
	}
	if hasMax {
		p.MaxV = maxV
	}
	if p.MinV > p.MaxV {
		return ErrVoltages
	}
	return nil
}

// leastCells and mostCells bound the packs of cars that charge by direct current (common practice, no source: classes
// of 300 to 900 V).
const leastCells, mostCells = 72, 240

// cellsAtLimits gives the cells in series that go with the car's highest power at its highest amps, else those of a
// 400 V class pack.
func (p *Pack) cellsAtLimits(c *run.Car) float64 {
	kw, ok1 := run.Known(c.MaxKW)
	amps, ok2 := run.Known(c.MaxA)
	if volts := kw * 1000 / amps; ok1 && ok2 {
		if cells := math.Round(volts / p.rest.nominal); cells >= leastCells && cells <= mostCells {
			p.assume(say.T("pack.cells-in-series"), say.T("pack.cells", int(cells)),
				say.T("pack.kw-at-a-are", say.Fixed(kw, 0), say.Fixed(amps, 0), say.Fixed(volts, 0),
					say.Fixed(p.rest.nominal, 2)))
			return cells
		}
	}
	p.assume(say.T("pack.cells-in-series"), say.T("pack.cells", defaultCells), say.T("pack.a-v-class-pack"))
	return defaultCells
}

// heat settles resistance, thermal figures and the temperatures that matter.
func (p *Pack) heat(c *run.Car) {
	set := c.Pack
	if set == nil {
		set = &run.Pack{}
	}
	p.ResistanceOhm = p.rest.ohmAh / p.CapacityAh * p.Cells
	if r, ok := run.Known(set.ResistanceMOhm); ok {
		p.ResistanceOhm = r / 1000
	} else {
		p.assume(say.T("pack.resistance", say.Q(ResistanceC, "°C", 0)), say.T("pack.m", say.Fixed(p.ResistanceOhm*1000, 0)),
			say.T("pack.m-ah-a-cell", say.Fixed(p.rest.ohmAh*1000, 0)))
	}
	mass, ok := run.Known(c.BatteryMassKg)
	if !ok {
		mass = p.UsableKWh / kWhPerKgOfPack
		p.assume(say.T("pack.battery-mass"), say.T("pack.kg", say.Fixed(mass, 0)), say.T("pack.wh-per-kg-of"))
	}
	p.Thermal = thermalOf(mass)
	override := func(into *float64, n run.Number, scale float64) bool {
		v, ok := run.Known(n)
		if ok {
			*into = v * scale
		}
		return ok
	}
	if !override(&p.Thermal.HeatCapacityKJK, set.HeatCapacityKJK, 1) {
		p.assume(say.T("pack.heat-capacity"), say.T("pack.kj-k", say.Fixed(p.Thermal.HeatCapacityKJK, 0)),
			say.T("pack.kj-per-kg-and"))
	}
	p.ActivationJ = Activation
	override(&p.ActivationJ, set.ActivationKJ, 1000)
	override(&p.Thermal.CouplingKWK, set.CouplingWK, 0.001)
	override(&p.Thermal.LossKWK, set.LossWK, 0.001)
	override(&p.Thermal.CoolingKW, set.CoolingKW, 1)
	override(&p.Thermal.HeaterShare, set.HeaterSharePct, 0.01)
	p.HeaterKW, _ = run.Known(c.HeaterKW)
	p.WarmC, p.HotC = DefaultWarmC, defaultHotC
	if w, ok := run.Value(c.WarmC); ok {
		p.WarmC = w
	} else {
		p.assume(say.T("pack.warm-from-2"), say.T("pack.warm-from", say.Q(DefaultWarmC, "°C", 0)),
			say.T("pack.to-c-is-comfortable"))
	}
	override(&p.HotC, set.HotC, 1)
	p.HalfBelowK = UsualHalfK
	override(&p.HalfBelowK, set.HalfBelowK, 1)
}

func (p *Pack) assume(what, value, from say.Text) {
	p.Assumed = append(p.Assumed, Assumption{what, value, from})
}

// RestV is the pack's voltage at rest at a state of charge in percent, held
// within the terminals' range. Outside 0 to 100 % it is the end value.
func (p *Pack) RestV(socPct float64) float64 {
	return max(p.MinV, min(p.MaxV, p.Cells*p.rest.volts(socPct)))
}

// gas is the molar gas constant in J/(mol K), CODATA 2018 (exact).
const gas = 8.314462618

// Activation is how strongly a cell's resistance falls with temperature, in
// J/mol: Arrhenius' law; 20 kJ/mol doubles it from 25 to 0 °C (from memory).
const Activation = 20000.0

// Ohm is the pack's resistance at a state of charge in percent and a cell
// temperature in °C: ResistanceOhm times Arrhenius' factor times a factor for
// charge that is 1 at half full and higher towards both ends. Below -40 and above
// 80 °C it is that of the end.
func (p *Pack) Ohm(socPct, cellC float64) float64 {
	return p.ResistanceOhm * ChargeFactor(socPct) * math.Exp(p.ActivationJ*Arrhenius(cellC))
}

// Arrhenius is by how much the logarithm of a resistance lies over that at 25 °C for each J/mol of activation.
func Arrhenius(cellC float64) float64 {
	return (1/(max(-40, min(80, cellC))+273.15) - 1/298.15) / gas
}

// ChargeFactor is the resistance against charge, 1 at half full: 1.3 when empty
// and 1.1 when full (from memory; it is flat from 30 to 80 %).
func ChargeFactor(socPct float64) float64 {
	switch {
	case socPct < 30:
		return 1 + 0.3*(30-max(0, socPct))/30
	case socPct > 80:
		return 1 + 0.1*(min(100, socPct)-80)/20
	}
	return 1
}

// HeatKW is the heat that a current in A makes in a resistance: the current
// squared times the resistance. It is Bernardi's balance (J. Electrochem. Soc. 132
// (1985) 5) without its entropic term, which is small at these currents.
func HeatKW(amps, ohm float64) float64 { return amps * amps * ohm / 1000 }

// Amps is the charging current in A at which the terminals take powerKW, from the
// rest voltage and the resistance: the positive root of I·(V + I·R) = P. It is 0
// for no power.
func Amps(powerKW, restV, ohm float64) float64 {
	if !(powerKW > 0) {
		return 0
	}
	if ohm <= 0 {
		return powerKW * 1000 / restV
	}
	return (math.Sqrt(restV*restV+4*ohm*powerKW*1000) - restV) / (2 * ohm)
}

// ColdShare is the share of its warm power that the pack takes when its coldest
// cell has cellC: all of it from WarmC up, half of it HalfBelowK below (11 K: a pack at
// 13 °C took half and reached its peak at about 24: common practice, no source), an
// eighth at 2.3 times that below, and nothing at 4.1 times, where cells would plate
// lithium.
func (p *Pack) ColdShare(cellC float64) float64 { return ColdShare(p.WarmC-cellC, p.HalfBelowK) }

// ColdShare is the share of its warm power that a pack takes so many kelvin below where
// it is warm, when it takes half of it halfBelowK below.
func ColdShare(belowK, halfBelowK float64) float64 {
	return along(coldShare, belowK*UsualHalfK/halfBelowK)
}

// UsualHalfK is how many kelvin below warm a pack takes half of its power, where nothing else is known of it.
const UsualHalfK = 11.0

var coldShare = [][2]float64{{0, 1}, {UsualHalfK, 0.5}, {18, 0.27}, {25, 0.125}, {35, 0.04}, {45, 0}}

// HotShare is the share of its power that the pack takes when its warmest cell
// has cellC: all of it up to HotC, then 8 % less a kelvin, and a fifth at least
// (common practice, no source).
func (p *Pack) HotShare(cellC float64) float64 { return HotShare(cellC - p.HotC) }

// HotShare is the same so many kelvin above where the car begins to take power back.
func HotShare(aboveK float64) float64 { return max(0.2, min(1, 1-0.08*aboveK)) }
