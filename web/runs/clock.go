package runs

import (
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"

	"zincroad/core/lineup"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// clockView is a recording laid over the one whose clock the run's is, to be moved.
type clockView struct {
	*ui.Fields
	Row      *logbook.Run
	Rec      logbook.Recording
	Master   string
	Picture  template.HTML
	Alike    template.HTML // against every offset
	Fit      fitView
	Choices  []clockChoice
	Settled  bool   // by hand
	Reason   string // why the shape does not tell
	DriftSD  *float64
	DriftPPM float64
}

// placeOf is a recording's place among its run's.
func placeOf(row *logbook.Run, rec *logbook.Recording) int {
	return slices.IndexFunc(row.Recordings, func(x logbook.Recording) bool { return x.ID == rec.ID })
}

// fitView is how well the two lie on each other at one offset.
type fitView struct {
	lineup.Agreement
	Unit, Name string
}

// clockChoice is an offset that something speaks for.
type clockChoice struct {
	OffsetS, DriftPPM float64
	What, Words       string
	On                bool
}

// clockPage shows how a recording's clock stands.
func (s *Room) clockPage(w http.ResponseWriter, r *http.Request) {
	s.showClock(w, r, http.StatusOK, nil)
}

func (s *Room) showClock(w http.ResponseWriter, r *http.Request, status int, typed *ui.Fields) {
	row, rec, err := s.recordingOf(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	full, err := s.book.Load(r.Context(), row)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	k := placeOf(row, rec)
	if k == 0 {
		http.Redirect(w, r, ui.RunPath(row.ID), http.StatusSeeOther)
		return
	}
	clocks := lineup.Settle(full)
	now := clocks[k]
	v := &clockView{Row: row, Rec: *rec, Master: row.Recordings[0].Name, Settled: rec.ClockSettled,
		DriftPPM: now.DriftPPM}
	if typed == nil {
		typed = ui.NewFields(url.Values{"offset": {words.Figure(now.OffsetS, 1)}, "drift": {words.Figure(now.DriftPPM, 0)}})
	}
	v.Fields = typed
	master, other := full.Recordings[0].OnRunClock(), full.Recordings[k]
	v.choices(master, other, now)
	v.likeness(master, other, now)
	v.draw(full, master, now.Apply(other), now.OffsetS)
	s.Render(w, r, "clock", status, ui.Frame{Title: "Clock of " + rec.Name, Page: "runs", Run: row, Data: v})
}

// choices puts what speaks for which offset into words.
func (v *clockView) choices(master, other *trace.Recording, now lineup.Clock) {
	list, fit := lineup.Choices(master, other, now.OffsetS)
	v.Reason, v.DriftSD = fit.Reason.Kept(), fit.DriftSD
	for _, c := range list {
		words := ""
		if c.LowS != nil {
			words = within(c)
		}
		v.Choices = append(v.Choices, clockChoice{c.OffsetS, c.DriftPPM, string(c.Why), words,
			math.Abs(c.OffsetS-now.OffsetS) < 0.05})
	}
}

// aroundS is how far beyond what is noted and what is read the likeness is shown, s.
const aroundS = 600

// likeness draws how alike the two are against every offset around those that matter.
func (v *clockView) likeness(master, other *trace.Recording, now lineup.Clock) {
	noted := *other
	noted.ClockDriftPPM = 0
	all := lineup.Likeness(master, noted.OnRunClock(), 900)
	from := min(other.ClockOffsetS, now.OffsetS, 0) - aroundS
	to := max(other.ClockOffsetS, now.OffsetS, 0) + aroundS
	k := draw.Likeness{AtS: now.OffsetS, LowS: now.LowS, HighS: now.HighS, OtherName: v.Rec.Name}
	for i, shift := range all.T {
		if at := shift + other.ClockOffsetS; at >= from && at <= to {
			k.OffsetS.T, k.OffsetS.V = append(k.OffsetS.T, at), append(k.OffsetS.V, all.V[i])
		}
	}
	v.Alike = template.HTML(k.SVG())
}

func within(c lineup.Choice) string {
	return fmt.Sprintf("%s to %s s", words.Figure(*c.LowS, 1), words.Figure(*c.HighS, 1))
}

// draw lays the two over each other, and says how well they fit there.
func (v *clockView) draw(full *run.Run, master, lined *trace.Recording, offsetS float64) {
	v.Fit = fitOf(master, lined)
	in, ok := trace.Describe(v.Fit.Channel)
	if !ok {
		in, _ = trace.Describe(trace.Power)
	}
	k := draw.Clocks{
		Title:  fmt.Sprintf("%s and %s over the run's time; the arrow keys move the second", v.Master, v.Rec.Name),
		Master: draw.Thin(seriesOf(master, in.Channel)), Other: draw.Thin(seriesOf(lined, in.Channel)),
		MasterName: v.Master, OtherName: v.Rec.Name, OffsetS: offsetS, YName: in.Short, YUnit: in.Unit, Height: 230,
	}
	for _, m := range full.Marks {
		k.Marks = append(k.Marks, m.TS)
	}
	v.Picture = template.HTML(k.SVG())
}

func seriesOf(rec *trace.Recording, c trace.Channel) trace.Series {
	if c == trace.Power {
		return rec.PowerSeries()
	}
	return rec.Series(c)
}

func fitOf(master, lined *trace.Recording) fitView {
	f := fitView{Agreement: lineup.Agree(master, lined)}
	if in, ok := trace.Describe(f.Channel); ok {
		f.Unit, f.Name = in.Unit, in.Short
	}
	return f
}

// clockFit says how well the two fit at another offset.
func (s *Room) clockFit(w http.ResponseWriter, r *http.Request) error {
	row, rec, err := s.recordingOf(r)
	if err != nil {
		return err
	}
	f := ui.NewFields(r.URL.Query())
	offset, drift := f.Ranged("offset", "recordings[].clock_offset_s"), f.Ranged("drift", "recordings[].clock_drift_ppm")
	if !f.OK() || offset == nil {
		s.Part(w, r, "clock", "fit", fitView{})
		return nil
	}
	full, err := s.book.Load(r.Context(), row)
	if err != nil {
		return err
	}
	k := placeOf(row, rec)
	c := lineup.Clock{OffsetS: *offset}
	if drift != nil {
		c.DriftPPM = *drift
	}
	s.Part(w, r, "clock", "fit", fitOf(full.Recordings[0].OnRunClock(), c.Apply(full.Recordings[k])))
	return nil
}

// settleClock keeps what was chosen, or leaves the clock to the recording's shape again.
func (s *Room) settleClock(w http.ResponseWriter, r *http.Request) error {
	f, row, rec, ok := s.recordingForm(w, r)
	if !ok {
		return nil
	}
	settled := f.Values.Get("by") != "shape"
	offset, drift := rec.ClockOffsetS, 0.0
	if settled {
		if o := f.Ranged("offset", "recordings[].clock_offset_s"); o != nil {
			offset = *o
		} else if f.OK() {
			f.Fault("offset", "Expected seconds that are added to its own times, 0 for none.")
		}
		if d := f.Ranged("drift", "recordings[].clock_drift_ppm"); d != nil {
			drift = *d
		}
	}
	if !f.OK() {
		s.showClock(w, r, http.StatusUnprocessableEntity, f)
		return nil
	}
	if err := s.book.SettleClock(r.Context(), row.ID, rec.ID, offset, drift, settled); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RecordingPath(row.ID, rec.ID, "/clock"), http.StatusSeeOther)
	return nil
}

// makeMaster makes a recording's clock the run's, as it is read now.
func (s *Room) makeMaster(w http.ResponseWriter, r *http.Request) error {
	row, rec, err := s.recordingOf(r)
	if err != nil {
		return err
	}
	res, err := s.book.Results(r.Context(), row)
	if err != nil {
		return err
	}
	offset := rec.ClockOffsetS
	if notes := res.Head().Recordings; placeOf(row, rec) < len(notes) {
		offset = notes[placeOf(row, rec)].ClockOffsetS
	}
	if err := s.book.MakeMaster(r.Context(), row.ID, rec.ID, offset); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID, "?master=", fmt.Sprint(rec.ID)), http.StatusSeeOther)
	return nil
}
