package decide

import (
	"math"

	"zincroad/core/forecast"
	"zincroad/core/pack"
)

// Gentle is what the gentle profile costs and spares over one window.
type Gentle struct {
	Full, Gentle Profile
	MoreS        float64 // how much longer the gentle profile takes
	NonePct      float64 // from this charge on it takes no longer; 100: it always does
}

// Profile is a window charged in one profile.
type Profile struct {
	TS, LowS, HighS float64 // HighS is NaN where it may never be gone through
	PeakKW          float64 // into the pack
	CRate           float64 // the same over the usable capacity, 1/h
	WarmestC        float64 // of the warmest cell at the end
}

// gentle is nil where either profile cannot be foretold to the end of the window.
func gentle(a Asked) *Gentle {
	full, soft := a.Session, a.Session
	full.Gentle, soft.Gentle = false, true
	full.Known, soft.Known = a.KnownFull, a.KnownFull // whichever profile the session itself is in
	if a.KnownGentle != nil {
		soft.Known = a.KnownGentle
	}
	f, at := profileOf(full, a.Uncertainty)
	g, slow := profileOf(soft, a.Uncertainty)
	if f == nil || g == nil {
		return nil
	}
	out := &Gentle{Full: *f, Gentle: *g, MoreS: g.TS - f.TS, NonePct: full.ToPct}
	// Down from the end, as long as what is left takes the same.
	for p := full.ToPct - 1; p >= full.FromPct; p-- {
		left, slower := f.TS-at.Reached(p), g.TS-slow.Reached(p)
		if !same(left, slower) {
			break
		}
		out.NonePct = p
	}
	return out
}

func profileOf(session forecast.Plan, u forecast.Uncertainty) (*Profile, *forecast.Forecast) {
	f, err := forecast.Of(session, u)
	if err != nil {
		return nil, nil
	}
	end, ok := f.Post(session.ToPct)
	if !ok {
		return nil, nil
	}
	p := &Profile{TS: end.TS, LowS: end.LowS, HighS: end.HighS, WarmestC: f.Battery.EndMaxC}
	for _, st := range f.Steps {
		p.PeakKW = math.Max(p.PeakKW, st.PackKW)
	}
	if b, err := pack.For(session.AsKnown().Car); err == nil {
		p.CRate = p.PeakKW / b.UsableKWh
	}
	return p, f
}
