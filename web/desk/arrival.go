package desk

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strings"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/formats/boxed"
	"zincroad/formats/buslog"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/typed"
	"zincroad/logbook"
	"zincroad/web/details"
	"zincroad/web/ui"
)

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

	OfBus    bool // it is a log of a car's bus, which the car that is chosen says how to read
	LastTime bool // it is read as one with the same header was read before
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
	var b *intake.Bundle
	if buslog.Looks(a.Content) {
		b, err = s.busLog(r.Context(), v, choices)
	} else {
		b, err = boxed.Bytes(r.Context(), a.Name, a.Content, choices)
	}
	if err != nil {
		faults := intake.Refusal(a.Name, err)
		v.Problem = faults[0].Reason
		v.Faults = faults
		v.Typed = isText(a.Content) && !v.OfBus
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

// busLog reads a log of a car's bus by what the car that is chosen keeps of it.
func (s *Room) busLog(ctx context.Context, v *arrivalView, c intake.Choices) (*intake.Bundle, error) {
	v.OfBus = true
	id := v.ID("car")
	if id == nil {
		return nil, errors.New("a log of a car's bus: choose the car, which says what its signals are")
	}
	bus, err := s.book.Bus(ctx, *id)
	if err != nil {
		return nil, err
	}
	if bus == nil || bus.Signals == "" {
		return nil, errors.New("a log of a car's bus: give this car its DBC file and its list of signals in the Garage")
	}
	p, err := buslog.NewProfile(bus.DBC, bus.Signals)
	if err != nil {
		return nil, err
	}
	var table bytes.Buffer
	became, err := p.Convert(&table, bytes.NewReader(v.Arrival.Content))
	if err != nil {
		return nil, err
	}
	name := strings.TrimSuffix(v.Arrival.Name, filepath.Ext(v.Arrival.Name)) + ".csv"
	b, err := boxed.Bytes(ctx, name, table.Bytes(), c)
	if err != nil {
		return nil, err
	}
	for _, left := range became.LeftOut() {
		b.Faults = append(b.Faults, csvlog.Fault{File: v.Arrival.Name, Reason: left})
	}
	b.LeftOut += became.Odd + became.Late
	return b, nil
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
