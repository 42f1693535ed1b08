// Package report makes one page of a run or of several that others read: whole in itself, nothing fetched, no script;
// it prints on A4. What it says is made once (Make) and kept as it is; what its author adds stands around it (Cover).
package report

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"io"
	"math"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/figure"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/web/draw"
)

//go:embed report.html report.css
var files embed.FS

var pages = template.Must(template.New("").Funcs(template.FuncMap{
	//nolint:gosec // made by package draw, which escapes
	"svg": func(s string) template.HTML { return template.HTML(s) },
	"fig": words.Figure,
	"fixed": func(v *float64, d int) string {
		if v == nil {
			return "–"
		}
		return words.Fixed(*v, d)
	},
	"clock":   words.Clock,
	"counted": counted,
	"joined": func(list []say.Text) string {
		var out []string
		for _, e := range list {
			out = append(out, e.Kept())
		}
		return strings.Join(out, "; ")
	},
	"letter": func(c limit.Cause) string { return draw.LookOf(c).Letter },
}).ParseFS(files, "report.html"))

// slices is into how many parts of time a picture is thinned out.
const slices = 150

// Subject is a run with its thinned-out curves.
type Subject struct {
	bench.Subject
	Curves map[trace.Side]trace.Reduced
}

// Subjects are runs as they were laid on the bench, with the curves of their logs.
func Subjects(list []bench.Subject) []Subject {
	var out []Subject
	for _, s := range list {
		of := Subject{Subject: s}
		if w, ok := s.Work.(interface {
			Reduce(n int) map[trace.Side]trace.Reduced
		}); ok {
			of.Curves = w.Reduce(slices)
		}
		out = append(out, of)
	}
	return out
}

// The parts of a report that its author may leave out. The verdict, how it was tested and the cautions always stand.
const (
	PartHeld    = "held"
	PartFound   = "found"
	PartCurve   = "curve"
	PartPosts   = "posts"
	PartWindows = "windows"
	PartMoney   = "money"
	PartFigures = "figures"
)

// Part is one of them with its name.
type Part struct{ Key, Name string }

// Parts lists them in the order of the page.
var Parts = []Part{
	{PartHeld, "What held it"},
	{PartFound, "What else was found"},
	{PartCurve, "The curve"},
	{PartPosts, "The posts"},
	{PartWindows, "The windows"},
	{PartMoney, "What it cost"},
	{PartFigures, "How each figure is worked out"},
}

// Content is what a report says, made once and kept as it is.
type Content struct {
	Heading     string   `json:"heading"` // the verdict
	Sure        string   `json:"sure"`    // how sure it is; empty: it says so itself
	Description string   `json:"description"`
	HTML        string   `json:"html"`
	CSV         string   `json:"csv"`      // the figures as a table
	Pictures    []string `json:"pictures"` // SVG: the strip and the curve, or the curves of several
	Facts       []string `json:"facts"`    // what goes with the picture
	Arithmetic  int      `json:"arithmetic"`
}

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
	Cannot               []string // what cannot be said, in sentences
}

// together is what runs side by side come to.
type together struct {
	Verdicts []bench.Said
	Weighed  string // the difference beside what it could come from; empty: there is none to tell
	Grey     string // what its grey zone is
	Curve    string
	Window   string
	Runs     []laid
}

type laid struct{ Title, Took, Average string }

// Make works out what a report of some runs says, with all parts but those left out.
func Make(subjects []Subject, without ...string) (*Content, error) {
	var runs []one
	for _, s := range subjects {
		runs = append(runs, oneOf(s))
	}
	out := &Content{Heading: runs[0].Verdict, Sure: runs[0].Sure, Arithmetic: curve.Version,
		Pictures: []string{runs[0].Strip, runs[0].Curve},
		CSV:      csvOf(subjects), Facts: runs[0].Tested}
	var both *together
	if len(subjects) > 1 {
		both = togetherOf(subjects)
		out.Pictures, out.Facts = []string{both.Curve}, nil
		for i, r := range runs {
			out.Facts = append(out.Facts, fmt.Sprintf("%s: %s.", r.Title, both.Runs[i].Took))
		}
		if len(both.Verdicts) > 0 {
			out.Heading, out.Sure = both.Verdicts[0].Text.Kept(), string(both.Verdicts[0].Confidence)
		}
	}
	out.Description = strings.Join(out.Facts, " ")
	with := map[string]bool{}
	for _, p := range Parts {
		with[p.Key] = true
	}
	for _, key := range without {
		with[key] = false
	}
	var b bytes.Buffer
	err := pages.ExecuteTemplate(&b, "content", map[string]any{"Runs": runs, "Both": both, "With": with,
		"Figures": figures(), "Arithmetic": curve.Version})
	if err != nil {
		return nil, fmt.Errorf("writing the report: %w", err)
	}
	out.HTML = b.String()
	return out, nil
}

// Write writes the page of some runs, under a cover without content.
func Write(w io.Writer, subjects []bench.Subject, cover Cover) error {
	c, err := Make(Subjects(subjects))
	if err != nil {
		return err
	}
	cover.Content = *c
	return cover.Write(w)
}

