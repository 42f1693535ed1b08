// Package report makes one page of a run or of several that others read: whole in itself, nothing fetched, no script;
// it prints on A4.
package report

import (
	"embed"
	"fmt"
	"html/template"
	"io"
	"math"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/figure"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/web/draw"
)

//go:embed report.html
var files embed.FS

var page = template.Must(template.New("report.html").Funcs(template.FuncMap{
	//nolint:gosec // made by package draw, which escapes
	"svg": func(s string) template.HTML { return template.HTML(s) },
	"css": func(s string) template.CSS { return template.CSS(s) }, //nolint:gosec // the program's own
	"fig": words.Figure,
	"fixed": func(v *float64, d int) string {
		if v == nil {
			return "–"
		}
		return words.Fixed(*v, d)
	},
	"clock": words.Clock,
}).ParseFS(files, "report.html"))

// slices is into how many parts of time a picture is thinned out.
const slices = 150

// one is a run as the page shows it.
type one struct {
	Title, Verdict, Sure string
	Tested               []string // how, in sentences
	NotNoted             string
	Strip, Curve         string
	Findings             []curve.Finding
	Reading              *curve.Reading
	Windows              []curve.Window
	Cost                 string
}

// together is what runs side by side come to.
type together struct {
	Verdicts []bench.Said
	Curve    string
	Window   string
	Runs     []laid
}

type laid struct{ Title, Took, Average string }

// Write writes the page of some runs.
func Write(w io.Writer, subjects []bench.Subject) error {
	var runs []one
	for _, s := range subjects {
		runs = append(runs, oneOf(s))
	}
	var both *together
	if len(subjects) > 1 {
		both = togetherOf(subjects)
	}
	heading := runs[0].Verdict
	if both != nil && len(both.Verdicts) > 0 {
		heading = both.Verdicts[0].Text.Kept()
	}
	err := page.Execute(w, map[string]any{"Heading": heading, "Runs": runs, "Both": both, "Style": draw.StandaloneStyle(),
		"Figures": figures(), "Arithmetic": curve.Version})
	if err != nil {
		return fmt.Errorf("writing the report: %w", err)
	}
	return nil
}

// figures are how each figure is worked out, as the page of definitions says it.
func figures() []figure.Text { return curve.Figures.Texts() }

// oneOf is a run with everything that the page says of it.
func oneOf(s bench.Subject) one {
	x, r := s.Reading, s.Run
	out := one{Title: r.Title, Reading: x, Windows: x.Windows, Tested: tested(r), NotNoted: notNoted(r)}
	if len(x.Findings) > 0 {
		out.Verdict, out.Sure = x.Findings[0].Text.Kept(), string(x.Findings[0].Confidence)
		out.Findings = x.Findings[1:]
	} else {
		out.Verdict = "Nothing can be said of this run"
	}
	if x.Cost != nil {
		out.Cost = words.Fixed(x.Cost.Total, 2) + " " + x.Cost.Currency
	}
	out.Strip = strip(s)
	out.Curve = curves([]bench.Subject{s})
	return out
}

// column is a channel of a run's side thinned out, from clock zero.
func column(s bench.Subject, c trace.Channel) (t, v []float64) {
	w, ok := s.Work.(interface {
		Reduce(n int) map[trace.Side]trace.Reduced
	})
	if !ok {
		return nil, nil
	}
	red := w.Reduce(slices)[s.Reading.Side]
	for _, at := range red.T {
		t = append(t, at-s.Reading.ZeroS)
	}
	return t, red.Columns[c]
}

func strip(s bench.Subject) string {
	x := s.Reading
	d := draw.Strip{Title: "Power of " + s.Run.Title + " against time", Posts: x.Posts, Gaps: x.Gaps}
	t, kw := column(s, trace.Power)
	for i := range kw {
		if t[i] >= -120 {
			d.T, d.KW = append(d.T, t[i]), append(d.KW, kw[i])
		}
	}
	for _, c := range x.Ceilings {
		d.Held = append(d.Held, draw.Stretch{FromS: c.FromS, ToS: c.ToS, Cause: c.Cause})
	}
	if w, ok := x.Headline(s.Run.Method); ok {
		d.FromPct, d.ToPct = w.FromPct, w.ToPct
	}
	return d.Large()
}

