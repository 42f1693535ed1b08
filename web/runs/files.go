package runs

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/say"
	"zincroad/core/units"
	"zincroad/formats/selection"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Exports are the paths that send as much as was recorded: they are given the time that it takes.
func (s *Room) Exports(r chi.Router) {
	r.Get("/runs/{id}/folder.zip", s.Do(s.runFolder))
	r.Get("/folders.zip", s.Do(s.runFolders))
	for kind := range selection.MediaTypes {
		r.Get("/runs."+string(kind), s.Do(s.selected(kind)))
	}
	r.Get("/runs/{id}/readings.csv", s.Do(s.readingsCSV))
	r.Get("/runs/{id}/recordings/{recording}", s.Do(s.recordingFile))
}

// send streams a file. What breaks off is cut off, so that nobody takes half of it for all.
func (s *Room) send(w http.ResponseWriter, kind, name string, write func(io.Writer) error) {
	ui.Attach(w, kind, name)
	if err := write(w); err != nil {
		s.Log.Warn("sending a file", "file", name, "error", err)
		panic(http.ErrAbortHandler)
	}
}

// runFolder gives the run as a zipped run folder, with its recordings as they came, and its photos.
func (s *Room) runFolder(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return err
	}
	parcel, err := s.book.Parcel(r.Context(), row)
	if err != nil {
		return err
	}
	s.send(w, "application/zip", fmt.Sprintf("run-%d.zip", row.ID), parcel.WriteZip)
	return nil
}

// runFolders gives several runs, ?runs=1,2, as run folders in one zip, which comes back in as it went out.
func (s *Room) runFolders(w http.ResponseWriter, r *http.Request) error {
	rows, err := s.asked(r)
	if err != nil {
		return err
	}
	s.send(w, "application/zip", "runs.zip", func(w io.Writer) error {
		return s.book.WriteFolders(r.Context(), w, rows, true)
	})
	return nil
}

// selected gives several runs, ?runs=1,2, as one file for other programs, which comes back in as it went out.
func (s *Room) selected(kind selection.Kind) func(w http.ResponseWriter, r *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		rows, err := s.asked(r)
		if err != nil {
			return err
		}
		large := func(err error) error {
			return ui.BadRequest("%s Take fewer runs, or their run folders.", ui.Sentence(err.Error()))
		}
		folders, file := ui.Bounded{Most: selection.Most}, bytes.Buffer{}
		switch err := s.book.WriteFolders(r.Context(), &folders, rows, false); {
		case errors.Is(err, ui.ErrBounded):
			return large(err)
		case err != nil:
			return err
		}
		z, err := zip.NewReader(bytes.NewReader(folders.Bytes()), int64(folders.Len()))
		if err != nil {
			return fmt.Errorf("putting runs together: %w", err)
		}
		switch err := selection.Write(&file, kind, z); {
		case errors.Is(err, selection.ErrTooLarge):
			return large(err)
		case err != nil:
			return err
		}
		s.send(w, selection.MediaTypes[kind], "runs."+string(kind), func(w io.Writer) error {
			_, err := file.WriteTo(w)
			return err
		})
		return nil
	}
}

// asked are the runs that an address names.
func (s *Room) asked(r *http.Request) ([]*logbook.Run, error) {
	ids := ui.ParseIDs(r.URL.Query().Get("runs"), ",")
	if len(ids) == 0 {
		return nil, ui.BadRequest("Which runs? Name them as in folders.zip?runs=1,2.")
	}
	rows, err := s.book.Runs(r.Context(), ids)
	if err != nil {
		return nil, err
	}
	if at := slices.Index(rows, nil); at >= 0 {
		return nil, fmt.Errorf("run %d: %w", ids[at], logbook.ErrNotFound)
	}
	return rows, nil
}

// recordingOf is the recording of a run that is asked for by its number, or for an empty one the first.
func recordingOf(row *logbook.Run, id string) (*logbook.Recording, error) {
	for i := range row.Recordings {
		if rec := &row.Recordings[i]; id == "" || id == fmt.Sprint(rec.ID) {
			return rec, nil
		}
	}
	return nil, fmt.Errorf("that recording: %w", logbook.ErrNotFound)
}

// readingsCSV gives one recording, ?recording=ID, or the run's first one, with what was put right in it.
func (s *Room) readingsCSV(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return err
	}
	rec, err := recordingOf(row, r.URL.Query().Get("recording"))
	if err != nil {
		return err
	}
	s.send(w, "text/csv; charset=utf-8", fmt.Sprintf("run-%d-%s", row.ID, rec.Name), func(w io.Writer) error {
		return s.book.WriteReadings(r.Context(), w, rec)
	})
	return nil
}

// recordingFile gives a recording's file exactly as it came.
func (s *Room) recordingFile(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return err
	}
	id, err := ui.IDParam(r, "recording")
	if err != nil {
		return err
	}
	rec, err := recordingOf(row, fmt.Sprint(id))
	if err != nil {
		return err
	}
	f, err := s.book.File(r.Context(), rec)
	if err != nil {
		return err
	}
	s.send(w, "application/octet-stream", f.Name, f.Write)
	return nil
}

func (s *Room) stripSVG(w http.ResponseWriter, r *http.Request) {
	s.picture(w, r, "strip", func(v *runView) string { return v.Strip })
}

func (s *Room) curveSVG(w http.ResponseWriter, r *http.Request) {
	s.picture(w, r, "curve", func(v *runView) string { return v.Chart.SVG })
}

func (s *Room) picture(w http.ResponseWriter, r *http.Request, what string, of func(*runView) string) {
	v, err := s.runView(r, r.URL.Query())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.SendSVG(w, r, fmt.Sprintf("run-%d-%s.svg", v.Row.ID, what), of(v), captionOf(v, ui.MeasuresOf(r)))
}

// captionOf names a run on a picture that leaves the page: the conditions go with it.
func captionOf(v *runView, in units.People) string {
	var parts []string
	for _, f := range v.Facts {
		strong := f.Strong
		if q, ok := strong.(say.Quantity); ok {
			strong = q.In(in)
		}
		parts = append(parts, strings.TrimSpace(fmt.Sprint(strong, " ", f.Text)))
	}
	parts = append(parts, "clock from "+clockName(v.Reading.Clock), string(v.Reading.Side)+" side")
	if v.Row.StartedAt != nil {
		parts = append(parts, v.Row.StartedAt.Format(time.DateOnly))
	}
	return strings.Join(parts, " · ")
}
