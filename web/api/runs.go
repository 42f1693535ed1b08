package api

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/boxed"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
	"zincroad/formats/sheet"
	"zincroad/logbook"
)

// How many runs a page of the list has, where nothing is said, and at most.
const (
	usualPage = 50
	mostPage  = 200
)

// listed is a run in the list.
type listed struct {
	ID             int64      `json:"id"`
	Title          string     `json:"title"`
	StartedAt      *time.Time `json:"started_at"`
	Timezone       string     `json:"timezone"`
	Car            string     `json:"car"`
	Software       string     `json:"software"`
	Site           string     `json:"site"`
	Stall          string     `json:"stall"`
	Preconditioned string     `json:"preconditioned"`
	Profile        string     `json:"profile"`
	AmbientC       *float64   `json:"ambient_c"`
	StartC         *float64   `json:"start_c"`
	Window         *window    `json:"window"`
	PeakKW         *float64   `json:"peak_kw"`
	AverageKW      *float64   `json:"average_kw"`
	Verdict        string     `json:"verdict"`
	Stale          bool       `json:"stale"` // its figures are of before a change, and being worked out
}

type window struct {
	FromPct float64 `json:"from_pct"`
	ToPct   float64 `json:"to_pct"`
	TS      float64 `json:"t_s"`
}

// runs lists runs by the filters of the Road; cursor goes on behind a page.
func (s *Room) runs(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	f := logbook.RoadFilter{Car: q.Get("car"), Software: q.Get("software"), Stall: q.Get("stall"),
		Preconditioned: q.Get("preconditioned"), Text: strings.TrimSpace(q.Get("q")), Sort: q.Get("sort"), Limit: usualPage,
		Bare: true}
	for key, into := range map[string]**float64{"ambient_from": &f.AmbientFrom, "ambient_below": &f.AmbientBelow} {
		if text := q.Get(key); text != "" {
			v, err := strconv.ParseFloat(text, 64)
			if err != nil {
				return bad(fmt.Sprintf("%s: %q, expected °C", key, text))
			}
			*into = &v
		}
	}
	if text := q.Get("limit"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 || n > mostPage {
			return bad(fmt.Sprintf("limit: %q, expected 1 to %d", text, mostPage))
		}
		f.Limit = n
	}
	if text := q.Get("cursor"); text != "" {
		after, err := strconv.ParseInt(text, 36, 64)
		if err != nil || after < 1 {
			return bad(fmt.Sprintf("cursor: %q, expected next of the page before", text))
		}
		f.After = after
	}
	rows, total, _, err := s.book.Road(r.Context(), f)
	if err != nil {
		return err
	}
	page := struct {
		Runs  []listed `json:"runs"`
		Total int      `json:"total"`
		Next  *string  `json:"next"` // cursor of the next page; null: there is none
	}{Runs: []listed{}, Total: total}
	for _, x := range rows {
		one := listed{ID: x.ID, Title: x.Title, StartedAt: x.StartedAt, Timezone: x.Timezone, Car: x.Car,
			Software: x.Software, Site: x.Site, Stall: x.Stall, Preconditioned: x.Preconditioned, Profile: x.Profile,
			AmbientC: x.AmbientC, StartC: x.StartC, PeakKW: x.PeakKW, AverageKW: x.AverageKW, Verdict: x.Said.Text.Kept(),
			Stale: x.Changed || x.Old}
		if x.WindowS != nil && x.WindowFromPct != nil && x.WindowToPct != nil {
			one.Window = &window{*x.WindowFromPct, *x.WindowToPct, *x.WindowS}
		}
		page.Runs = append(page.Runs, one)
	}
	if len(rows) == f.Limit {
		next := strconv.FormatInt(rows[len(rows)-1].ID, 36)
		page.Next = &next
	}
	return answer(w, http.StatusOK, page)
}

// rowOf is the run that the address names.
func (s *Room) rowOf(r *http.Request) (*logbook.Run, error) {
	id, err := numberOf(r)
	if err != nil {
		return nil, err
	}
	return s.book.Run(r.Context(), id)
}

func numberOf(r *http.Request) (int64, error) {
	text := chi.URLParam(r, "id")
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, bad(fmt.Sprintf("%q in the address: expected a number", text))
	}
	return id, nil
}

// one is a run with its run.json.
type one struct {
	ID         int64           `json:"id"`
	Revision   int             `json:"revision"`
	Live       bool            `json:"live"`
	Run        json.RawMessage `json:"run"`
	Recordings []recording     `json:"recordings"`
}

type recording struct {
	ID       int64  `json:"id"`
	Name     string `json:"name"`
	Side     string `json:"side"`
	Readings int    `json:"readings"`
}

// tagOf names a state of a run, for If-Match and If-None-Match: its revision and, of figures, the arithmetic's version.
func tagOf(row *logbook.Run) string { return fmt.Sprintf(`"%d-%d"`, row.Revision, curve.Version) }

