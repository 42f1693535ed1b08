package web

import (
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"zincroad/core/curve"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
)

// howView explains one figure with the numbers that it came from.
type howView struct {
	Name       string
	Of         string // what it is the figure of
	Definition string
	Numbers    []string
	Back       string // the page that it stands on, and what leads there
	BackText   string
}

// definitionTexts are the definitions in a sentence each; docs/definitions.md has
// them with formula and source.
var definitionTexts = map[string][2]string{
	"window":   {"Window", "The time from one post to another. A post is the first moment at which the state of charge, joined by straight lines between readings, reaches a round value; nothing is extrapolated."},
	"average":  {"Average power", "The energy of a window over its time, on the side shown."},
	"peak":     {"Peak", "The highest reading, spikes left out; the highest mean over any 10 s; and the longest time at 95 % or more of that mean. A dip of 2 s or less does not break it, a gap does."},
	"ramp":     {"Ramp", "Seconds from first power (1 kW) to the first reading at 90 % of the highest power within the first 180 s after it."},
	"energy":   {"Energy", "The area under the power of one side, by the trapezoid rule, from first power to the unplug of each leg; a run is the sum of its legs. Between an unplug and the next plug-in nothing flows, whatever was read. A stretch without readings longer than 30 s and ten times the interval is a gap: it is bridged by a straight line and counted."},
	"loss":     {"Loss", "Stall energy less car energy, over stall energy, in the time that both sides cover."},
	"capacity": {"Usable capacity", "Car-side energy over the state of charge gained, times 100, where 20 points or more are covered. The interval takes the display's resolution at both ends and the tolerance of the car's power."},
	"cost":     {"Money", "The price on the stall's screen at the end, where it was read; else by the stall's tariff: the register's kWh, or what the stall's power adds up to; every minute with power in the tier that the power is in at that moment; the session fee; minutes plugged in without charging, from last power to the unplug mark, beyond the grace period; tax on all of it."},
	"gap":      {"Gap", "A stretch without readings longer than 30 s and than ten times the median interval between readings. Where readings were typed the interval is that of the ten around, and a level that is the same at both ends within 5 % is none."},

	"screen": {"The stall's register",
		"What the stall's own register counted from the first plug-in to the end, beside the area under its power. A register that counts each session begins at 0 with it; one that goes on is read at both ends. The seller bills the register."},
	"implausible": {"What cannot be", "A window is not stated where it would need more than 1000 kW or six times the pack's capacity an hour, or over a third more than the stall's label or the car's own limit: by the power that was read, and by what its share of the noted capacity takes."},
}

// definitionOf gives the definition of the figure that the address names.
func definitionOf(r *http.Request, texts map[string][2]string) (figure string, text [2]string, err error) {
	figure = chi.URLParam(r, "figure")
	text, ok := texts[figure]
	if !ok {
		err = fmt.Errorf("the figure %q: %w", figure, logbook.ErrNotFound)
	}
	return figure, text, err
}

