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

// Sign is how a cause is shown: a word, the letter that stands for it where there is no
// room, who is held responsible, and its hatch: the strokes of a tile of 8 by 8 as an SVG
// path, empty for none. The stall's limits lie level, the car's and the pack's slant, cold
// and heat are dotted, what comes and goes is broken; so no colour is needed.
type Sign struct {
	Cause  Cause  // as the open formats spell it
	Letter string // one capital, no two alike
	Words  string // in the middle of a sentence
	Whose  Whose  // who is held responsible
	Hatch  string // SVG path, 8 by 8
}

// Signs lists every cause in the order of the definitions.
var Signs = []Sign{
	{Ramp, "R", "ramp", Between, "M0 4h2M4 4h2"},
	{StallPower, "P", "stall's power", OfStall, "M0 2h8M0 6h8"},
	{StallCurrent, "A", "stall's current", OfStall, "M2 0v8M6 0v8"},
	{StallVoltage, "V", "stall's voltage", OfStall, "M1 0v8M3 0v8M5 0v8M7 0v8"},
	{AdapterCurrent, "D", "adapter's current", Between, "M0 4h8M4 0v8"},
	{CarPower, "K", "car's power limit", OfCar, "M0 8L8 0M-2 2L2 -2M6 10L10 6"},
	{CarCurrent, "I", "car's current limit", OfCar, "M0 0L8 8M6 -2L10 2M-2 6L2 10"},
	{CarConverter, "B", "car's converter", OfCar, "M0 0L8 8M0 8L8 0"},
	{PackTaper, "T", "pack's taper", OfCar, "M0 8L8 0"},
	{Cold, "C", "cold", OfCar, "M2 2h.1M6 6h.1"},
	{Hot, "H", "heat", OfCar, "M1 1h.1M5 1h.1M3 3h.1M7 3h.1M1 5h.1M5 5h.1M3 7h.1M7 7h.1"},
	{TimerStep, "M", "timer in the car", OfCar, "M0 2h3M4 6h3"},
	{SoCStep, "S", "SoC step", OfCar, "M4 2v4M2 4h4"},
	{Finish, "F", "finish", OfCar, "M0 7h8"},
	{StallFault, "X", "stall fault", OfStall, "M2 2l4 4M6 2l-4 4"},
	{SharedCabinet, "N", "shared cabinet", OfStall, "M2 0v4M6 4v4"},
	{CableHot, "W", "warm cable", OfStall, "M0 2q2 3 4 0t4 0M0 6q2 3 4 0t4 0"},
	{Paused, "–", "paused", OfNobody, ""},
	{Unknown, "?", "not decidable", OfNobody, ""},
}

// Sign gives a cause's sign; an unlisted one is shown as itself.
func (c Cause) Sign() Sign {
	for _, s := range Signs {
		if s.Cause == c {
			return s
		}
	}
	return Sign{c, "?", string(c), OfNobody, ""}
}

// Words is the cause in plain words.
func (c Cause) Words() string { return c.Sign().Words }

// Text is the same as a message.
func (c Cause) Text() say.Text { return say.T("cause." + string(c)) }
