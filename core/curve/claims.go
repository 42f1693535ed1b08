package curve

import (
	"math"
	"slices"

	"zincroad/core/judge"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
)

// What became of a claim.
const (
	ClaimMet       = "met"
	ClaimMissed    = "missed"
	ClaimUndecided = "undecided" // it lies between two readings
	ClaimUntested  = "untested"  // this run cannot tell
)

// notTheCars are the causes that are no fault of the car as it was claimed: a claim is for a warm
// pack at a stall that can give what it takes (common practice, no source).
var notTheCars = map[limit.Cause]bool{limit.Cold: true, limit.StallPower: true, limit.StallCurrent: true,
	limit.StallVoltage: true, limit.AdapterCurrent: true, limit.StallFault: true, limit.SharedCabinet: true,
	limit.CableHot: true, limit.Paused: true, limit.CarConverter: true}

// claims holds what was claimed of a run against what was measured.
func (s *sides) claims(r *run.Run, out *Reading) []Claim {
	list := []Claim{}
	for _, c := range r.Claims {
		switch c.Kind {
		case "window":
			list = append(list, s.windowClaim(r, c, out))
		case "peak":
			list = append(list, s.peakClaim(r, c, out))
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
		x.Why = say.T("curve.the-claim-is-not-whole")
		return x
	}
	at := s.reached([]float64{from, to}, out.ZeroS)
	a, ok1 := at[from]
	b, ok2 := at[to]
	if !ok1 || !ok2 {
		x.Why = say.T("curve.does-not-cover", say.Window(from, to))
		return x
	}
	w := s.window(s.flows[out.Side], from, to, a, b, out.ZeroS)
	if implausible(r, w).Any() {
		x.Why = say.T("curve.the-window-that-was")
		return x
	}
	a = s.fromPower(from, a, out)
	lowS, highS := s.between(from, to, a, b, out.ZeroS)
	minutes, low, high := (b-a)/60, lowS/60, highS/60
	x.Measured, x.Low, x.High = &minutes, &low, &high
	if why := notTested(r, c, out); why.Any() && high > claimed {
		x.Why = why
		return x
	}
	apart := say.Text(nil)
	if high-low > leastApartMin {
		apart = say.T("curve.the-readings-put-it", say.Duration(math.Round(lowS)), say.Duration(math.Round(highS)))
	}
	switch {
	case high <= claimed:
		x.Verdict, x.Why = ClaimMet, say.T("curve.faster", say.Duration(math.Round((claimed-minutes)*60))).Then(apart)
		return x
	case low <= claimed:
		x.Verdict, x.Why = ClaimUndecided, say.T("curve.it-was-between", say.Duration(math.Round(lowS)),
			say.Duration(math.Round(highS)))
		return x
	}
	x.Verdict, x.Why = ClaimMissed, say.T("curve.slower", say.Duration(math.Round((minutes-claimed)*60))).Then(apart)
	j := s.judge(r)
	if j == nil || j.Reference.Basis == judge.ByKind { // a curve of its kind judges no car
		return x
	}
	if p, ok := j.Pace(a+out.ZeroS, b+out.ZeroS); ok {
		outside, most := 0.0, judge.Lost{}
		for _, l := range p.Lost {
			if notTheCars[l.Cause] {
				outside += l.S
				if l.S > most.S {
					most = l
				}
			}
		}
		if low-outside/60 <= claimed {
			x.Verdict = ClaimUntested
			x.Why = say.T("curve.took-of-it-not", most.Cause.Text(), say.Duration(math.Round(most.S)))
		}
	}
	return x
}

// leastApartMin is how far apart the ends of what a window can have been are worth a word, minutes.
const leastApartMin = 0.5

// fromPower is when a claimed window begins: a claim counts the charging, so one that begins at the plug-in counts from
// first power, as the charge stood still until then.
func (s *sides) fromPower(from, a float64, out *Reading) float64 {
	first := out.FirstPower - out.ZeroS
	start, ok := s.startsAt()
	if ok && from >= start && a < first && len(s.flows[out.Side]) > 0 {
		if soc := s.socAt(out.FirstPower); soc != nil && *soc <= from+1e-9 {
			return first
		}
	}
	return a
}

// between gives the shortest and the longest that a window can have taken, s, by the readings around its two ends:
// a state of charge was reached between the last reading below it and the first at or above it.
func (s *sides) between(from, to, a, b, zero float64) (low, high float64) {
	ends := func(soc, at float64) (float64, float64) {
		i := slices.IndexFunc(s.soc.V, func(v float64) bool { return v >= soc })
		if i <= 0 || s.soc.T[i]-zero <= at && s.soc.V[i] == soc && s.socRes < 1 {
			return at, at // it was read, or is where the run starts
		}
		return math.Min(at, s.soc.T[i-1]-zero), math.Max(at, s.soc.T[i]-zero)
	}
	a0, a1 := ends(from, a)
	b0, b1 := ends(to, b)
	if from <= s.soc.V[0]+1e-9 {
		a0, a1 = a, a
	}
	return math.Max(0, b0-a1), b1 - a0
}

// notTested says why a run cannot show that a claim fails; empty where it can.
func notTested(r *run.Run, c run.Claim, out *Reading) say.Text {
	if cold := tooCold(c, out); cold.Any() {
		return cold
	}
	if r.Conditions != nil && r.Conditions.Profile == "gentle" {
		return say.T("curve.the-run-was-in")
	}
	if least, ok := run.Known(c.StallKW); ok {
		rated := ratedOf(r)
		switch {
		case math.IsNaN(rated):
			return say.T("curve.the-claim-is-for-stalls-of", say.Fig(least, 0))
		case rated < least:
			return say.T("curve.the-claim-is-for-stalls", say.Fig(least, 0), say.Fig(rated, 0))
		}
	}
	return nil
}

// tooCold says that a claim is for a warmer pack than this one was; empty where it is not.
func tooCold(c run.Claim, out *Reading) say.Text {
	from, ok := run.Value(c.BatteryC)
	if !ok || out.Battery == nil || out.Battery.StartC == nil || *out.Battery.StartC >= from {
		return nil
	}
	return say.T("curve.the-claim-is-for", say.Q(from, "°C", 0), say.Q(*out.Battery.StartC, "°C", 0))
}

// peakClaim tests a highest power. One that was missed where something other than the car held the
// power at its best is untested.
func (s *sides) peakClaim(r *run.Run, c run.Claim, out *Reading) Claim {
	x := Claim{Kind: c.Kind, Verdict: ClaimUntested, Claimed: c.KW}
	claimed, ok := run.Known(c.KW)
	if !ok {
		x.Why = say.T("curve.the-claim-is-not")
		return x
	}
	if out.Peak == nil {
		x.Why = say.T("curve.no-power-was-read")
		return x
	}
	measured := out.Peak.KW
	x.Measured = &measured
	if measured >= claimed {
		x.Verdict = ClaimMet
		x.Why = say.T("curve.by-kw", say.Fig(measured-claimed, 1))
		return x
	}
	if why := notTested(r, c, out); why.Any() {
		x.Why = why
		return x
	}
	x.Verdict = ClaimMissed
	x.Why = say.T("curve.by-kw", say.Fig(claimed-measured, 1))
	at := out.Peak.TS
	if out.Peak.HeldS != nil {
		at = out.Peak.HeldFromS + *out.Peak.HeldS/2
	}
	for _, h := range out.Ceilings {
		if at >= h.FromS && at < h.ToS && notTheCars[h.Cause] && h.Confidence != say.Unsure {
			x.Verdict = ClaimUntested
			x.Why = say.T("curve.held-at-best", h.What)
		}
	}
	return x
}

// claimFindings say what became of each claim.
func claimFindings(r *Reading) []Finding {
	var out []Finding
	for _, c := range r.Claims {
		f := Finding{Kind: AboutClaim, Evidence: []say.Text{c.Why}}
		if n := len(r.Legs); n > 0 {
			f.FromS, f.ToS = r.Legs[0].FromS, r.Legs[n-1].ToS
		}
		if f.Confidence = r.confidence(&f); c.Verdict == ClaimUntested && c.Measured != nil && f.Confidence == say.Strong {
			f.Confidence = say.Likely // what else held it is a judgement
		}
		f.Text = say.T("curve.claim-verdict", c.Words(), map[string]string{ClaimMet: "met", ClaimMissed: "missed",
			ClaimUntested: "not tested", ClaimUndecided: "undecided"}[c.Verdict], c.Why)
		out = append(out, f)
	}
	return out
}

// Words is the claim itself in words.
func (c Claim) Words() say.Text {
	switch {
	case c.Kind == "peak" && c.Claimed != nil:
		return say.T("claim.peak", say.Fig(*c.Claimed, 0))
	case c.Claimed != nil && c.FromPct != nil && c.ToPct != nil:
		return say.T("claim.window", say.Window(*c.FromPct, *c.ToPct), say.Duration(math.Round(*c.Claimed*60)))
	}
	return say.Own(c.Kind)
}
