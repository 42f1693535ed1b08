package ui

import (
	"fmt"
	"time"

	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/logbook"
)

const WallClock = "15:04"

// waited says how long it was from one time to another, in words.
func waited(since, now time.Time) string {
	switch past := now.Sub(since); {
	case past < time.Minute:
		return words.Duration(past.Seconds())
	case past < 48*time.Hour:
		return words.Hours(past.Seconds())
	default:
		return fmt.Sprintf("%d days", int(past.Hours()/24))
	}
}

// Or gives a text, or another where it is empty.
func Or(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

// PreconditionedName says in words how the pack was warmed.
func PreconditionedName(v string) string {
	switch v {
	case "none":
		return "not preconditioned"
	case "car":
		return "preconditioned by the car"
	case "driven":
		return "warmed by driving"
	case "charged":
		return "warm from an earlier charge"
	}
	return "preconditioning not noted"
}

// MarkName says a mark in words.
func MarkName(m logbook.Mark) string {
	name := map[string]string{run.PlugIn: "plugged in", run.FirstPower: "first power", run.Unplug: "unplugged",
		run.Stop:    "stop pressed",
		run.Attempt: "attempt", run.Heater: "heater", run.Fan: "fans", run.Neighbour: "neighbour", run.Note: ""}[m.Kind]
	switch {
	case name == "":
		return m.Note
	case m.Note == "":
		return name
	}
	return name + ": " + m.Note
}

// Cautions stand wherever somebody is about to charge.
var Cautions = []string{
	"Damaged cable, connector or inlet: do not use it, report it.",
	"Never pull a connector under load: stop first, then unplug.",
	"A logger is handled by a passenger or while parked. Follow the car's and the stall's instructions and local rules.",
}