func (s *Room) run(w http.ResponseWriter, r *http.Request) error {
	row, err := s.rowOf(r)
	if err != nil {
		return err
	}
	return s.sendRun(w, r, http.StatusOK, row)
}

func (s *Room) sendRun(w http.ResponseWriter, r *http.Request, status int, row *logbook.Run) error {
	w.Header().Set("ETag", tagOf(row))
	if status == http.StatusOK && r.Header.Get("If-None-Match") == tagOf(row) {
		w.WriteHeader(http.StatusNotModified)
		return nil
	}
	doc, err := runfolder.Document(row.Describe(), nil, nil)
	if err != nil {
		return err
	}
	out := one{ID: row.ID, Revision: row.Revision, Live: row.Live, Run: doc, Recordings: []recording{}}
	for _, rec := range row.Recordings {
		out.Recordings = append(out.Recordings, recording{rec.ID, rec.Name, rec.Side, rec.Readings})
	}
	return answer(w, status, out)
}

// reading gives a run's figures, zincroad-reading/1, for a clock and a side.
func (s *Room) reading(w http.ResponseWriter, r *http.Request) error {
	row, err := s.rowOf(r)
	if err != nil {
		return err
	}
	clock, side := curve.Clock(r.URL.Query().Get("clock")), trace.Side(r.URL.Query().Get("side"))
	if clock != "" && clock != curve.PlugClock && clock != curve.PowerClock {
		return bad(fmt.Sprintf("clock: %q, expected plug or power", clock))
	}
	if side != "" && side != trace.CarSide && side != trace.StallSide {
		return bad(fmt.Sprintf("side: %q, expected car or stall", side))
	}
	res, err := s.book.Results(r.Context(), row)
	if err != nil {
		return err
	}
	w.Header().Set("ETag", tagOf(row))
	return answer(w, http.StatusOK, res.Reading(clock, side))
}

// readings gives a recording's readings, with what was put right in them: CSV, or JSON or Parquet
// where that is asked for.
func (s *Room) readings(w http.ResponseWriter, r *http.Request) error {
	row, err := s.rowOf(r)
	if err != nil {
		return err
	}
	k := -1
	for i, rec := range row.Recordings {
		if of := r.URL.Query().Get("recording"); k < 0 && (of == "" || of == fmt.Sprint(rec.ID)) {
			k = i
		}
	}
	if k < 0 {
		return fmt.Errorf("that recording: %w", logbook.ErrNotFound)
	}
	kind := wanted(r.Header.Get("Accept"), "text/csv", "application/json", parquetType)
	if kind == "text/csv" {
		w.Header().Set("Content-Type", "text/csv; charset=utf-8")
		return s.book.WriteReadings(r.Context(), w, &row.Recordings[k])
	}
	full, err := s.book.Load(r.Context(), row)
	if err != nil {
		return err
	}
	rec := full.Recordings[k]
	switch kind {
	case parquetType:
		w.Header().Set("Content-Type", parquetType)
		return sheet.WriteParquet(w, rec)
	case "application/json":
		out := struct {
			Side     trace.Side                     `json:"side"`
			T        trace.Floats                   `json:"t_s"`
			Channels map[trace.Channel]trace.Floats `json:"channels"` // as long as t_s; null: not read
		}{rec.Side, rec.T, map[trace.Channel]trace.Floats{}}
		for c, col := range rec.Columns {
			out.Channels[c] = col
		}
		return answer(w, http.StatusOK, out)
	}
	return problem{Status: http.StatusNotAcceptable, Title: "Not in that form",
		Detail: "readings come as text/csv, application/json or " + parquetType}
}

// parquetType is the media type of Parquet files (IANA).
const parquetType = "application/vnd.apache.parquet"

// wanted picks of some media types the one that an Accept header names first; none is named: the first.
func wanted(accept string, offered ...string) string {
	if accept == "" {
		return offered[0]
	}
	for _, part := range strings.Split(accept, ",") {
		kind, _, err := mime.ParseMediaType(part)
		if err != nil {
			continue
		}
		for _, o := range offered {
			if family, _, _ := strings.Cut(o, "/"); kind == o || kind == "*/*" || kind == family+"/*" {
				return o
			}
		}
	}
	return ""
}

