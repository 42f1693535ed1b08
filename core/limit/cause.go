// Package limit says what can hold a car's power down: the causes by name, and the limits of stall, adapter, car and
// pack at one moment. Fits and forecasts go by it, and so does the judgement of what did hold a run (core/judge).
package limit

import (
	"zincroad/core/say"
)

// Cause is one limit that could hold the power down, by the name that files and
// pages share.
type Cause string

// The causes. Ramp covers plug-in to the first plateau, handshake included, and
// the climb after a pause. Paused is no power after first power, also between
// legs. StallVoltage is the stall's highest voltage holding, or a pack outside its
// range; Finish is the same at the pack's own top voltage.
const (
	Ramp           Cause = "ramp"
	StallPower     Cause = "stall-power"
	StallCurrent   Cause = "stall-current"
	StallVoltage   Cause = "stall-voltage"
	AdapterCurrent Cause = "adapter-current"
	CarPower       Cause = "car-power"
	CarCurrent     Cause = "car-current"
	CarConverter   Cause = "car-converter"
	PackTaper      Cause = "pack-taper"
	Cold           Cause = "cold"
	Hot            Cause = "hot"
	TimerStep      Cause = "timer-step"
	SoCStep        Cause = "soc-step"
	Finish         Cause = "finish"
	StallFault     Cause = "stall-fault"
	SharedCabinet  Cause = "shared-cabinet"
	CableHot       Cause = "cable-hot"
	Paused         Cause = "paused"
	Unknown        Cause = "unknown"
)

// Whose says who is held responsible for a cause.
type Whose string

// The car with its pack, the stall with its cable and cabinet, what lies between the two
// (handshake, adapter), or nobody: there is no limit, or none can be named.
const (
	OfCar    Whose = "car"
	OfStall  Whose = "stall"
	Between  Whose = "between"
	OfNobody Whose = "nobody"
	Open     Whose = "open" // the car or the stall: which of them cannot be told
)

// Sign is a cause with who is held responsible.
type Sign struct {
	Cause Cause // as the open formats spell it
	Whose Whose
}

// Signs lists every cause in the order of the definitions.
var Signs = []Sign{
	{Ramp, Between},
	{StallPower, OfStall},
	{StallCurrent, OfStall},
	{StallVoltage, OfStall},
	{AdapterCurrent, Between},
	{CarPower, OfCar},
	{CarCurrent, OfCar},
	{CarConverter, OfCar},
	{PackTaper, OfCar},
	{Cold, OfCar},
	{Hot, OfCar},
	{TimerStep, OfCar},
	{SoCStep, OfCar},
	{Finish, OfCar},
	{StallFault, OfStall},
	{SharedCabinet, OfStall},
	{CableHot, OfStall},
	{Paused, OfNobody},
	{Unknown, OfNobody},
}

// Sign gives a cause's sign; an unlisted one is nobody's.
func (c Cause) Sign() Sign {
	for _, s := range Signs {
		if s.Cause == c {
			return s
		}
	}
	return Sign{c, OfNobody}
}

// Words is the cause in plain words.
func (c Cause) Words() string { return c.Text().Kept() }

// Text is the same as a message; an unlisted cause is told as it is spelled.
func (c Cause) Text() say.Text {
	for _, s := range Signs {
		if s.Cause == c {
			return say.T("cause." + string(c))
		}
	}
	return say.Own(string(c))
}

// Words is the cause in the middle of a sentence, for a page of Sign.
func (s Sign) Words() string { return s.Cause.Words() }
