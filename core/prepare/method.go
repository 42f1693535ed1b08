package prepare

import (
	"zincroad/core/run"
)

// Method is the rules that make runs comparable, with the reason for them.
type Method struct {
	Key         string     `json:"key"`
	Name        string     `json:"name"`
	FromPct     float64    `json:"from_pct"`
	ToPct       float64    `json:"to_pct"`
	Clock       string     `json:"clock"`         // plug or power
	Climate     string     `json:"climate"`       // off or on
	TargetC     run.Number `json:"target_c"`      // of the coldest cell at plug-in; nil: where the car is warm
	Cold        bool       `json:"cold"`          // cold on purpose: not warmed at all
	Repeats     int        `json:"repeats"`       // runs of each kind
	ReplugAtPct float64    `json:"replug_at_pct"` // unplug here and plug in again; 0: never
	Why         string     `json:"why"`           // what it is for
	Same        []string   `json:"same"`          // what to keep the same
	Log         []string   `json:"log"`           // what to log
	Cautions    []string   `json:"cautions"`      // what to mind beyond every run's cautions
}

// Cautions that stand in more than one place.
const (
	cautionConnector = "Damaged cable, connector or inlet: do not use it, report it. Never pull a connector " +
		"under load; stop first."
	cautionAdapter = "Use only adapters that are rated and approved for that car and stall; never chain them."
	cautionRunOut  = "Do not run to 0 % without a reachable fallback, and never where stopping would be dangerous."
	cautionTaper   = "Do not block a stall that others need: above 80 % the session is slow. Mind idle " +
		"fees and site rules."
	cautionReplug = "Stop first, then unplug. Never pull a connector under load."
	cautionCold   = "Extreme cold: leave it to the car. Frozen cells take no charge until a heater has " +
		"run; that guard is there for good reason."
)

var sameAlways = []string{
	"car software",
	"climate as the method says",
	"stall or, at least, its kind",
	"the charge to start from, within 2 points",
}

func same(more ...string) []string { return append(append([]string{}, sameAlways...), more...) }

// Methods are the schools that testers follow (common practice, no source). Each
// can be used as it is, or be the beginning of one's own.
var Methods = []Method{
	{Key: "stop", Name: "10–80 % stop", FromPct: 10, ToPct: 80, Clock: "plug", Climate: "off", Repeats: 2,
		Why:  "The usual stop on a trip: how many minutes until I can go on.",
		Same: same("battery temperature at plug-in, within 3 K"),
		Log: []string{
			"SoC and kW every 10 %",
			"coldest and warmest cell at plug-in and unplug",
			"what the stall's screen says at the end",
		}},
	{Key: "full", Name: "0–100 % full curve", FromPct: 0, ToPct: 100, Clock: "plug", Climate: "off", Repeats: 1,
		Why: "The whole curve once: peak, taper and finish, and the usable capacity.",
		Same: same("battery temperature at plug-in, within 3 K",
			"plug in the moment the display flips from 1 to 0"),
		Log: []string{
			"both sides, to the very end",
			"volts and amps, for the finish",
			"energy on the stall's screen",
		},
		Cautions: []string{cautionRunOut, cautionTaper}},
	{Key: "low-stop", Name: "20–80 %", FromPct: 20, ToPct: 80, Clock: "plug", Climate: "off", Repeats: 2,
		Why:  "A stop that needs no run-down, for cars that others have tested from 20 %.",
		Same: same("battery temperature at plug-in, within 3 K"),
		Log:  []string{"SoC and kW every 10 %", "coldest and warmest cell at plug-in and unplug"}},
	{Key: "high-stop", Name: "30–80 %", FromPct: 30, ToPct: 80, Clock: "plug", Climate: "off", Repeats: 2,
		Why:  "A shorter, higher window: does it keep clear of heat that a low start runs into?",
		Same: same("battery temperature at plug-in, within 3 K"),
		Log:  []string{"warmest cell through the run", "fans and compressor, when they start"}},
	{Key: "add-50", Name: "Add 50 points", FromPct: 20, ToPct: 70, Clock: "plug", Climate: "off", Repeats: 2,
		Why:  "Where does adding the same charge take least time? Run it from 10, 20 and 30 %.",
		Same: same("battery temperature at plug-in, within 3 K", "the points added"),
		Log:  []string{"SoC with decimals, if the car gives it", "warmest cell through the run"}},
	{Key: "cold", Name: "Cold start", FromPct: 10, ToPct: 80, Clock: "plug", Climate: "off", Cold: true, Repeats: 2,
		Why: "What a driver finds who has not preconditioned: how long the pack holds the power down, and " +
			"at which temperature it lets go.",
		Same:     same("outside temperature, within 3 K", "hours stood before"),
		Log:      []string{"coldest cell at least every minute", "battery heater, when it runs"},
		Cautions: []string{cautionCold}},
	{Key: "two-stalls", Name: "A/B of two stalls", FromPct: 10, ToPct: 80, Clock: "power", Climate: "off", Repeats: 2,
		Why: "Is it the stall? The same car, the same day, two stalls; a difference is one only if it is " +
			"larger than that of repeats.",
		Same: same("battery temperature at plug-in, within 2 K", "order: A, B, B, A if you can"),
		Log: []string{
			"requested and delivered power, where shown",
			"volts and amps of the stall",
			"whether a neighbour is plugged in",
		}},
	{
		Key:     "two-profiles",
		Name:    "A/B of two profiles",
		FromPct: 10,
		ToPct:   80,
		Clock:   "plug",
		Climate: "off",
		Repeats: 2,
		Why:     "What the gentle profile costs in minutes and spares in C-rate and heat.",
		Same:    same("stall, not only its kind", "battery temperature at plug-in, within 3 K"),
		Log:     []string{"profile in the notes of every run", "warmest cell at unplug"},
	},
	{
		Key:         "replug",
		Name:        "Replug test",
		FromPct:     10,
		ToPct:       80,
		Clock:       "plug",
		Climate:     "off",
		Repeats:     1,
		ReplugAtPct: 50,
		Why: "Some cars hold full power for a set time after each plug-in: unplug at the drop, plug in " +
			"again, and see whether it comes back.",
		Same:     same("battery temperature at plug-in, within 3 K", "time unplugged, under a minute"),
		Log:      []string{"marks at unplug and replug", "seconds from plug-in to each drop"},
		Cautions: []string{cautionReplug},
	},
	{Key: "series", Name: "Repeat series", FromPct: 10, ToPct: 80, Clock: "plug", Climate: "off", Repeats: 5,
		Why:  "How wide is the band? Without repeats no difference can be called one.",
		Same: same("stall", "battery temperature at plug-in, within 2 K", "outside temperature, within 5 K"),
		Log:  []string{"everything that you log anyway, each time the same"}},
}

// MethodOf gives a ready method by its key, and false where there is none.
func MethodOf(key string) (Method, bool) {
	for _, m := range Methods {
		if m.Key == key {
			return m, true
		}
	}
	return Method{}, false
}

// MethodNamed is the method of a name, a tester's own before a ready one. A name that is
// no method's is run by none of their rules.
func MethodNamed(name string, own []Method) Method {
	for _, list := range [][]Method{own, Methods} {
		for _, m := range list {
			if m.Name == name {
				return m
			}
		}
	}
	return Method{Name: name}
}