// figures are how each figure is worked out, as the page of definitions says it.
func figures() []figure.Text { return curve.Figures.Texts() }

// oneOf is a run with everything that the page says of it.
func oneOf(s Subject) one {
	x, r := s.Reading, s.Run
	out := one{Title: r.Title, Reading: x, Windows: x.Windows, Tested: tested(r, x), NotNoted: notNoted(r)}
	if len(x.Findings) > 0 {
		out.Verdict, out.Sure = x.Findings[0].Text.Kept(), string(x.Findings[0].Confidence)
		out.Findings = x.Findings[1:]
	} else {
		out.Verdict = "Nothing can be said of this run"
	}
	if x.Cost != nil {
		out.Cost = words.Fixed(x.Cost.Total, 2) + " " + x.Cost.Currency
	}
	out.Cannot = cannot(s)
	out.Strip = strip(s)
	out.Curve = curves([]Subject{s})
	return out
}

// column is a channel of a run's side thinned out, from clock zero.
func column(s Subject, c trace.Channel) (t, v []float64) {
	red := s.Curves[s.Reading.Side]
	for _, at := range red.T {
		t = append(t, at-s.Reading.ZeroS)
	}
	return t, red.Columns[c]
}

func strip(s Subject) string {
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
func curves(list []Subject) string {
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
func tested(r *run.Run, x *curve.Reading) []string {
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
	out = append(out, departures(r.Method, x)...)
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
	if at := r.Began(); !at.IsZero() {
		say("%s.", at.Format(longDay))
	}
	return out
}

// counted is from when a run's times count, and whose its figures are.
func counted(x *curve.Reading) string {
	from := "plug-in"
	if x.Clock == curve.PowerClock {
		from = "first power"
	}
	return fmt.Sprintf("from %s, the %s's side", from, x.Side)
}

// departures says where a run did not keep to its method: more than a point off, for a display shows whole points. One
// that was plugged in below its first charge passed it.
func departures(m *run.Method, x *curve.Reading) []string {
	var out []string
	if m == nil || x.SoC == nil {
		return nil
	}
	if v, ok := run.Known(m.FromPct); ok && x.SoC.FromPct-v > 1 {
		out = append(out, fmt.Sprintf("It began at %s %%, not at %s.", words.Figure(x.SoC.FromPct, 0),
			words.Figure(v, 0)))
	}
	if v, ok := run.Known(m.ToPct); ok && v-x.SoC.ToPct > 1 {
		out = append(out, fmt.Sprintf("It ended at %s %%, not at %s.", words.Figure(x.SoC.ToPct, 0), words.Figure(v, 0)))
	}
	return out
}

// cannot lists what a reader would ask and this run does not tell.
func cannot(s Subject) []string {
	x := s.Reading
	var out []string
	for _, w := range x.Implausible {
		out = append(out, fmt.Sprintf("%s: the readings give %s, which cannot be: %s.", words.Window(w.FromPct, w.ToPct),
			words.Duration(w.TS), w.Reason.Kept()))
	}
	unknownS := 0.0
	for _, c := range x.Ceilings {
		if c.Cause == limit.Unknown {
			unknownS += c.ToS - c.FromS
		}
	}
	if unknownS > 0 {
		out = append(out, fmt.Sprintf("What held the power for %s: nothing that was read tells.", words.Duration(unknownS)))
	}
	both := len(s.Curves[trace.CarSide].T) > 0 && len(s.Curves[trace.StallSide].T) > 0
	switch {
	case x.Losses != nil:
	case both:
		out = append(out, "What is lost between stall and pack: the two sides cannot be held against each other.")
	default:
		out = append(out, fmt.Sprintf("What is lost between stall and pack: only the %s's side was read.", x.Side))
	}
	if x.Battery == nil {
		out = append(out, "How warm the battery was while it charged: no temperature was read.")
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

func togetherOf(subjects []Subject) *together {
	var list []bench.Subject
	for _, s := range subjects {
		list = append(list, s.Subject)
	}
	c := bench.Compare(list, bench.Ask{})
	out := &together{Verdicts: c.Verdicts, Curve: curves(subjects)}
	if d, ok := draw.WeighedOf(c, secondOf(c, subjects), units.People{}); ok {
		out.Weighed, out.Grey = d.SVG(), d.Grey
	}
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

// secondOf names what a difference is of, against the reference: the run, or how many.
func secondOf(c *bench.Comparison, subjects []Subject) string {
	if c.Difference == nil {
		return ""
	}
	g := c.Groups[c.Difference.Groups[1]]
	if len(g.Runs) == 1 {
		return subjects[g.Runs[0]].Run.Title
	}
	for name, value := range g.By {
		return fmt.Sprintf("%s, %d runs", bench.Distinct(name, []bench.Value{value}, 1).Kept(), len(g.Runs))
	}
	return fmt.Sprintf("%d runs", len(g.Runs))
}
