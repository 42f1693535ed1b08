package desk

import (
	"bytes"
	"math"
	"net/http"
	"strconv"
	"strings"
	"unicode/utf8"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/typed"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// sheetView is a text of readings as it is typed, with what each line was understood as and what
// the figures are so far.
type sheetView struct {
	Typed   string
	Arrival int64 // the waiting file that is gone on with; 0: a new one
	Lines   []typed.Line
	Figures []sayRow
	Strip   string // what was typed as a road; empty: less than two powers
	Fault   []csvlog.Fault
}

const maxTypedText = 1 << 16

func limitText(s string) string {
	if len(s) > maxTypedText {
		s = s[:maxTypedText]
	}
	return strings.ToValidUTF8(s, "")
}

// isText tells whether a file can be put right as typed notes.
func isText(content []byte) bool {
	return len(content) <= maxTypedText && utf8.Valid(content) && bytes.IndexByte(content, 0) < 0
}

// sheet shows an empty sheet, or one that waits to be gone on with.
func (s *Room) sheet(w http.ResponseWriter, r *http.Request) error {
	var v sheetView
	if id, err := strconv.ParseInt(r.URL.Query().Get("arrival"), 10, 64); err == nil {
		a, err := s.book.Arrival(r.Context(), id)
		if err != nil {
			return err
		}
		v.Arrival, v.Typed = id, limitText(string(a.Content))
	}
	v.understand()
	s.Render(w, r, "sheet", http.StatusOK, ui.Frame{Title: "Footage sheet", Page: "desk", Data: v})
	return nil
}

// checkTyped answers each line as it is typed, and works the figures out.
func (s *Room) checkTyped(w http.ResponseWriter, r *http.Request) {
	v := sheetView{Typed: limitText(r.FormValue("readings"))}
	v.understand()
	s.Part(w, r, "sheet", "answers", v)
}

// understand reads the text as it stands.
func (v *sheetView) understand() {
	notes, err := typed.Parse(v.Typed, "typed readings", trace.StallSide)
	v.Lines = notes.Lines
	if err != nil {
		return
	}
	of := intake.Typed(notes, "typed readings", intake.Choices{}).Run
	x := curve.Read(of, curve.Options{})
	v.Strip = stripOf(of, x)
	v.Figures = figuresSoFar(x)
}

// figuresSoFar are the figures that a sheet shows while it grows.
func figuresSoFar(x *curve.Reading) (rows []sayRow) {
	add := func(name, value, unit string) {
		rows = append(rows, sayRow{Name: name, Value: value, Second: unit})
	}
	if p := x.Peak; p != nil {
		add("peak", words.Figure(p.KW, 1), "kW")
	}
	for _, e := range []*float64{x.Energy.StallKWh, x.Energy.CarKWh} {
		if e != nil {
			add("energy", words.Fixed(*e, 1), "kWh")
		}
	}
	for _, p := range x.Posts {
		if math.Mod(p.SoCPct, 10) == 0 {
			add("post "+words.Figure(p.SoCPct, 0)+" %", words.Clock(p.TS), "min:s")
		}
	}
	if win, ok := x.Headline(nil); ok {
		add(words.Window(win.FromPct, win.ToPct), words.Clock(win.TS), "min:s")
	}
	return rows
}

// stripOf draws typed readings as a road: straight from one power that was typed to the next.
func stripOf(r *run.Run, x *curve.Reading) string {
	d := draw.Strip{Title: "What was typed: power against time", Posts: x.Posts, Width: 460, RoadH: 110}
	for _, rec := range r.Recordings {
		for i, kw := range rec.Columns[trace.Power] {
			if !math.IsNaN(kw) {
				d.T, d.KW = append(d.T, rec.T[i]-x.ZeroS), append(d.KW, kw)
			}
		}
	}
	if len(d.T) < 2 {
		return ""
	}
	for _, c := range x.Ceilings {
		d.Held = append(d.Held, draw.Stretch{FromS: c.FromS, ToS: c.ToS, Cause: c.Cause})
	}
	if win, ok := x.Headline(nil); ok {
		d.FromPct, d.ToPct = win.FromPct, win.ToPct
	}
	return d.Large()
}

// takeTyped makes a run of typed readings; what is wrong with a line comes back with the text.
func (s *Room) takeTyped(w http.ResponseWriter, r *http.Request) error {
	text := limitText(r.FormValue("readings"))
	was, _ := strconv.ParseInt(r.FormValue("arrival"), 10, 64)
	if _, err := typed.Parse(text, "typed readings.txt", trace.StallSide); err != nil {
		v := sheetView{Typed: text, Arrival: was, Fault: []csvlog.Fault{{File: "typed readings", Reason: err.Error()}}}
		v.understand()
		s.Render(w, r, "sheet", http.StatusUnprocessableEntity, ui.Frame{Title: "Footage sheet", Page: "desk", Data: v})
		return nil
	}
	id, err := s.book.Arrive(r.Context(), "typed readings.txt", []byte(text))
	if err == nil && was > 0 {
		err = s.book.DropArrival(r.Context(), was) // it is in the new one
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.ArrivalPath(id), http.StatusSeeOther)
	return nil
}
