package curve

import (
	"zincroad/core/figure"
	"zincroad/core/say"
)

func clockNumbers(x *Reading) (n figure.Lines) {
	for _, r := range x.Recordings {
		line := say.T("curve.s-added-by", r.File, say.Fig(r.ClockOffsetS, 2), r.LinedUpBy)
		if r.OffsetLowS != nil {
			line = line.And("curve.between-and-s", say.Fig(*r.OffsetLowS, 2), say.Fig(*r.OffsetHighS, 2))
		}
		if r.NotLinedUp.Any() {
			line = line.And("curve.not-by-shape", r.NotLinedUp)
		}
		n.Add(line)
	}
	return n
}

func windowNumbers(x *Reading) (n figure.Lines) {
	n = sayCharge(x)
	for _, w := range x.Windows {
		line := say.T("curve.window-seconds", say.Window(w.FromPct, w.ToPct), say.Clock(w.TS), say.Fig(w.TS, 1))
		if w.EnergyKWh != nil && w.AverageKW != nil {
			line = line.And("curve.kwh-s-kw", say.Fixed(*w.EnergyKWh, 3), say.Fig(w.TS, 1), say.Fixed(*w.AverageKW, 2))
		}
		n.Add(line)
	}
	return n
}

func capacityNumbers(x *Reading) (n figure.Lines) {
	n = sayCharge(x)
	if u := x.Usable; u != nil {
		line := say.T("curve.kwh-at-least", say.Fixed(u.Value, 2), say.Fixed(u.Low, 2))
		if u.High != nil {
			line = line.And("curve.at-most", say.Fixed(*u.High, 2))
		}
		n.Add(line)
	}
	return n
}

// peakNumbers says the highest reading, the highest mean, and how long that held.
func peakNumbers(x *Reading) (n figure.Lines) {
	p := x.Peak
	if p == nil {
		return nil
	}
	n.Say("curve.highest-at", say.Fig(p.KW, 2), say.Clock(p.TS))
	if p.SustainedKW != nil && p.HeldS != nil {
		n.Say("curve.highest-mean-over-s-kw", say.Fig(*p.SustainedKW, 2), say.Fig(*p.SustainedKW*HeldShare, 2))
		n.Say("curve.held-from-to-s", say.Clock(p.HeldFromS), say.Clock(p.HeldFromS+*p.HeldS), say.Fig(*p.HeldS, 1))
	}
	return n
}

// energyNumbers says what each side measured, and what was lost between and bridged.
func energyNumbers(x *Reading) (n figure.Lines) {
	for _, part := range []struct {
		code     string
		v        *float64
		decimals int
	}{
		{"curve.of-stall", x.Energy.StallKWh, 3},
		{"curve.of-car", x.Energy.CarKWh, 3},
		{"curve.of-loss", x.Energy.LossPct, 2},
	} {
		if part.v != nil {
			n.Say(part.code, say.Fixed(*part.v, part.decimals))
		}
	}
	if s := x.Energy.BridgedS; s != nil {
		n.Say("curve.bridged-s", say.Fig(*s, 1))
	}
	for _, r := range x.Recordings {
		if r.PowerFrom != "" {
			n.Say("curve.power-of", r.File, r.PowerFrom)
		}
	}
	return n
}

// costNumbers says the parts of the bill that are added up.
func costNumbers(x *Reading) (n figure.Lines) {
	b := x.Cost
	if b == nil {
		return nil
	}
	for _, part := range []struct {
		code string
		v    float64
	}{
		{"curve.bill-energy", b.Energy},
		{"curve.bill-minutes", b.Time},
		{"curve.bill-session", b.Session},
		{"curve.bill-idle", b.Idle},
		{"curve.bill-tax", b.Tax},
		{"curve.bill-total", b.Total},
	} {
		n.Say(part.code, b.Currency, say.Fixed(part.v, 2))
	}
	return n
}

// screenNumbers says what the seller counted, beside what its power adds up to.
func screenNumbers(x *Reading) (n figure.Lines) {
	s := x.Screen
	if s == nil {
		return nil
	}
	for _, part := range []struct {
		code string
		v    *float64
	}{
		{"curve.of-register", s.KWh},
		{"curve.of-power", s.PowerKWh},
		{"curve.of-price", s.Cost},
	} {
		if part.v != nil {
			n.Say(part.code, say.Fixed(*part.v, 2))
		}
	}
	return n
}

func sayCharge(x *Reading) (n figure.Lines) {
	if span := x.SoC; span != nil {
		n.Say("curve.state-of-charge-at", say.Fig(span.FromPct, 2), say.Fig(span.ToPct, 2))
	}
	return n
}

func ceilingNumbers(x *Reading) (n figure.Lines) {
	for _, c := range x.Ceilings {
		line := say.T("curve.stretch", say.Clock(c.FromS), say.Clock(c.ToS), c.Cause.Text(),
			c.Confidence.Text())
		if c.RunnerUp != "" {
			line = line.And("curve.next", c.RunnerUp.Text())
		}
		n.Add(line)
	}
	return n
}

// lostNumbers shows that the minutes add up: what was lost, less what was gained, on top of the reference gives the
// window's time.
func lostNumbers(x *Reading) (n figure.Lines) {
	p := x.Pace
	if p == nil {
		return nil
	}
	n.Say("curve.against", say.Window(p.FromPct, p.ToPct), p.Against)
	sum := p.ReferenceMin - p.GainedMin
	n.Say("curve.own-pace-and-reference", say.Fixed(p.ReferenceMin, 2), say.Fixed(p.GainedMin, 2))
	for _, l := range p.Lost {
		sum += l.Minutes
		n.Say("curve.min", l.Cause.Words(), say.Fixed(l.Minutes, 2))
	}
	n.Say("curve.together-min", say.Fixed(sum, 2))
	return n
}
