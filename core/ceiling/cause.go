// Package ceiling says what can hold a car's power down, and what does: the causes by name, the limits of
// stall, adapter, car and pack at one moment, and which of them the readings speak for.
//
// # How a judgement comes about
//
// A Log is what was read, with what is noted of car, stall and conditions and what other runs taught. Judge
// goes through it in five steps; the live page and finished runs share them.
//
//  1. Each leg is split into spans of flowing power; less than 1 kW is a pause, whatever else is read
//     (spansOf).
//  2. A span is laid on a grid of cells, seconds wide: means of kW, amps, volts, charge, temperatures, with how
//     much each wobbles (gridOf, noise). Ten typed readings are ten cells.
//  3. The grid is described by as few pieces as it takes, each of level amps, level power or a straight line:
//     the exact least of misfit plus a price for each number and each change point (split). Where pieces meet
//     is settled by the lines and then by the readings (settle, sharpen), since a cause begins with the first
//     instant of a fall. They are split again where a pack comes to be warm or hot, or to another share of its
//     taper (turned), which a line of power need not show.
//  4. For each piece, each cause is weighed by what the piece shows (weigh): its shape, how its level lies to
//     ratings and to what the warm pack takes, the cells' and the inlet's temperature, what was requested and
//     offered, the top of the volts. For each change point, by what enters and leaves a cause that way (enter).
//  5. Forward and backward over the pieces, that gives the probability of every cause in every piece
//     (posterior), and from it cause, runner-up and confidence (name, join). Words come last (explain).
//
// Evidence is in nats, natural logarithms of odds: 0.7 doubles them, 2.3 makes them ten times as large, 4.6 a
// hundred. What a number is worth was set by hand, by what testers take for sure and for a hint (common
// practice, no source), and is held by three galleries of runs whose causes are known (core/curve): who changes
// one sees there what it costs.
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

// Whose says who is held responsible for a cause.
type Whose string

// The car with its pack, the stall with its cable and cabinet, what lies between the two
// (handshake, adapter), or nobody: there is no limit, or none can be named.
const (
	OfCar    Whose = "car"
	OfStall  Whose = "stall"
	Between  Whose = "between"
	OfNobody Whose = "nobody"
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
