package desk

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/formats/boxed"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/typed"
	"zincroad/logbook"
	"zincroad/web/details"
	"zincroad/web/ui"
)

// Routes are the room's own paths.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.desk)
	r.Post("/files", s.Do(s.takeFile))
	r.Get("/sheet", s.Do(s.sheet))
	r.Post("/typed/check", s.checkTyped)
	r.Post("/typed", s.Do(s.takeTyped))
	r.Get("/arrivals/{id}", s.Do(s.arrival))
	r.Post("/arrivals/{id}/look", s.lookAgain)
	r.Post("/arrivals/{id}/keep", s.Do(s.keepArrival))
	r.Post("/arrivals/{id}/drop", s.Do(s.dropArrival))
	r.Post("/arrivals/{id}/add", s.Do(s.addArrival))
}

// deskView is what came in last, what waits, and what needs a word.
type deskView struct {
	Waiting []logbook.Arrival
	Latest  *latestView
	CameIn  []cameRow
	Fault   []csvlog.Fault
	File    string
}

// cameIn is how many runs are listed of those that came in.
const cameIn = 8

func (s *Room) desk(w http.ResponseWriter, r *http.Request) {
	s.showDesk(w, r, http.StatusOK, deskView{})
}

func (s *Room) showDesk(w http.ResponseWriter, r *http.Request, status int, v deskView) {
	var err error
	if v.Waiting, err = s.book.Arrivals(r.Context()); err != nil {
		s.Fail(w, r, err)
		return
	}
	list, err := s.book.CameIn(r.Context(), cameIn)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v.CameIn = cameRows(list)
	if len(list) > 0 {
		if v.Latest, err = s.latest(r.Context(), list[0].ID); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	s.Render(w, r, "desk", status, ui.Frame{Title: "Desk", Data: v})
}

// takeFile takes a dropped file. A run folder without a fault goes straight into the
// logbook; everything else waits for the tester's word.
func (s *Room) takeFile(w http.ResponseWriter, r *http.Request) error {
	name, content, err := ui.Upload(w, r)
	if errors.Is(err, ui.ErrBusy) {
		return err
	}
	if err != nil {
		s.refuse(w, r, "file", []csvlog.Fault{{File: "upload", Reason: err.Error()}})
		return nil
	}
	list, err := boxed.All(r.Context(), name, content, intake.Choices{})
	if err != nil {
		s.refuse(w, r, name, intake.Refusal(name, err))
		return nil
	}
	if to, done, err := s.takeFolders(r.Context(), list); err != nil {
		return err
	} else if done {
		ui.GoTo(w, r, to)
		return nil
	}
	id, err := s.book.Arrive(r.Context(), name, content)
	if err != nil {
		return err
	}
	ui.GoTo(w, r, ui.ArrivalPath(id))
	return nil
}

// takeFolders stores the run folders of a file that needs nobody's word, and says where to go then.
// Those that are in the logbook already are passed over where there are several.
func (s *Room) takeFolders(ctx context.Context, list []*intake.Bundle) (to string, done bool, err error) {
	for _, b := range list {
		if b.Kind != intake.FolderKind || len(list) == 1 && b.LeftOut > 0 {
			return "", false, nil
		}
	}
	for _, b := range list {
		twin, found, err := s.book.Twin(ctx, b.Files)
		if err != nil {
			return "", false, err
		}
		if found {
			s.Log.Info("the same files again", "run", twin.ID)
			if len(list) == 1 {
				return "", false, nil
			}
			continue
		}
		id, err := s.book.Save(ctx, b)
		if err != nil {
			return "", false, err
		}
		to = ui.RunPath(id)
	}
	if len(list) > 1 {
		to = "/desk"
	}
	return to, true, nil
}

// refuse says why a file was not taken; nothing of it was stored.
func (s *Room) refuse(w http.ResponseWriter, r *http.Request, name string, faults []csvlog.Fault) {
	if ui.IsPart(r) {
		w.Header().Set("HX-Retarget", "body")
	}
	s.showDesk(w, r, http.StatusUnprocessableEntity, deskView{File: name, Fault: faults})
}

// arrivalView is a waiting file with what was understood.
type arrivalView struct {
	Arrival *logbook.Arrival
	*details.Form
	Bundle  *intake.Bundle
	Kind    string
	Columns []columnView
	Sample  [][]string
	Heads   []string
	Times   []choiceValue
	Faults  []csvlog.Fault
	More    int
	Problem string
	Typed   bool // it is a text, which can be put right line by line
	Twin    *logbook.Run
	Belongs *logbook.Run // the run that it is another recording of; nil: none
	Quick   []say.Text   // what the readings say already

	LastTime bool // it is read as one with the same header was read before
}

type choiceValue struct{ Value, Label string }

type columnView struct {
	Index    int
	Column   csvlog.Column
	Units    []string
	Examples []string
}

// channelMenu offers every channel.
func (arrivalView) ChannelMenu() []choiceValue {
	out := []choiceValue{{"", "left out"}, {string(csvlog.TimeColumn), "time"}}
	for _, in := range trace.Channels {
		out = append(out, choiceValue{string(in.Channel), in.Name})
	}
	return out
}

func (s *Room) arrival(w http.ResponseWriter, r *http.Request) error {
	v, err := s.arrivalView(r, nil)
	if err != nil {
		return err
	}
	s.Render(w, r, "arrival", http.StatusOK, ui.Frame{Title: "Bring in " + v.Arrival.Name, Page: "desk", Data: v})
	return nil
}

// arrivalForm gives what was sent about a waiting file, and the file read by it; false where that was
// answered already.
func (s *Room) arrivalForm(w http.ResponseWriter, r *http.Request) (f *ui.Fields, v *arrivalView, ok bool) {
	if f, ok = s.Form(w, r); !ok {
		return nil, nil, false
	}
	v, err := s.arrivalView(r, f.Values)
	if err != nil {
		s.Fail(w, r, err)
		return nil, nil, false
	}
	return f, v, true
}

// lookAgain shows what the file says under changed guesses.
func (s *Room) lookAgain(w http.ResponseWriter, r *http.Request) {
	_, v, ok := s.arrivalForm(w, r)
	if !ok {
		return
	}
	if ui.IsPart(r) {
		s.Part(w, r, "arrival", "understood", v)
		return
	}
	s.Render(w, r, "arrival", http.StatusOK, ui.Frame{Title: "Bring in " + v.Arrival.Name, Page: "desk", Data: v})
}

// arrivalView reads the waiting file under the choices of a form, or as guessed.
func (s *Room) arrivalView(r *http.Request, form url.Values) (*arrivalView, error) {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return nil, err
	}
	head, err := s.book.ArrivalHead(r.Context(), id)
	if err != nil {
		return nil, err
	}
	if err := ui.Hold(r.Context(), held(head)); err != nil {
		return nil, err
	}
	a, err := s.book.Arrival(r.Context(), id)
	if err != nil {
		return nil, err
	}
	v := &arrivalView{Arrival: a, Form: &details.Form{Fields: ui.NewFields(form), Arriving: true}}
	if err := details.Choices(r.Context(), s.book, v.Form); err != nil {
		return nil, err
	}
	if form == nil {
		v.Values = url.Values{"timezone": {"UTC"}}
	}
	var choices intake.Choices
	layout, named := v.layoutOf(form)
	choices.Layout, choices.Named = layout, named
	choices.Side = trace.Side(v.Word("side", []string{"car", "stall"}))
	choices.Times = typed.Times(
		v.Word("typed_times", []string{string(typed.MinutesSeconds), string(typed.HoursMinutes)}),
	)
	_, choices.Zone = v.Zone("timezone")
	b, err := boxed.Bytes(r.Context(), a.Name, a.Content, choices)
	if err != nil {
		faults := intake.Refusal(a.Name, err)
		v.Problem = faults[0].Reason
		v.Faults = faults
		v.Typed = isText(a.Content)
		if named != nil {
			v.Fault("header_line", "%s", ui.Sentence(v.Problem))
			// What was asked for stays in the form; anything else is guessed anew.
			layout = &csvlog.Layout{}
			_ = json.Unmarshal([]byte(form.Get("layout")), layout)
			layout.Delimiter, layout.HeaderLine = named.Delimiter, named.Line
		}
		v.show(layout, nil)
		return v, nil
	}
	if form == nil && b.Layout != nil {
		b = s.asLastTime(r.Context(), v, b, choices)
	}
	v.take(b, form)
	twin, found, err := s.book.Twin(r.Context(), b.Files)
	if err != nil {
		return nil, err
	}
	if found {
		v.Twin = twin
	} else if form == nil || form.Get("belongs") != "" {
		if v.Belongs, err = s.belongs(r.Context(), b); err != nil {
			return nil, err
		}
	}
	return v, nil
}

