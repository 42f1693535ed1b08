package stall

import (
	"context"
	"net/http"
	"net/url"
	"strings"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

type endView struct {
	*ui.Fields
	Row    *logbook.Run
	Photos []logbook.Photo // that were kept already
}

// endFields are what the screen and the car say at the end.
var endFields = []struct {
	Name, Label, Unit string
	Side              trace.Side
	Channel           trace.Channel
}{
	{"soc", "Charge on the display", "%", trace.CarSide, trace.SoC},
	{"kwh", "Energy on the stall's screen", "kWh", trace.StallSide, trace.Energy},
	{"cost", "Price on the stall's screen", "", trace.StallSide, trace.Cost},
	{"coldest", "Coldest cell", "°C", trace.CarSide, trace.BatteryTempMin},
	{"warmest", "Warmest cell", "°C", trace.CarSide, trace.BatteryTempMax},
}

// EndFields are those of the form.
func (endView) EndFields() any { return endFields }

func (s *Room) endForm(w http.ResponseWriter, r *http.Request) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return
	}
	s.showEnd(w, r, http.StatusOK, row, ui.NewFields(url.Values{}))
}

func (s *Room) showEnd(w http.ResponseWriter, r *http.Request, status int, row *logbook.Run, f *ui.Fields) {
	photos, err := s.book.Photos(r.Context(), row.ID)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, "stall-end", status,
		ui.Frame{Title: "The end of the run", Page: "stall", Site: ui.SiteOf(row), Data: endView{f, row, photos}})
}

// EndRun stores the last notes and goes to the run's page.
func (s *Room) EndRun(w http.ResponseWriter, r *http.Request) error {
	photo, fault := ui.ReadPhoto(w, r)
	row, f, ok := s.formOf(w, r)
	if !ok {
		return nil
	}
	if !row.Live {
		http.Redirect(w, r, ui.RunPath(row.ID), http.StatusSeeOther)
		return nil
	}
	bySide := map[trace.Side]map[trace.Channel]float64{trace.CarSide: {}, trace.StallSide: {}}
	for _, ef := range endFields {
		in, _ := trace.Describe(ef.Channel)
		if n := f.Measured(ef.Name, in); n != nil {
			bySide[ef.Side][ef.Channel] = *n
		}
	}
	note := f.Text("note")
	if fault != "" {
		f.Fault("photo", "%s", fault)
	}
	// A picture is kept whatever else is wrong: a page cannot give it back to its form.
	if photo != nil {
		photo.RunID, photo.TS = row.ID, s.Now().UTC().Sub(*row.StartedAt).Seconds()
		if err := s.book.AddPhoto(r.Context(), photo); err != nil {
			return err
		}
	}
	if !f.OK() {
		s.showEnd(w, r, http.StatusUnprocessableEntity, row, f)
		return nil
	}
	if err := s.storeEnd(r.Context(), row, bySide, note); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID), http.StatusSeeOther)
	return nil
}

// endedAt is when the charging ended, by the marks: at the stop or else the unplug after
// the last plug-in. What screen and display say at the end was so from then on, however
// late the form is sent.
func endedAt(marks []logbook.Mark, otherwise float64) float64 {
	at, stopped := otherwise, false
	for _, m := range marks {
		switch {
		case m.Kind == run.PlugIn:
			at, stopped = otherwise, false
		case m.Kind == run.Stop && !stopped, m.Kind == run.Unplug && !stopped:
			at, stopped = m.TS, true
		}
	}
	return at
}

// storeEnd keeps what screen and display said at the end, at the time at which it was so, and ends the run.
func (s *Room) storeEnd(ctx context.Context, row *logbook.Run, bySide map[trace.Side]map[trace.Channel]float64,
	note string) error {
	heard := s.Now().UTC().Sub(*row.StartedAt).Seconds()
	at := endedAt(row.Marks, heard)
	for _, side := range []trace.Side{trace.StallSide, trace.CarSide} {
		values := bySide[side]
		if len(values) == 0 {
			continue
		}
		var parts []string
		for _, in := range trace.Channels {
			if v, ok := values[in.Channel]; ok {
				parts = append(parts, words.Figure(v, 2)+in.Unit)
			}
		}
		sample := logbook.Sample{TS: at, HeardS: heard, Values: values}
		if err := s.book.Type(ctx, row.ID, side, "end-"+string(side), strings.Join(parts, " "), "", sample); err != nil {
			return err
		}
	}
	if note != "" {
		if err := s.book.LiveMark(ctx, &logbook.Mark{RunID: row.ID, TS: at, Kind: run.Note, Note: note},
			"end-note"); err != nil {
			return err
		}
	}
	return s.book.EndLive(ctx, row.ID)
}
