package stall

import (
	"fmt"

	"zincroad/core/run"
	"zincroad/core/words"
)

// What couplers for DC charging are rated for: 1000 V by IEC 62196-3:2022 for
// configurations EE and FF (the combined system's), and 500 A with thermal
// management by IEC TS 62196-3-1:2020 (all from memory). IEC 61851-23
// lets a stall give no more than its coupler is rated for. Stalls that take more
// for a short while exist, so more is remarked on and not refused.
const (
	CouplerV = 1000
	CouplerA = 500
)

// Remarks says what in a stall's ratings does not go together, one sentence each;
// none for ratings that are not known.
func Remarks(s *run.Stall) []string {
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	volts, hasV := run.Known(s.MaxV)
	amps, hasA := run.Known(s.MaxA)
	kw, hasKW := run.Known(s.RatedKW)
	if hasV && volts > CouplerV {
		say("%s V is above the %d V that couplers for cars are rated for: is it the label's?",
			words.Figure(volts, 0), CouplerV)
	}
	if hasA && amps > CouplerA {
		say("%s A is above the %d A that cooled couplers are rated for: more can be had for a short time only.",
			words.Figure(amps, 0), CouplerA)
	}
	if hasV && hasA && hasKW && volts*amps/1000 < kw {
		say("%s V at %s A are %s kW, less than the %s kW of the label: it can never be reached.",
			words.Figure(volts, 0), words.Figure(amps, 0), words.Figure(volts*amps/1000, 0), words.Figure(kw, 0))
	}
	return out
}