// held is how much a waiting file may take while it is looked at, bytes: its size, and more where it is packed.
func held(a *logbook.Arrival) int64 {
	if slices.Contains([]string{".zip", ".xlsx", ".parquet"}, strings.ToLower(filepath.Ext(a.Name))) {
		return ui.MostHeld
	}
	return a.Size
}

// asLastTime reads a table as one with the same header was read last, where a person has said how;
// else, or where that does not fit it any more, as it was guessed.
func (s *Room) asLastTime(ctx context.Context, v *arrivalView, b *intake.Bundle, c intake.Choices) *intake.Bundle {
	l, known, err := s.book.Remembered(ctx, *b.Layout)
	if err != nil || !known {
		return b
	}
	c.Layout = &l
	again, err := boxed.Bytes(ctx, v.Arrival.Name, v.Arrival.Content, c)
	if err != nil {
		return b
	}
	v.LastTime = true
	return again
}

// take fills the view from what was read.
func (v *arrivalView) take(b *intake.Bundle, form url.Values) {
	v.Bundle, v.Kind = b, string(b.Kind)
	v.Faults, v.More = b.Faults[:min(len(b.Faults), 12)], b.LeftOut-min(len(b.Faults), 12)
	rec := b.Run.Recordings[0]
	if form == nil {
		v.Values.Set("side", string(rec.Side))
		if b.Notes != nil {
			v.Values.Set("typed_times", string(b.Notes.Times))
		}
		v.Values.Set("title", strings.TrimSuffix(v.Arrival.Name, filepath.Ext(v.Arrival.Name)))
		if b.Kind == intake.TypedKind {
			v.Values.Set("title", "")
		}
		started := b.Run.StartedAt
		if !started.IsZero() {
			v.Values.Set("started_at", started.UTC().Format(ui.InputTime+":05"))
		}
		v.Values.Set("from_pct", "10")
		v.Values.Set("to_pct", "80")
	}
	v.show(b.Layout, rec)
	for _, more := range b.Run.Recordings[1:] {
		v.Quick = append(v.Quick, say.T("desk.and-the", more.Side, say.List(quick(more)...)))
	}
}

