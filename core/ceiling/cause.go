// Package ceiling names the limits that can hold a car's power down.
package ceiling

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

// Sign is how a cause is shown: a word, and the letter that stands for it where
// there is no room.
type Sign struct {
	Cause  Cause
	Letter string
	Words  string
}

// Signs lists every cause in the order of the definitions.
var Signs = []Sign{
	{Ramp, "R", "ramp"},
	{StallPower, "P", "stall's power"},
	{StallCurrent, "A", "stall's current"},
	{StallVoltage, "V", "stall's voltage"},
	{AdapterCurrent, "D", "adapter's current"},
	{CarPower, "K", "car's power limit"},
	{CarCurrent, "I", "car's current limit"},
	{CarConverter, "B", "car's converter"},
	{PackTaper, "T", "pack's taper"},
	{Cold, "C", "cold"},
	{Hot, "H", "heat"},
	{TimerStep, "M", "timer in the car"},
	{SoCStep, "S", "SoC step"},
	{Finish, "F", "finish"},
	{StallFault, "X", "stall fault"},
	{SharedCabinet, "N", "shared cabinet"},
	{CableHot, "W", "warm cable"},
	{Paused, "–", "paused"},
	{Unknown, "?", "not decidable"},
}

// Sign gives a cause's sign; an unlisted one is shown as itself.
func (c Cause) Sign() Sign {
	for _, s := range Signs {
		if s.Cause == c {
			return s
		}
	}
	return Sign{c, "?", string(c)}
}

// Words is the cause in plain words.
func (c Cause) Words() string { return c.Sign().Words }