// curves are the powers of runs against charge.
func curves(list []bench.Subject) string {
	d := draw.Curves{Title: "Power against state of charge", XName: "state of charge", XUnit: "%", YName: "power",
		YUnit: "kW", FromZero: true}
	for i, s := range list {
		_, kw := column(s, trace.Power)
		_, soc := column(s, trace.SoC)
		if len(kw) != len(soc) || len(kw) == 0 {
			continue
		}
		d.Lines = append(d.Lines, draw.Line{Name: s.Run.Title, X: soc, Y: kw, Style: i % 8})
	}
	if len(d.Lines) == 0 {
		return ""
	}
	return d.SVG()
}

// tested says in sentences how a run was tested: car, stall, method and conditions, as they were noted.
func tested(r *run.Run) []string {
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	if c := r.Car; c != nil && c.Name != "" {
		with := ""
		if c.Software != "" {
			with = " on software " + c.Software
		}
		if v, ok := run.Known(c.UsableKWh); ok {
			with += ", " + words.Figure(v, 1) + " kWh usable"
		}
		say("%s%s.", c.Name, with)
	}
	if s := r.Stall; s != nil {
		var parts []string
		for _, p := range []struct {
			n    run.Number
			unit string
		}{{s.RatedKW, "kW"}, {s.MaxA, "A"}, {s.MaxV, "V"}} {
			if v, ok := run.Known(p.n); ok {
				parts = append(parts, words.Figure(v, 0)+" "+p.unit)
			}
		}
		name := strings.TrimSpace(s.Site + " " + s.Name)
		if name != "" || len(parts) > 0 {
			say("%s: %s.", orWords(name, "The stall"), orWords(strings.Join(parts, ", "), "its ratings were not noted"))
		}
	}
	if m := r.Method; m != nil && m.Name != "" {
		say("Method: %s.", m.Name)
	}
	if c := r.Conditions; c != nil {
		if v, ok := run.Value(c.AmbientC); ok {
			say("%s °C outside.", words.Figure(v, 0))
		}
		if v, ok := run.Value(c.BatteryC); ok {
			say("The battery had %s °C.", words.Figure(v, 0))
		}
		switch c.Preconditioned {
		case "none":
			say("Not preconditioned.")
		case "car":
			say("Preconditioned by the car.")
		case "driven":
			say("Warmed by driving.")
		case "charged":
			say("Warm from an earlier charge.")
		}
		if c.Profile == "gentle" {
			say("In the gentle profile.")
		}
	}
	if !r.StartedAt.IsZero() {
		say("%s.", r.StartedAt.Format("2 January 2006"))
	}
	return out
}

func orWords(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

// notNoted lists what a reader would ask for and nobody noted.
func notNoted(r *run.Run) string {
	var missing []string
	c := r.Conditions
	if c == nil {
		c = &run.Condition{}
	}
	for _, q := range []struct {
		missing bool
		name    string
	}{
		{r.Car == nil || r.Car.Software == "", "the software"},
		{c.AmbientC == nil, "the temperature outside"},
		{c.Preconditioned == "", "whether it was preconditioned"},
		{r.Stall == nil || r.Stall.RatedKW == nil, "the stall's power"},
		{r.Stall == nil || r.Stall.MaxA == nil, "the stall's amps"},
	} {
		if q.missing {
			missing = append(missing, q.name)
		}
	}
	return strings.Join(missing, ", ")
}

func togetherOf(subjects []bench.Subject) *together {
	c := bench.Compare(subjects, bench.Ask{})
	out := &together{Verdicts: c.Verdicts, Curve: curves(subjects)}
	if c.Window.ToPct > c.Window.FromPct {
		out.Window = words.Window(c.Window.FromPct, c.Window.ToPct)
	}
	for i, x := range c.Runs {
		l := laid{Title: subjects[i].Run.Title, Took: "not covered", Average: "–"}
		if x.TS != nil && !math.IsNaN(*x.TS) {
			l.Took = words.Clock(*x.TS)
		}
		if x.AverageKW != nil {
			l.Average = words.Figure(*x.AverageKW, 0) + " kW"
		}
		out.Runs = append(out.Runs, l)
	}
	return out
}
