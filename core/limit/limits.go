package limit

import (
	"math"

	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
)

// Assumptions are what a tester may change about a stall.
type Assumptions struct {
	// PowerSharePct is how much of its label the stall gives; 0 is 100. A "150 kW"
	// stall often gives 130 to 135, which is 88 (common practice, no source).
	PowerSharePct float64
}

// TypicalSharePct is what a stall often gives of its label: 130 to 135 kW of 150
// (common practice, no source).
const TypicalSharePct = 88

// Limits are the fixed limits between a stall and a pack; +Inf is "not known".
// Powers and currents named Stall and Adapter are at the plug, those named Car at
// the pack; a converter's power is what it takes at the plug.
type Limits struct {
	StallKW, StallA, StallMinV, StallMaxV float64 // at the plug
	AdapterA, AdapterMaxV                 float64 // +Inf too where there is none
	CarKW, CarA, ConverterKW              float64 // into the pack; of the converter, at the plug
	PackMaxV                              float64

	Converter bool       // the car steps the stall's voltage up
	Refusal   say.Text   // why this stall cannot charge this car; empty when it can
	NotKnown  []say.Text // ratings that were not noted, in words: each may hold lower than anything here
}

// CableOhm is the resistance from the stall's meter to the pack's terminals, both ways, in ohms (from memory).
const CableOhm = 0.012

// ConverterShare is what a car's converter passes on (common practice, no source).
const ConverterShare = 0.97

// LimitsOf gathers the limits and settles whether the voltages meet. A stall or
// adapter of nil limits nothing.
func LimitsOf(c *run.Car, p *pack.Pack, s *run.Stall, ad *run.Adapter, a Assumptions) *Limits {
	l := &Limits{PackMaxV: p.MaxV}
	if s == nil {
		s = &run.Stall{}
	}
	if ad == nil {
		ad = &run.Adapter{}
	}
	l.StallKW, l.StallA = l.rating(s.RatedKW, say.T("limit.the-stall-power")), l.rating(s.MaxA,
		say.T("limit.the-stall-current"))
	l.StallMaxV = l.rating(s.MaxV, say.T("limit.the-stall-highest-voltage"))
	l.StallMinV, _ = run.Known(s.MinV)
	if a.PowerSharePct > 0 {
		l.StallKW *= a.PowerSharePct / 100
	}
	l.AdapterA, l.AdapterMaxV = OrInf(ad.MaxA), OrInf(ad.MaxV)
	l.CarKW, l.CarA = OrInf(c.MaxKW), OrInf(c.MaxA)
	l.ConverterKW = OrInf(c.ConverterKW)
	_, has := run.Known(c.ConverterKW)
	l.Converter = has && l.StallMaxV < p.MaxV
	l.Refusal = l.refuse(p)
	return l
}

func (l *Limits) rating(n run.Number, what say.Text) float64 {
	v := OrInf(n)
	if math.IsInf(v, 1) {
		l.NotKnown = append(l.NotKnown, what)
	}
	return v
}

// OrInf is a rating, or +Inf where none is noted.
func OrInf(n run.Number) float64 {
	if v, ok := run.Known(n); ok {
		return v
	}
	return math.Inf(1)
}

// refuse says why the voltages do not meet, in one sentence.
func (l *Limits) refuse(p *pack.Pack) say.Text {
	low, high := p.RestV(0), p.MaxV
	if l.Converter {
		low, high = p.MinV/2, l.StallMaxV // what the converter can work from
	}
	switch {
	case l.StallMaxV <= low:
		return say.T("limit.this-stall-cannot-charge-this", l.rangeOfStall(), say.Fixed(p.MinV, 0), say.Fixed(p.MaxV, 0))
	case l.StallMinV >= high:
		return say.T("limit.this-stall-cannot-charge", l.rangeOfStall(), say.Fixed(high, 0))
	case l.AdapterMaxV <= low:
		return say.T("limit.this-adapter-cannot-be", say.Fixed(l.AdapterMaxV, 0), say.Fixed(p.MinV, 0), say.Fixed(p.MaxV, 0))
	}
	return nil
}

func (l *Limits) rangeOfStall() say.Text {
	switch {
	case math.IsInf(l.StallMaxV, 1):
		return say.T("limit.v-and-more", say.Fixed(l.StallMinV, 0))
	case l.StallMinV > 0:
		return say.T("limit.to-v", say.Fixed(l.StallMinV, 0), say.Fixed(l.StallMaxV, 0))
	}
	return say.T("limit.up-to-v", say.Fixed(l.StallMaxV, 0))
}

// PlugV is the voltage at the plug when the terminals have packV: the same, or half
// of it within the stall's range where the car's converter steps it up.
func (l *Limits) PlugV(packV float64) float64 {
	if l.Converter {
		return max(l.StallMinV, min(l.StallMaxV, packV/2))
	}
	return packV
}

// TopV is the highest voltage that may stand at the terminals, and whose limit it
// is: the pack's own, the stall's or the adapter's.
func (l *Limits) TopV() (volts float64, cause Cause) {
	volts, cause = l.PackMaxV, Finish
	if l.Converter {
		return volts, cause
	}
	if line := min(l.StallMaxV, l.AdapterMaxV); line < volts {
		return line, StallVoltage
	}
	return volts, cause
}

// ToPlug is the power at the plug for a power at the pack, before what the cable
// and the car's other consumers take.
func (l *Limits) ToPlug(packKW float64) float64 {
	if l.Converter {
		return packKW / ConverterShare
	}
	return packKW
}

// FromPlug is the power at the pack for a power at the plug.
func (l *Limits) FromPlug(plugKW float64) float64 {
	if l.Converter {
		return plugKW * ConverterShare
	}
	return plugKW
}

// LimitsAsNoted is LimitsOf for a car of which little may be known. Without a capacity
// there is no pack (nil), and only what is noted of the stall limits anything; a car of
// nil is one of which nothing is known.
func LimitsAsNoted(c *run.Car, s *run.Stall, ad *run.Adapter, a Assumptions) (*Limits, *pack.Pack) {
	if c == nil {
		c = &run.Car{}
	}
	p, err := pack.For(c)
	if err == nil {
		return LimitsOf(c, p, s, ad, a), p
	}
	inf := math.Inf(1)
	l := &Limits{StallKW: inf, StallA: inf, AdapterA: inf, CarKW: inf, CarA: inf, ConverterKW: inf}
	if s != nil {
		l.StallKW, l.StallA = OrInf(s.RatedKW), OrInf(s.MaxA)
	}
	return l, nil
}

// Label names a limit with its figure: "stall, 350 A".
func (l *Limits) Label(c Cause) say.Text {
	switch c {
	case StallPower:
		return say.T("limit.stall", say.Q(l.StallKW, "kW", 0))
	case StallCurrent:
		return say.T("limit.stall", say.Q(l.StallA, "A", 0))
	case AdapterCurrent:
		return say.T("limit.adapter", say.Q(l.AdapterA, "A", 0))
	case CarPower:
		return say.T("limit.car", say.Q(l.CarKW, "kW", 0))
	case CarCurrent:
		return say.T("limit.car", say.Q(l.CarA, "A", 0))
	case CarConverter:
		return say.T("limit.converter", say.Q(l.ConverterKW, "kW", 0))
	case StallVoltage:
		return say.T("limit.top-voltage")
	case Finish:
		return say.T("limit.finish", say.Q(l.PackMaxV, "V", 0))
	}
	return c.Text()
}
