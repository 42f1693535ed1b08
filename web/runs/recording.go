package runs

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/curve"
	"zincroad/core/health"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

func (s *Room) recordingRoutes(r chi.Router) {
	r.Get("/recordings/{recording}/readings", s.recordingPage)
	r.Post("/recordings/{recording}", s.Do(s.saveRecording))
	r.Post("/recordings/{recording}/away", s.Do(s.takeAway))
	r.Post("/recordings/{recording}/leave-out", s.Do(s.leaveOut))
	r.Post("/recordings/{recording}/take-back", s.Do(s.takeBackAll))
	r.Get("/recordings/{recording}/clock", s.clockPage)
	r.Get("/recordings/{recording}/clock/fit", s.Do(s.clockFit))
	r.Post("/recordings/{recording}/clock", s.Do(s.settleClock))
	r.Post("/recordings/{recording}/master", s.Do(s.makeMaster))
	r.Post("/recordings/{recording}/corrections", s.Do(s.correct))
	r.Post("/corrections/{correction}/back", s.Do(s.takeBackCorrection))
	r.Post("/corrections/{correction}/again", s.Do(s.takeBackCorrection))
}

// recordingView is one recording with its readings, to put right what was typed or read
// wrongly. What was recorded stays; each correction stands beside it.
type recordingView struct {
	*ui.Fields
	Row         *logbook.Run
	Rec         logbook.Recording
	Channels    []trace.Info
	Readings    []readingRow
	From, Next  int // numbers of the first reading shown, and of the next page's; 0: none
	Corrections []correctionRow
	Note        *curve.RecordingNote // what its figures say of it; nil: none yet
	Proposals   []proposalRow
	Open        int // proposals that nobody has taken
}

// proposalRow is what is wrong with some readings and what can be done about it.
type proposalRow struct {
	health.Proposal
	At   string
	Form string // what the form sends to take it; empty: only to know
}

// maxProposals is how many are shown.
const maxProposals = 30

type readingRow struct {
	Number int // from 1
	Time   string
	Cells  []readingCell
}

type readingCell struct {
	Text      string
	Corrected bool
}

type correctionRow struct {
	logbook.Correction
	What, Value, At string
}

// readingsShown is how many readings a page shows.
const readingsShown = 200

func (s *Room) recordingPage(w http.ResponseWriter, r *http.Request) {
	s.showRecording(w, r, http.StatusOK, nil)
}

// showRecording shows what a recording holds and what was put right in it.
func (s *Room) showRecording(w http.ResponseWriter, r *http.Request, status int, typed *ui.Fields) {
	row, rec, err := s.recordingOf(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if typed == nil {
		typed = ui.NewFields(url.Values{"side": {rec.Side}, "offset": {words.Figure(rec.ClockOffsetS, 3)},
			"number": {r.URL.Query().Get("number")}})
	}
	v := &recordingView{Fields: typed, Row: row, Rec: *rec}
	if err := s.fillRecording(r.Context(), v, r.URL.Query().Get("from")); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, "recording", status, ui.Frame{Title: fmt.Sprintf("%s of run %d", rec.Name, row.ID), Run: row, Data: v,
		In: &units.People{}}) // as it is kept
}

// recordingOf gives the recording that the address names.
func (s *Room) recordingOf(r *http.Request) (*logbook.Run, *logbook.Recording, error) {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return nil, nil, err
	}
	id, err := ui.IDParam(r, "recording")
	for i := range row.Recordings {
		if err == nil && row.Recordings[i].ID == id {
			return row, &row.Recordings[i], nil
		}
	}
	return nil, nil, fmt.Errorf("that recording: %w", logbook.ErrNotFound)
}

// fillRecording reads the stretch of a recording that the page shows.
func (s *Room) fillRecording(ctx context.Context, v *recordingView, from string) error {
	full, err := s.book.Load(ctx, v.Row)
	if err != nil {
		return err
	}
	list, err := s.book.Corrections(ctx, v.Row.ID)
	if err != nil {
		return err
	}
	var rec *trace.Recording
	for i := range v.Row.Recordings {
		if v.Row.Recordings[i].ID == v.Rec.ID {
			rec = full.Recordings[i]
		}
	}
	if err := s.fillHealth(ctx, v); err != nil {
		return err
	}
	marked := map[string]bool{}
	for _, c := range list {
		if c.RecordingID != v.Rec.ID {
			continue
		}
		marked[fmt.Sprint(c.N, c.Channel)] = !c.TakenBack
		v.Corrections = append(v.Corrections, describe(c, rec))
	}
	for _, in := range trace.Channels {
		if rec.Has(in.Channel) {
			v.Channels = append(v.Channels, in)
		}
	}
	first, _ := strconv.Atoi(from)
	first = max(0, min(first-1, rec.Len()-1))
	v.From = first + 1
	for i := first; i < min(rec.Len(), first+readingsShown); i++ {
		out := readingRow{Number: i + 1, Time: words.Clock(rec.T[i])}
		for _, in := range v.Channels {
			cell := readingCell{Corrected: marked[fmt.Sprint(i, in.Channel)]}
			if x := rec.Columns[in.Channel][i]; !math.IsNaN(x) {
				cell.Text = words.Figure(x, 2)
			}
			out.Cells = append(out.Cells, cell)
		}
		v.Readings = append(v.Readings, out)
	}
	if first+readingsShown < rec.Len() {
		v.Next = first + readingsShown + 1
	}
	return nil
}