// layoutOf reads the changed guesses of a table, on top of what was understood before; both nil
// keep the guess. Where other columns are named than before, what they hold is guessed anew.
func (v *arrivalView) layoutOf(form url.Values) (*csvlog.Layout, *intake.Named) {
	var l csvlog.Layout
	if json.Unmarshal([]byte(form.Get("layout")), &l) != nil || len(l.Columns) == 0 {
		return nil, nil
	}
	header, err := strconv.Atoi(form.Get("header_line"))
	if err != nil || header < 1 {
		v.Fault("header_line", "Expected the number of the line that names the columns.")
		header = l.HeaderLine
	}
	if d := form.Get("delimiter"); len(d) == 1 && d != l.Delimiter || header != l.HeaderLine {
		return nil, &intake.Named{Line: header, Delimiter: form.Get("delimiter"), Sheet: l.Sheet}
	}
	if comma := form.Get("decimal") == "comma"; comma != l.DecimalComma {
		l.DecimalComma = comma
		for i := range l.Columns {
			l.Columns[i].Decimal = ""
		}
	}
	l.Time = csvlog.TimeFormat(form.Get("time"))
	if order := form.Get("date_order"); order != "" {
		l.DateOrder, l.DateUnsure = order, false
	}
	for i := range l.Columns {
		p, c := "c"+strconv.Itoa(i)+"_", &l.Columns[i]
		if !form.Has(p + "channel") {
			continue
		}
		if was := c.Channel; was != trace.Channel(form.Get(p+"channel")) {
			l.Canonical = false
		}
		c.Channel, c.Negate = trace.Channel(form.Get(p+"channel")), form.Get(p+"sign") == "turned"
		if form.Has(p + "unit") {
			c.Unit = form.Get(p + "unit")
		}
		if form.Has(p + "side") {
			c.Side = trace.Side(form.Get(p + "side"))
		}
		if in, ok := trace.Describe(c.Channel); ok {
			// Read as another channel, the old one's unit means nothing.
			if _, known := units.Find(in.Units, c.Unit); !known {
				c.Unit = in.Units[0].Name
			}
		}
	}
	return &l, nil
}

// LayoutText is the layout as the form carries it on.
func (v *arrivalView) LayoutText() (string, error) {
	text, err := json.Marshal(v.Bundle.Layout)
	return string(text), err
}

