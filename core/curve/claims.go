package curve

import (
	"fmt"
	"math"

	"zincroad/core/ceiling"
	"zincroad/core/run"
	"zincroad/core/words"
)

// What became of a claim.
const (
	ClaimMet      = "met"
	ClaimMissed   = "missed"
	ClaimUntested = "untested" // this run cannot tell
)

// notTheCars are the causes that are no fault of the car as it was claimed: a claim is for a warm
// pack at a stall that can give what it takes (common practice, no source).
var notTheCars = map[ceiling.Cause]bool{ceiling.Cold: true, ceiling.StallPower: true, ceiling.StallCurrent: true,
	ceiling.StallVoltage: true, ceiling.AdapterCurrent: true, ceiling.StallFault: true, ceiling.SharedCabinet: true,
	ceiling.CableHot: true, ceiling.Paused: true, ceiling.CarConverter: true}

// claims holds what was claimed of a run against what was measured.
func (s *sides) claims(r *run.Run, out *Reading) []Claim {
	list := []Claim{}
	for _, c := range r.Claims {
		switch c.Kind {
		case "window":
			list = append(list, s.windowClaim(r, c, out))
		case "peak":
			list = append(list, s.peakClaim(c, out))
		}
	}
	return list
}

// windowClaim tests a time from one charge to another. A window that was missed because of what is
// not the car's is untested: without that it might have been met.
func (s *sides) windowClaim(r *run.Run, c run.Claim, out *Reading) Claim {
	x := Claim{Kind: c.Kind, Verdict: ClaimUntested, Claimed: c.Minutes, FromPct: c.FromPct, ToPct: c.ToPct}
	from, ok1 := run.Value(c.FromPct)
	to, ok2 := run.Value(c.ToPct)
	claimed, ok3 := run.Known(c.Minutes)
	if !ok1 || !ok2 || !ok3 || to <= from {
		x.Why = "the claim is not whole: it needs two states of charge and minutes"
		return x
	}
	at := s.reached([]float64{from, to}, out.ZeroS)
	a, ok1 := at[from]
	b, ok2 := at[to]
	if !ok1 || !ok2 {
		x.Why = "this run does not cover " + words.Window(from, to)
		return x
	}
	w := s.window(s.flows[out.Side], from, to, a, b, out.ZeroS)
	if implausible(r, w) != "" {
		x.Why = "the window that was read is not plausible"
		return x
	}
	minutes := w.TS / 60
	x.Measured = &minutes
	cold := tooCold(c, out)
	if cold != "" && minutes > claimed {
		x.Why = cold
		return x
	}
	if minutes <= claimed {
		x.Verdict = ClaimMet
		x.Why = fmt.Sprintf("%s faster", words.Duration(math.Round((claimed-minutes)*60)))
		return x
	}
	x.Verdict = ClaimMissed
	x.Why = fmt.Sprintf("%s slower", words.Duration(math.Round((minutes-claimed)*60)))
	if j := s.judge(r); j != nil {
		if p, ok := j.Pace(a+out.ZeroS, b+out.ZeroS); ok {
			outside, most := 0.0, ceiling.Lost{}
			for _, l := range p.Lost {
				if notTheCars[l.Cause] {
					outside += l.S
					if l.S > most.S {
						most = l
					}
				}
			}
			if minutes-outside/60 <= claimed {
				x.Verdict = ClaimUntested
				x.Why = fmt.Sprintf("%s took %s of it: not a fair test of the car", most.Cause.Words(),
					words.Duration(math.Round(most.S)))
			}
		}
	}
	return x
}

// tooCold says that a claim is for a warmer pack than this one was; empty where it is not.
func tooCold(c run.Claim, out *Reading) string {
	from, ok := run.Value(c.BatteryC)
	if !ok || out.Battery == nil || out.Battery.StartC == nil || *out.Battery.StartC >= from {
		return ""
	}
	return fmt.Sprintf(
		"the claim is for %s and more, this pack had %s",
		words.Degrees(from),
		words.Degrees(*out.Battery.StartC),
	)
}

// peakClaim tests a highest power. One that was missed where something other than the car held the
// power at its best is untested.
func (s *sides) peakClaim(c run.Claim, out *Reading) Claim {
	x := Claim{Kind: c.Kind, Verdict: ClaimUntested, Claimed: c.KW}
	claimed, ok := run.Known(c.KW)
	if !ok {
		x.Why = "the claim is not whole: it needs kW"
		return x
	}
	if out.Peak == nil {
		x.Why = "no power was read"
		return x
	}
	measured := out.Peak.KW
	x.Measured = &measured
	if measured >= claimed {
		x.Verdict = ClaimMet
		x.Why = fmt.Sprintf("by %s kW", words.Figure(measured-claimed, 1))
		return x
	}
	if cold := tooCold(c, out); cold != "" {
		x.Why = cold
		return x
	}
	x.Verdict = ClaimMissed
	x.Why = fmt.Sprintf("by %s kW", words.Figure(claimed-measured, 1))
	at := out.Peak.TS
	if out.Peak.HeldS != nil {
		at = out.Peak.HeldFromS + *out.Peak.HeldS/2
	}
	for _, h := range out.Ceilings {
		if at >= h.FromS && at < h.ToS && notTheCars[h.Cause] && h.Confidence != Unsure {
			x.Verdict = ClaimUntested
			x.Why = h.What + " held it at its best: not a fair test of the car"
		}
	}
	return x
}

// claimFindings say what became of each claim.
func claimFindings(r *Reading) []Finding {
	var out []Finding
	for _, c := range r.Claims {
		f := Finding{Kind: AboutClaim, Evidence: []string{c.Why}}
		if n := len(r.Legs); n > 0 {
			f.FromS, f.ToS = r.Legs[0].FromS, r.Legs[n-1].ToS
		}
		if f.Confidence = r.confidence(&f); c.Verdict == ClaimUntested && c.Measured != nil && f.Confidence == Strong {
			f.Confidence = Likely // what else held it is a judgement
		}
		f.Text = fmt.Sprintf("Claim %s: %s, %s.", c.Words(), map[string]string{ClaimMet: "met", ClaimMissed: "missed",
			ClaimUntested: "not tested"}[c.Verdict], c.Why)
		out = append(out, f)
	}
	return out
}

// Words is the claim itself in words.
func (c Claim) Words() string {
	switch {
	case c.Kind == "peak" && c.Claimed != nil:
		return "peak " + words.Figure(*c.Claimed, 0) + " kW"
	case c.Claimed != nil && c.FromPct != nil && c.ToPct != nil:
		return words.Window(*c.FromPct, *c.ToPct) + " in " + words.Duration(math.Round(*c.Claimed*60))
	}
	return c.Kind
}