func (s *Server) how(w http.ResponseWriter, r *http.Request) {
	row, res, err := s.loadRun(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	figure, text, err := definitionOf(r, definitionTexts)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	q := readChartQuery(r.URL.Query())
	x := res.Reading(q.Clock, q.Side)
	s.explain(w, r, howView{Name: text[0], Of: fmt.Sprintf("run %d", row.ID), Definition: text[1], Numbers: numbersFor(figure, row, x),
		Back: fmt.Sprintf("/runs/%d", row.ID), BackText: fmt.Sprintf("Back to run %d", row.ID)}, Frame{Page: "run", Run: row})
}

// explain shows how a figure is worked out, as a page or as what a page's dialog holds.
func (s *Server) explain(w http.ResponseWriter, r *http.Request, v howView, f Frame) {
	if isPart(r) {
		s.part(w, r, "how", "explained", v)
		return
	}
	f.Title, f.Data = v.Name, v
	s.render(w, r, "how", http.StatusOK, f)
}

// numbersFor puts a definition's terms with the run's own numbers into lines.
func numbersFor(figure string, row *logbook.Run, x *curve.Reading) []string {
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	if span := x.SoC; span != nil && (figure == "window" || figure == "capacity") {
		say("state of charge %s %% at plug-in, %s %% at the most", words.Figure(span.FromPct, 2), words.Figure(span.ToPct, 2))
	}
	switch figure {
	case "window", "average":
		for _, w := range x.Windows {
			line := fmt.Sprintf("%s: %s = %s s", windowName(w.FromPct, w.ToPct), words.Clock(w.TS), words.Figure(w.TS, 1))
			if w.EnergyKWh != nil && w.AverageKW != nil {
				line += fmt.Sprintf("; %s kWh × 3600 / %s s = %s kW", words.Fixed(*w.EnergyKWh, 3), words.Figure(w.TS, 1), words.Fixed(*w.AverageKW, 2))
			}
			say("%s", line)
		}
	case "peak":
		if p := x.Peak; p != nil {
			say("highest reading %s kW at %s", words.Figure(p.KW, 2), words.Clock(p.TS))
			if p.SustainedKW != nil && p.HeldS != nil {
				say("highest mean over 10 s: %s kW; 95 %% of it: %s kW", words.Figure(*p.SustainedKW, 2), words.Figure(*p.SustainedKW*curve.HeldShare, 2))
				say("held from %s to %s = %s s", words.Clock(p.HeldFromS), words.Clock(p.HeldFromS+*p.HeldS), words.Figure(*p.HeldS, 1))
			}
		}
	case "ramp":
		if x.RampS != nil {
			say("first power %s after clock zero; ramp %s s", words.Clock(x.FirstPower-x.ZeroS), words.Figure(*x.RampS, 1))
		}
	case "energy", "loss":
		e := x.Energy
		if e.StallKWh != nil {
			say("stall: %s kWh", words.Fixed(*e.StallKWh, 3))
		}
		if e.CarKWh != nil {
			say("car: %s kWh", words.Fixed(*e.CarKWh, 3))
		}
		if e.LossPct != nil {
			say("loss: %s %%", words.Fixed(*e.LossPct, 2))
		}
		if e.BridgedS != nil {
			say("bridged: %s s", words.Figure(*e.BridgedS, 1))
		}
	case "capacity":
		if u := x.Usable; u != nil {
			line := fmt.Sprintf("%s kWh, at least %s", words.Fixed(u.Value, 2), words.Fixed(u.Low, 2))
			if u.High != nil {
				line += ", at most " + words.Fixed(*u.High, 2)
			}
			say("%s", line)
		}
	case "cost":
		if b := x.Cost; b != nil {
			for _, part := range []struct {
				name string
				v    float64
			}{{"energy", b.Energy}, {"minutes", b.Time}, {"session fee", b.Session}, {"standing idle", b.Idle}, {"tax", b.Tax}, {"total", b.Total}} {
				say("%s: %s %s", part.name, b.Currency, words.Fixed(part.v, 2))
			}
		}
	case "screen":
		if s := x.Screen; s != nil {
			for _, part := range []struct {
				name, unit string
				v          *float64
			}{{"register", "kWh", s.KWh}, {"its power adds up to", "kWh", s.PowerKWh}, {"price", "", s.Cost}} {
				if part.v != nil {
					say("%s: %s %s", part.name, words.Fixed(*part.v, 2), part.unit)
				}
			}
		}
	case "implausible":
		for _, w := range x.Implausible {
			say("%s in %s: %s", windowName(w.FromPct, w.ToPct), words.Duration(w.TS), w.Reason)
		}
	case "gap":
		say("readings every %s s, so a gap is longer than %s s", words.Figure(x.IntervalS, 2), words.Figure(trace.GapLimitFor(x.IntervalS), 1))
		for _, g := range x.Gaps {
			say("%s to %s", words.Clock(g.From), words.Clock(g.To))
		}
	}
	say("side: %s; times from %s", x.Side, clockName(x.Clock))
	for _, rec := range row.Recordings {
		say("recording %s: %d readings, %s side", rec.Name, rec.Readings, rec.Side)
	}
	return out
}