// show lays out columns and the first rows.
func (v *arrivalView) show(l *csvlog.Layout, rec *trace.Recording) {
	if l != nil {
		for _, t := range csvlog.TimeFormats {
			v.Times = append(v.Times, choiceValue{string(t.Format), t.Example})
		}
		for i, c := range l.Columns {
			cv := columnView{Index: i, Column: c}
			if in, ok := trace.Describe(c.Channel); ok {
				for _, u := range in.Units {
					cv.Units = append(cv.Units, u.Name)
				}
			}
			v.Columns = append(v.Columns, cv)
		}
		v.Bundle = orBundle(v.Bundle, l)
	}
	if rec == nil {
		return
	}
	v.Heads = []string{"time"}
	var cols [][]float64
	var decimals []int
	for _, in := range trace.Channels {
		if col := rec.Columns[in.Channel]; col != nil {
			v.Heads = append(v.Heads, strings.TrimSpace(in.Short+" "+in.Unit))
			cols = append(cols, col)
			decimals = append(decimals, 2)
		}
	}
	for i := range min(rec.Len(), 6) {
		row := []string{words.Clock(rec.T[i])}
		for k, col := range cols {
			if math.IsNaN(col[i]) {
				row = append(row, "")
			} else {
				row = append(row, words.Figure(col[i], decimals[k]))
			}
		}
		v.Sample = append(v.Sample, row)
	}
	v.Quick = quick(rec)
}

func orBundle(b *intake.Bundle, l *csvlog.Layout) *intake.Bundle {
	if b == nil {
		return &intake.Bundle{Layout: l, Kind: intake.TableKind}
	}
	return b
}

// quick says what the readings hold, so that a wrong guess shows at once.
func quick(rec *trace.Recording) []say.Text {
	on := rec.OnRunClock()
	out := []say.Text{say.T("desk.readings-over", rec.Len(), say.Duration(on.T[len(on.T)-1]-on.T[0]))}
	if s := on.Series(trace.SoC); s.Len() > 0 {
		out = append(out,
			say.T("desk.charge", say.Fig(s.V[0], 1), say.Fig(s.V[s.Max()], 1)))
	}
	if p := on.PowerSeries(); p.Len() > 0 {
		out = append(out, say.T("desk.power", say.Fig(p.V[p.Max()], 0)))
	}
	for _, c := range []trace.Channel{trace.BatteryTempMin, trace.BatteryTemp} {
		if t := on.Series(c); t.Len() > 0 {
			out = append(out, say.T("desk.battery", say.Q(t.V[0], "°C", 0)))
			break
		}
	}
	return out
}

// keepArrival brings the file in under the form's choices.
func (s *Room) keepArrival(w http.ResponseWriter, r *http.Request) error {
	f, v, ok := s.arrivalForm(w, r)
	if !ok {
		return nil
	}
	var row logbook.Run
	if v.Kind != string(intake.FolderKind) {
		details.Read(v.Fields, &row)
		v.newCar()
	}
	if v.Bundle != nil && v.Bundle.Layout != nil && v.Bundle.Layout.DateUnsure {
		v.Fault("date_order", "Say whether dates begin with the day or the month.")
	}
	again := f.Values.Get("again") == "yes"
	if v.Twin != nil && !again {
		v.Fault("again", "This file is in the logbook already; say so if you want it twice.")
	}
	if v.Problem != "" || !v.OK() {
		s.Render(w, r, "arrival", http.StatusUnprocessableEntity,
			ui.Frame{Title: "Bring in " + v.Arrival.Name, Page: "desk", Data: v})
		return nil
	}
	id, err := s.bringIn(r.Context(), v, &row)
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(id), http.StatusSeeOther)
	return nil
}

// newCar checks the name of a car that the garage does not have yet.
func (v *arrivalView) newCar() {
	if v.Text("new_car") != "" && v.Values.Get("car") != "" {
		v.Fault("new_car", "Choose a car of the garage or name a new one, not both.")
	}
	if v.Text("new_car") != "" {
		delete(v.Errors, "software")
	}
}

// bringIn stores the run and its details, and forgets the waiting file.
func (s *Room) bringIn(ctx context.Context, v *arrivalView, row *logbook.Run) (int64, error) {
	b := v.Bundle
	if b.Kind != intake.FolderKind {
		if row.StartedAt != nil {
			b.Run.StartedAt = *row.StartedAt
		}
		if name := v.Text("new_car"); name != "" {
			b.Run.Car = &run.Car{Name: name, Software: v.Text("software")}
		}
	}
	id, err := s.book.Save(ctx, b)
	if err != nil {
		return 0, err
	}
	if b.Layout != nil {
		if err := s.book.Remember(ctx, *b.Layout); err != nil {
			return 0, err
		}
	}
	if b.Kind != intake.FolderKind {
		stored, err := s.book.Run(ctx, id)
		if err != nil {
			return 0, err
		}
		row.ID = id
		if row.CarID == nil {
			row.CarID = stored.CarID
		}
		if err := details.Store(ctx, s.book, v.Fields, row); err != nil {
			return 0, err
		}
	}
	return id, s.book.DropArrival(ctx, v.Arrival.ID)
}

func (s *Room) dropArrival(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.DropArrival(r.Context(), id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, "/desk", http.StatusSeeOther)
	return nil
}
