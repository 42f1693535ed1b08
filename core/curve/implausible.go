package curve

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/say"
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
	FromPct float64  `json:"from_pct"` // the window's posts
	ToPct   float64  `json:"to_pct"`
	TS      float64  `json:"t_s"`    // what the readings give, s
	Reason  say.Text `json:"reason"` // one sentence, with the numbers used
}

// implausible says why a window cannot be; empty where it can.
func implausible(r *run.Run, w Window) say.Text {
	gained := w.ToPct - w.FromPct
	if w.TS <= 0 {
		return say.T("curve.points-in-no-time", say.Fig(gained, 0))
	}
	if c := gained / 100 * 3600 / w.TS; c > mostC {
		return say.T("curve.points-in-would-need", say.Fig(gained, 0), say.Duration(w.TS), say.Fig(c, 0), say.Fig(mostC, 0))
	}
	kw, from := neededKW(r, w, gained)
	if kw > mostKW {
		return say.T("curve.would-need", say.Fig(kw, 0), from)
	}
	if r.Stall != nil {
		if rated, ok := run.Known(r.Stall.RatedKW); ok && kw > overRating*rated {
			return say.T("curve.would-need-over-stall", say.Fig(kw, 0), from, say.Fig(rated, 0))
		}
	}
	if r.Car != nil {
		if most, ok := run.Known(r.Car.MaxKW); ok && kw > overRating*most {
			return say.T("curve.would-need-over-car", say.Fig(kw, 0), from, say.Fig(most, 0))
		}
	}
	return nil
}

// neededKW is the mean power that a window stands for: as measured, and what its
// share of the noted capacity needs, whichever is more.
func neededKW(r *run.Run, w Window, gained float64) (kw float64, from say.Text) {
	if w.AverageKW != nil {
		kw = *w.AverageKW
	}
	if r.Car == nil {
		return kw, nil
	}
	kwh, ok := run.Known(r.Car.UsableKWh)
	if !ok {
		if kwh, ok = run.Known(r.Car.GrossKWh); !ok {
			return kw, nil
		}
	}
	if need := kwh * gained / 100 * 3600 / w.TS; need > kw {
		return need, say.T("curve.for-of-kwh", say.Fig(kwh*gained/100, 0), say.Fig(kwh, 0))
	}
	return kw, nil
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
	f := &Finding{Kind: AboutImplausible, Confidence: say.Strong, FromS: from, ToS: from + math.Max(0, w.TS)}
	f.Text = say.T("curve.in-cannot-be", say.Fig(w.FromPct, 1), say.Fig(w.ToPct, 1), say.Duration(w.TS), w.Reason)
	f.Evidence = []say.Text{
		say.T("curve.usual-reasons-minutes-read"),
		say.T("curve.windows-that-cannot-be"),
	}
	return f
}