// fillHealth says how good the recording is as it is read now.
func (s *Room) fillHealth(ctx context.Context, v *recordingView) error {
	res, err := s.book.Results(ctx, v.Row)
	if err != nil {
		return err
	}
	if k := placeOf(v.Row, &v.Rec); k >= 0 && k < len(res.Head().Recordings) {
		v.Note = &res.Head().Recordings[k]
	}
	if v.Note == nil {
		return nil
	}
	// What was taken is not wrong any more: it is listed with the corrections.
	for _, p := range v.Note.Health[:min(len(v.Note.Health), maxProposals)] {
		row := proposalRow{Proposal: p, At: words.Clock(p.FromS)}
		if p.LeaveOut && !p.Applied {
			row.Form = p.Form()
			v.Open++
		}
		v.Proposals = append(v.Proposals, row)
	}
	return nil
}

// describe puts a correction into words.
func describe(c logbook.Correction, rec *trace.Recording) correctionRow {
	out := correctionRow{Correction: c, What: "time", Value: "left out"}
	if c.N < rec.Len() {
		out.At = words.Clock(rec.T[c.N])
	}
	in, ok := trace.Describe(trace.Channel(c.Channel))
	if ok {
		out.What = in.Short
	}
	switch {
	case c.Value == nil:
	case ok:
		out.Value = strings.TrimSpace(words.Figure(*c.Value, 2) + " " + in.Unit)
	default:
		out.Value = words.Clock(*c.Value)
	}
	return out
}

// recordingForm gives what was sent and the recording it is about; false where that
// was answered already.
func (s *Room) recordingForm(w http.ResponseWriter, r *http.Request) (f *ui.Fields, row *logbook.Run,
	rec *logbook.Recording, ok bool) {
	if f, ok = s.Form(w, r); !ok {
		return nil, nil, nil, false
	}
	row, rec, err := s.recordingOf(r)
	if err != nil {
		s.Fail(w, r, err)
		return nil, nil, nil, false
	}
	return f, row, rec, true
}

// saveRecording stores whose the recording is and how far its clock is off.
func (s *Room) saveRecording(w http.ResponseWriter, r *http.Request) error {
	f, row, rec, ok := s.recordingForm(w, r)
	if !ok {
		return nil
	}
	side := f.Word("side", []string{string(trace.CarSide), string(trace.StallSide)})
	offset := f.Ranged("offset", "recordings[].clock_offset_s")
	if side == "" {
		f.Fault("side", "Whose readings are these: the car's or the stall's?")
	}
	if !f.OK() {
		s.showRecording(w, r, http.StatusUnprocessableEntity, f)
		return nil
	}
	by := 0.0
	if offset != nil {
		by = *offset
	}
	if err := s.book.SaveRecording(r.Context(), row.ID, rec.ID, trace.Side(side), by); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID), http.StatusSeeOther)
	return nil
}

// correct stores a correction of one value.
func (s *Room) correct(w http.ResponseWriter, r *http.Request) error {
	f, row, rec, ok := s.recordingForm(w, r)
	if !ok {
		return nil
	}
	c := &logbook.Correction{RunID: row.ID, RecordingID: rec.ID, Channel: f.Text("channel")}
	if n := f.Number("number", 1, float64(max(1, rec.Readings))); n != nil && *n == math.Trunc(*n) {
		c.N = int(*n) - 1
	} else if f.Errors["number"] == "" {
		f.Fault("number", "Which reading? Expected its number, from 1 to %d.", rec.Readings)
	}
	in, known := trace.Describe(trace.Channel(c.Channel))
	switch {
	case c.Channel == logbook.TimeCorrected:
		at := f.Minutes("value")
		c.Value = &at
	case !known:
		f.Fault("channel", "What of it was wrong?")
	default:
		c.Value = f.Measured("value", in)
	}
	if !f.OK() {
		s.showRecording(w, r, http.StatusUnprocessableEntity, f)
		return nil
	}
	if err := s.book.Correct(r.Context(), c); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RecordingPath(row.ID, rec.ID, "/readings?from=", fmt.Sprint(max(1, c.N-5)), "#corrections"),
		http.StatusSeeOther)
	return nil
}

// takeBackCorrection takes a correction back, or puts it in again.
func (s *Room) takeBackCorrection(w http.ResponseWriter, r *http.Request) error {
	id, err1 := ui.IDParam(r, "id")
	correction, err2 := ui.IDParam(r, "correction")
	if err1 != nil || err2 != nil {
		return fmt.Errorf("that correction: %w", logbook.ErrNotFound)
	}
	if err := s.book.TakeBackCorrection(r.Context(), id, correction, strings.HasSuffix(r.URL.Path, "/back")); err != nil {
		return err
	}
	list, err := s.book.Corrections(r.Context(), id)
	if err != nil {
		return err
	}
	for _, c := range list {
		if c.ID == correction {
			http.Redirect(w, r, ui.RecordingPath(id, c.RecordingID, "/readings#corrections"),
				http.StatusSeeOther)
			return nil
		}
	}
	return nil
}
