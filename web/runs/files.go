package runs

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"time"

	"zincroad/formats/csvlog"
	"zincroad/formats/runfolder"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// runFolder gives the run as a zipped run folder, with its recordings as they came.
func (s *Room) runFolder(w http.ResponseWriter, r *http.Request) {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	full, files, err := s.book.Parcel(r.Context(), row)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var original []byte
	if row.Document != nil {
		original = []byte(*row.Document)
	}
	var b bytes.Buffer
	if err := runfolder.WriteZip(&b, full, original, files, row.CreatedAt); err != nil {
		s.Fail(w, r, err)
		return
	}
	ui.Attach(w, "application/zip", fmt.Sprintf("run-%d.zip", row.ID))
	_, _ = b.WriteTo(w)
}

// readingsCSV gives one recording, ?recording=ID, or the run's only one.
func (s *Room) readingsCSV(w http.ResponseWriter, r *http.Request) {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	full, err := s.book.Load(r.Context(), row)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	for i, rec := range row.Recordings {
		if want := r.URL.Query().Get("recording"); want != "" && want != fmt.Sprint(rec.ID) {
			continue
		}
		ui.Attach(w, "text/csv; charset=utf-8", fmt.Sprintf("run-%d-%s", row.ID, rec.Name))
		if err := csvlog.Write(w, full.Recordings[i]); err != nil {
			s.Log.Warn("sending readings", "error", err)
		}
		return
	}
	s.Fail(w, r, fmt.Errorf("that recording: %w", logbook.ErrNotFound))
}

// recordingFile gives a recording's file exactly as it came.
func (s *Room) recordingFile(w http.ResponseWriter, r *http.Request) {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	id, err := ui.IDParam(r, "recording")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	for _, rec := range row.Recordings {
		if rec.ID != id {
			continue
		}
		name, content, _, err := s.book.File(r.Context(), id)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		ui.Attach(w, "application/octet-stream", name)
		_, _ = w.Write(content)
		return
	}
	s.Fail(w, r, fmt.Errorf("that recording: %w", logbook.ErrNotFound))
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
	s.SendSVG(w, r, fmt.Sprintf("run-%d-%s.svg", v.Row.ID, what), of(v), captionOf(v))
}

// captionOf names a run on a picture that leaves the page: the conditions go with it.
func captionOf(v *runView) string {
	var parts []string
	for _, f := range v.Facts {
		parts = append(parts, strings.TrimSpace(f.Strong+" "+f.Text))
	}
	parts = append(parts, "clock from "+clockName(v.Reading.Clock), string(v.Reading.Side)+" side")
	if v.Row.StartedAt != nil {
		parts = append(parts, v.Row.StartedAt.Format(time.DateOnly))
	}
	return strings.Join(parts, " · ")
}
