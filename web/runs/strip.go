package runs

import (
	"fmt"
	"math"

	"zincroad/core/curve"
	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/vehicle"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/chart"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// approachShare is how much of the approach is drawn, of the run's own length.
const approachShare = 0.12

// largeStrip puts the run's own strip together.
func largeStrip(row *logbook.Run, x *curve.Reading, sub *chart.Subject, rest []finding, in units.People) *draw.Strip {
	t, kw := sub.Column(trace.Power)
	strip := &draw.Strip{Title: "Power of run " + fmt.Sprint(row.ID) + " against time", Posts: x.Posts, Gaps: x.Gaps}
	from := -120.0
	if len(t) > 0 {
		from = min(from, -approachShare*t[len(t)-1])
	}
	for i := range t {
		if t[i] >= from {
			strip.T, strip.KW = append(strip.T, t[i]), append(strip.KW, kw[i])
		}
	}
	for _, c := range x.Ceilings {
		strip.Held = append(strip.Held, draw.Stretch{FromS: c.FromS, ToS: c.ToS, Cause: c.Cause})
	}
	if x.Pace != nil && x.Pace.Basis != string(judge.ByKind) {
		strip.WarmT, strip.WarmKW = sub.Column(curve.WarmPower)
		strip.WarmLabel = "warm pack, by " + x.Pace.Against.Kept()
	}
	if w, ok := x.Headline(row.Describe().Method); ok {
		strip.FromPct, strip.ToPct = w.FromPct, w.ToPct
	}
	for _, m := range row.Marks {
		strip.Marks = append(
			strip.Marks,
			draw.Sign{
				TS:     m.TS - x.ZeroS,
				Letter: draw.SignLetter(m.Kind),
				Title:  words.Clock(m.TS-x.ZeroS) + " " + ui.MarkName(m),
			},
		)
	}
	for _, f := range rest {
		switch f.Kind { // of the whole run, or of before it
		case curve.AboutEnergy, curve.AboutClock, curve.AboutClaim, curve.AboutDistance, curve.AboutScreen, curve.AboutAsked,
			curve.AboutApproach, curve.AboutBreach:
			continue
		}
		strip.Badges = append(strip.Badges, draw.Badge{TS: (f.FromS + f.ToS) / 2, Number: f.Number, Title: f.Text.In(in)})
	}
	return strip
}

// ghostOf draws the forecast of a run that was made at the stall dotted behind its
// strip, from how it really began, and says what it expected.
// other runs of the car stand in for what is not noted of it.
func ghostOf(row *logbook.Run, described *run.Run, known *vehicle.Model, res *logbook.Results, x *curve.Reading,
	strip *draw.Strip) string {
	if row.Plan == nil || described.Car == nil {
		return ""
	}
	plan := follow.AsBegan(x, follow.SessionOf(row.Plan, described))
	plan.Known = known
	f, err := forecast.Once(plan)
	if err != nil || len(f.Steps) == 0 {
		return ""
	}
	plug := res.Reading(curve.PlugClock, x.Side).ZeroS - x.ZeroS
	for i, st := range f.Steps {
		if i%10 != 0 && i != len(f.Steps)-1 {
			continue
		}
		kw := st.StallKW
		if x.Side == trace.CarSide {
			kw = st.PackKW
		}
		strip.GhostT, strip.GhostKW = append(strip.GhostT, st.T+plug), append(strip.GhostKW, kw)
	}
	w, ok := f.Window(plan.FromPct, plan.ToPct)
	if !ok {
		return ""
	}
	return fmt.Sprintf("Dotted: the forecast from how it began, %s in %s.", words.Window(plan.FromPct, plan.ToPct),
		words.Duration(math.Round(w.TS/60)*60))
}

// stacked are the quantities that are drawn under a strip on request, where they were read.
var stacked = []string{"volts", "amps", "coldest", "warmest", "requested"}

// stackOf draws them on the strip's axis, in the reader's units.
func stackOf(strip *draw.Strip, sub *chart.Subject, in units.People) string {
	d := draw.Stack{Title: "Volts, amps and what else was read, against time", Under: strip}
	for _, key := range stacked {
		of := chart.ChannelOf(key)
		if t, v, side := sub.Of(of.Channel); t != nil {
			d.Rows = append(d.Rows, draw.StackRow{Name: fmt.Sprintf("the %s's %s", side, of.Name), Unit: in.Name(of.Unit),
				T: t, V: ui.Converted(v, of.Unit, in), FromZero: of.FromZero})
		}
	}
	return d.SVG()
}
