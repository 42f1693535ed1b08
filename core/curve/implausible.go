package curve

import (
	"fmt"
	"math"

	"zincroad/core/run"
	"zincroad/core/words"
)

// What no charging session has come near (common practice, no source): a window
// that would need more is not stated.
const (
	mostKW     = 1000.0
	mostC      = 6.0     // 1/h
	overRating = 4 / 3.0 // of the stall's label, of the car's limit
)

// Implausible is a window that the run's readings give and that cannot be.
type Implausible struct {
	FromPct float64 `json:"from_pct"` // the window's posts
	ToPct   float64 `json:"to_pct"`
	TS      float64 `json:"t_s"`    // what the readings give, s
	Reason  string  `json:"reason"` // one sentence, with the numbers used
}

// implausible says why a window cannot be; empty where it can.
func implausible(r *run.Run, w Window) string {
	gained := w.ToPct - w.FromPct
	if w.TS <= 0 {
		return fmt.Sprintf("%s points in no time", words.Figure(gained, 0))
	}
	if c := gained / 100 * 3600 / w.TS; c > mostC {
		return fmt.Sprintf(
			"%s points in %s would need %s times the pack's capacity an hour; %s is the most that any car takes",
			words.Figure(gained, 0),
			words.Duration(w.TS),
			words.Figure(c, 0),
			words.Figure(mostC, 0),
		)
	}
	kw, from := neededKW(r, w, gained)
	if kw > mostKW {
		return fmt.Sprintf("it would need %s kW%s", words.Figure(kw, 0), from)
	}
	if r.Stall != nil {
		if rated, ok := run.Known(r.Stall.RatedKW); ok && kw > overRating*rated {
			return fmt.Sprintf("it would need %s kW%s, at a stall of %s kW", words.Figure(kw, 0), from,
				words.Figure(rated, 0))
		}
	}
	if r.Car != nil {
		if most, ok := run.Known(r.Car.MaxKW); ok && kw > overRating*most {
			return fmt.Sprintf("it would need %s kW%s, and the car takes %s at most", words.Figure(kw, 0), from,
				words.Figure(most, 0))
		}
	}
	return ""
}

// neededKW is the mean power that a window stands for: as measured, and what its
// share of the noted capacity needs, whichever is more.
func neededKW(r *run.Run, w Window, gained float64) (kw float64, from string) {
	if w.AverageKW != nil {
		kw = *w.AverageKW
	}
	if r.Car == nil {
		return kw, ""
	}
	kwh, ok := run.Known(r.Car.UsableKWh)
	if !ok {
		if kwh, ok = run.Known(r.Car.GrossKWh); !ok {
			return kw, ""
		}
	}
	if need := kwh * gained / 100 * 3600 / w.TS; need > kw {
		return need, fmt.Sprintf(" for %s of %s kWh", words.Figure(kwh*gained/100, 0), words.Figure(kwh, 0))
	}
	return kw, ""
}

// implausibleFinding speaks of the widest window that cannot be.
func implausibleFinding(r *Reading) *Finding {
	widest := -1
	for i, w := range r.Implausible {
		if widest < 0 || w.ToPct-w.FromPct > r.Implausible[widest].ToPct-r.Implausible[widest].FromPct {
			widest = i
		}
	}
	if widest < 0 {
		return nil
	}
	w := r.Implausible[widest]
	from, _ := r.Post(w.FromPct)
	f := &Finding{Kind: AboutImplausible, Confidence: Strong, FromS: from, ToS: from + math.Max(0, w.TS)}
	f.Text = fmt.Sprintf("%s–%s %% in %s cannot be: %s.", words.Figure(w.FromPct, 1), words.Figure(w.ToPct, 1),
		words.Duration(w.TS), w.Reason)
	f.Evidence = []string{
		"usual reasons: minutes read for hours, per cent read for kW, two clocks that are not lined up, a " +
			"capacity or rating noted wrongly",
		"windows that cannot be are left out of every list and comparison",
	}
	return f
}
