package stall

import (
	"zincroad/core/run"
	"zincroad/core/say"
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
func Remarks(s *run.Stall) []say.Text {
	var out []say.Text
	tell := func(code string, args ...any) { out = append(out, say.T(code, args...)) }
	volts, hasV := run.Known(s.MaxV)
	amps, hasA := run.Known(s.MaxA)
	kw, hasKW := run.Known(s.RatedKW)
	if hasV && volts > CouplerV {
		tell("stall.v-is-above-the", say.Fig(volts, 0), CouplerV)
	}
	if hasA && amps > CouplerA {
		tell("stall.a-is-above-the", say.Fig(amps, 0), CouplerA)
	}
	if hasV && hasA && hasKW && volts*amps/1000 < kw {
		tell("stall.v-at-a-are", say.Fig(volts, 0), say.Fig(amps, 0), say.Fig(volts*amps/1000, 0), say.Fig(kw, 0))
	}
	return out
}