// folder gives the run as a zipped run folder.
func (s *Room) folder(w http.ResponseWriter, r *http.Request) error {
	row, err := s.rowOf(r)
	if err != nil {
		return err
	}
	parcel, err := s.book.Parcel(r.Context(), row)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="run-%d.zip"`, row.ID))
	if err := parcel.WriteZip(w); err != nil {
		s.log.Warn("sending a folder", "run", row.ID, "error", err)
		panic(http.ErrAbortHandler) // nobody takes half of it for all
	}
	return nil
}

// mostSent is how large a file may be, in bytes, as on the Desk.
const mostSent = 64 << 20

// bringIn takes any file that the Desk reads, named by ?name=, and answers with the run that it became.
func (s *Room) bringIn(w http.ResponseWriter, r *http.Request) error {
	name := r.URL.Query().Get("name")
	if name == "" {
		return bad("name: expected the file's name, as in ?name=log.csv")
	}
	content, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostSent))
	if tooLarge := (*http.MaxBytesError)(nil); errors.As(err, &tooLarge) {
		return problem{Status: http.StatusRequestEntityTooLarge, Title: "The file is too large",
			Detail: fmt.Sprintf("expected at most %d MiB; zincroad import reads larger ones", mostSent>>20)}
	}
	if err != nil {
		return bad("the file broke off: " + err.Error())
	}
	list, err := boxed.All(r.Context(), name, content, intake.Choices{})
	if err != nil {
		return problem{Status: http.StatusUnprocessableEntity, Title: "This is no log that can be read",
			Detail: "faults say where, and what was expected", Faults: intake.Refusal(name, err)}
	}
	if len(list) != 1 {
		return problem{Status: http.StatusUnprocessableEntity, Title: "One run at a time",
			Detail: fmt.Sprintf("%s holds %d", name, len(list))}
	}
	twin, there, err := s.book.Twin(r.Context(), list[0].Files)
	if err != nil {
		return err
	}
	if there {
		return problem{Status: http.StatusConflict, Title: "These files are there already",
			Detail: fmt.Sprintf("as run %d", twin.ID), Run: twin.ID}
	}
	id, err := s.book.Save(r.Context(), list[0])
	if err != nil {
		return err
	}
	row, err := s.book.Run(r.Context(), id)
	if err != nil {
		return err
	}
	w.Header().Set("Location", fmt.Sprintf("/api/v1/runs/%d", id))
	return s.sendRun(w, r, http.StatusCreated, row)
}

// change notes a run's title and conditions, and adds marks; what is not named stays. With If-Match only where nobody
// changed it since; without, what somebody else changes meanwhile stays too.
func (s *Room) change(w http.ResponseWriter, r *http.Request) error {
	var doc map[string]json.RawMessage
	if err := json.NewDecoder(r.Body).Decode(&doc); err != nil {
		return badBody(err)
	}
	for key := range doc {
		if key != "title" && key != "conditions" && key != "marks" {
			return bad(fmt.Sprintf("the body: %q, expected title, conditions or marks", key))
		}
	}
	is := r.Header.Get("If-Match")
	for range changeAttempts {
		row, err := s.rowOf(r)
		if err != nil {
			return err
		}
		if is != "" && is != "*" && is != tagOf(row) {
			return changedSince
		}
		marks, err := noteOn(row, doc)
		if err != nil {
			return err
		}
		switch err := s.book.SaveDetailsUnchanged(r.Context(), row, marks...); {
		case errors.Is(err, logbook.ErrChanged):
			continue // read anew: with If-Match it is another now
		case err != nil:
			return err
		}
		if row, err = s.book.Run(r.Context(), row.ID); err != nil {
			return err
		}
		return s.sendRun(w, r, http.StatusOK, row)
	}
	return changedSince
}

// changeAttempts is how often a change is put on what somebody else has just changed.
const changeAttempts = 5

var changedSince = problem{Status: http.StatusPreconditionFailed, Title: "It was changed since",
	Detail: "read it again, and send the change with its ETag"}

// noteOn puts what a program says of a run over what is noted of it, and gives the marks that it adds.
func noteOn(row *logbook.Run, said map[string]json.RawMessage) ([]logbook.Mark, error) {
	doc := maps.Clone(said)
	conditions, ofConditions := doc["conditions"]
	if ofConditions {
		whole, err := over(row.Conditions(), bytes.NewReader(conditions))
		if err != nil {
			return nil, err
		}
		if doc["conditions"], err = json.Marshal(whole); err != nil {
			return nil, err
		}
	}
	whole, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	text, err := withFormat(whole)
	if err != nil {
		return nil, err
	}
	noted, err := runfolder.Plan(text, "body")
	if err != nil {
		return nil, problem{Status: http.StatusUnprocessableEntity, Title: "This cannot be noted",
			Detail: "faults say what was expected", Faults: intake.Refusal("body", err)}
	}
	if _, ok := doc["title"]; ok {
		row.Title = noted.Title
	}
	if ofConditions {
		row.SetConditions(cmp.Or(noted.Conditions, &run.Condition{}))
	}
	var marks []logbook.Mark
	for _, m := range noted.Marks {
		marks = append(marks, logbook.Mark{TS: m.TS, Kind: m.Kind, Note: m.Note})
	}
	return marks, nil
}

// remove puts a run aside, and restore brings it back.
func (s *Room) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := numberOf(r)
	if err == nil {
		err = s.book.DeleteRun(r.Context(), id)
	}
	if err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

func (s *Room) restore(w http.ResponseWriter, r *http.Request) error {
	id, err := numberOf(r)
	if err == nil {
		err = s.book.RestoreRun(r.Context(), id)
	}
	if err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}
