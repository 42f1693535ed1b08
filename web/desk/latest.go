package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/lineup"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/csvlog"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// latestView is the run that came in last: what its recordings are worth, what was done to them,
// and what needs a word.
type latestView struct {
	Row        *logbook.Run
	Heading    string
	Picture    template.HTML
	Recordings []recordingRow
	Done       []doneRow
	Needs      []needRow
	Says       []sayRow
}

// recordingRow is a line of the table of recordings.
type recordingRow struct {
	logbook.Recording
	Every string
	Clock string
	Grade string
	Means string
}

// doneRow is something that is read otherwise than it was recorded, and where it is undone.
type doneRow struct{ What, Words, Where string }

// needRow is something that a person should settle. Take is what a form sends to do it; empty:
// it leads to where it is settled.
type needRow struct {
	Words, Where string
	Take         string
	To           string    // the form's goal
	Mark         *run.Mark // that the form sends
}

// sayRow is a figure of the run, and the key by which it is asked how it is worked out.
type sayRow struct{ Name, Value, Second, How string }

// mostNeeds is how many things that need a word are listed.
const mostNeeds = 5

// latest looks at a run as it came in; nil where it says nothing yet.
func (s *Room) latest(ctx context.Context, id int64) (*latestView, error) {
	row, err := s.book.Run(ctx, id)
	if err != nil {
		return nil, err
	}
	res, err := s.book.Results(ctx, row)
	if err != nil {
		return nil, err
	}
	x := res.Head()
	v := &latestView{Row: row}
	corrections, err := s.book.Corrections(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	for i, rec := range row.Recordings {
		if i < len(x.Recordings) {
			v.recording(rec, x.Recordings[i])
		}
	}
	for _, m := range x.MarkProposals {
		v.need(needRow{Words: fmt.Sprintf("A mark is missing, %s at %s: %s", m.Kind, words.Clock(m.TS), m.Reason),
			Where: ui.RunPath(row.ID, "/edit"), To: ui.RunPath(row.ID, "/marks"),
			Mark: &run.Mark{Kind: m.Kind, TS: m.TS}})
	}
	v.corrected(row, corrections)
	v.missing(row)
	v.says(x, row)
	v.Heading = v.heading(x)
	v.draw(res)
	return v, nil
}

// recording adds one recording: its line, what was done to it, and what needs a word in it.
func (v *latestView) recording(rec logbook.Recording, n curve.RecordingNote) {
	page := ui.RecordingPath(v.Row.ID, rec.ID)
	r := recordingRow{Recording: rec, Means: say.Join("semicolon", n.Means...).Kept()}
	if n.EveryS > 0 {
		r.Every = words.Figure(n.EveryS, 1)
	}
	if n.Grade != nil {
		r.Grade = *n.Grade
	}
	switch {
	case n.LinedUpBy == lineup.ByMaster:
		r.Clock = "the run's"
	case n.OffsetLowS != nil:
		r.Clock = fmt.Sprintf("%s s, %s to %s", words.Figure(n.ClockOffsetS, 1), words.Figure(*n.OffsetLowS, 1),
			words.Figure(*n.OffsetHighS, 1))
	default:
		r.Clock = words.Figure(n.ClockOffsetS, 1) + " s, as noted"
	}
	v.Recordings = append(v.Recordings, r)
	if n.LinedUpBy == lineup.ByShape && n.ClockOffsetS != rec.ClockOffsetS {
		v.Done = append(v.Done, doneRow{"moved", fmt.Sprintf("%s by %s s, by its shape", rec.Name,
			words.Figure(n.ClockOffsetS, 1)), page + "/clock"})
	}
	if rec.ClockSettled {
		v.Done = append(v.Done, doneRow{"clock settled by hand", rec.Name, page + "/clock"})
	}
	v.understood(rec, page)
	switch {
	case n.RivalOffsetS != nil:
		v.need(needRow{Words: rec.Name + " fits as well in two places: which?", Where: page + "/clock"})
	case n.NotOneSession:
		v.need(needRow{Words: rec.Name + " does not look like the same session", Where: page + "/clock"})
	}
	for _, p := range n.Health {
		if p.LeaveOut && !p.Applied {
			v.need(needRow{Words: fmt.Sprintf("%s at %s: %s", rec.Name, words.Clock(p.FromS), p.Reason),
				Where: page + "/readings#health", Take: p.Form(), To: page + "/leave-out"})
		}
	}
}

// understood says what of a table was read otherwise than it stands there.
func (v *latestView) understood(rec logbook.Recording, page string) {
	var l csvlog.Layout
	if rec.Layout == nil || json.Unmarshal([]byte(*rec.Layout), &l) != nil {
		return
	}
	for _, c := range l.Columns {
		if in, ok := trace.Describe(c.Channel); ok && c.Negate {
			v.Done = append(v.Done, doneRow{in.Short + " turned", fmt.Sprintf("in %s: %q is negative while charging", rec.Name,
				c.Header), page + "/readings"})
		}
	}
}

func (v *latestView) corrected(row *logbook.Run, list []logbook.Correction) {
	left := map[int64]int{}
	for _, c := range list {
		if !c.TakenBack {
			left[c.RecordingID]++
		}
	}
	for _, rec := range row.Recordings {
		if n := left[rec.ID]; n > 0 {
			v.Done = append(v.Done, doneRow{"put right", fmt.Sprintf("%d %s in %s", n, words.Plural(n, "value"), rec.Name),
				ui.RecordingPath(row.ID, rec.ID, "/readings#corrections")})
		}
	}
}

// missing lists what a run cannot be compared without.
func (v *latestView) missing(row *logbook.Run) {
	var lacks []string
	if row.CarID == nil {
		lacks = append(lacks, "car")
	}
	if row.StallID == nil {
		lacks = append(lacks, "stall")
	}
	if row.AmbientC == nil {
		lacks = append(lacks, "outside temperature")
	}
	if len(lacks) > 0 {
		v.need(needRow{Words: "Not noted: " + strings.Join(lacks, ", "), Where: ui.RunPath(row.ID, "/edit")})
	}
}

func (v *latestView) need(n needRow) {
	if len(v.Needs) < mostNeeds {
		v.Needs = append(v.Needs, n)
	}
}

// says lists the figures that a tester asks first.
func (v *latestView) says(x *curve.Reading, row *logbook.Run) {
	add := func(name, how string, value *float64, decimals int, unit, second string) {
		if value != nil {
			v.Says = append(v.Says, sayRow{name, words.Fixed(*value, decimals) + " " + unit, second, how})
		}
	}
	if w, ok := x.Headline(row.Describe().Method); ok {
		v.Says = append(v.Says, sayRow{words.Window(w.FromPct, w.ToPct), words.Clock(w.TS), "min:s", "window"})
	}
	add("delivered", "energy", x.Energy.StallKWh, 1, "kWh", "")
	add("into the pack", "energy", x.Energy.CarKWh, 1, "kWh", "")
	add("lost", "loss", x.Energy.LossPct, 1, "%", "")
	if u := x.Usable; u != nil {
		second := words.Fixed(u.Low, 1)
		if u.High != nil {
			second += "–" + words.Fixed(*u.High, 1)
		}
		add("capacity", "capacity", &u.Value, 1, "kWh", second)
	}
}

// heading is the sentence over it.
func (v *latestView) heading(x *curve.Reading) string {
	s := "One recording"
	if n := v.Recordings; len(n) == 1 && n[0].Grade != "" {
		s += ", grade " + n[0].Grade
	}
	if n := len(v.Recordings); n > 1 {
		s = fmt.Sprintf("%d recordings on one clock", n)
	}
	for _, f := range x.Findings {
		if f.Kind == curve.AboutClock {
			s = strings.TrimSuffix(f.Text.Kept(), ".")
			break
		}
	}
	switch n := len(v.Needs); n {
	case 0:
		return s + ". Nothing to check."
	case 1:
		return s + ". One thing to check."
	default:
		return fmt.Sprintf("%s. %d things to check.", s, n)
	}
}

// draw lays the power of both sides over each other, as it is kept for drawing.
func (v *latestView) draw(res *logbook.Results) {
	k := draw.Clocks{YName: "power", YUnit: "kW", Height: 230}
	for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
		red := res.Curves[side]
		var p trace.Series
		for i, kw := range red.Columns[trace.Power] {
			if !math.IsNaN(kw) {
				p.T, p.V = append(p.T, red.T[i]), append(p.V, kw)
			}
		}
		switch name := "the " + string(side) + "'s"; {
		case p.Len() < 2:
		case k.MasterName == "":
			k.Master, k.MasterName = p, name
		default:
			k.Other, k.OtherName = p, name
		}
	}
	if k.MasterName == "" {
		return
	}
	k.Title = "Power, " + k.MasterName
	if k.OtherName != "" {
		k.Title += " and " + k.OtherName + ", on one clock"
	}
	v.Picture = template.HTML(k.SVG())
}

// cameRow is a run of the list of what came in.
type cameRow struct {
	logbook.Run
	Name string
}

func cameRows(list []logbook.Run) []cameRow {
	out := make([]cameRow, len(list))
	for i, r := range list {
		name := r.Title
		if name == "" {
			name = fmt.Sprintf("run %d", r.ID)
		}
		out[i] = cameRow{r, name}
	}
	return out
}
