package runs

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/trace"
	"zincroad/formats/boxed"
	"zincroad/formats/intake"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Additions are the room's paths that take a log of any size, which other forms of it do not.
func (s *Room) Additions(r chi.Router) { r.Post("/runs/{id}/recordings", s.Do(s.addRecording)) }

// addRecording takes a file for a run that is there already. Whose readings they are it tells by
// what the file says, else it takes the side that the run does not have yet.
func (s *Room) addRecording(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return err
	}
	name, content, err := ui.Upload(w, r)
	if errors.Is(err, ui.ErrBusy) {
		return err
	}
	if err != nil {
		s.refuseRecording(w, r, "The file was not taken: "+err.Error()+".")
		return nil
	}
	in, err := s.readAddition(r, row, name, content)
	if err != nil {
		s.refuseRecording(w, r, intake.Refusal(name, err)[0].Error()+".")
		return nil
	}
	had := len(row.Recordings)
	if err := s.book.AddRecordings(r.Context(), row.ID, in); err != nil {
		return err
	}
	if row, err = s.book.Run(r.Context(), row.ID); err != nil {
		return err
	}
	added := row.Recordings[min(had, len(row.Recordings)-1)]
	to := url.Values{"added": {fmt.Sprint(added.ID)}}
	if in.LeftOut > 0 {
		to.Set("left_out", fmt.Sprint(in.LeftOut))
	}
	ui.GoTo(w, r, ui.RunPath(row.ID, "?", to.Encode()))
	return nil
}

// readAddition reads a file as one more recording of a run.
func (s *Room) readAddition(r *http.Request, row *logbook.Run, name string, content []byte) (*intake.Bundle, error) {
	choices := intake.Choices{Side: intake.SideHint(name)}
	if zone, err := time.LoadLocation(row.Timezone); err == nil && row.Timezone != "" {
		choices.Zone = zone
	}
	if choices.Side == "" {
		choices.Side = missingSide(row)
	}
	in, err := boxed.Bytes(r.Context(), name, content, choices)
	if err != nil {
		return nil, err
	}
	if in.Kind == intake.FolderKind {
		return nil, errors.New("is a run of its own: drop it on the Desk")
	}
	if in.Layout != nil {
		if l, known, err := s.book.Remembered(r.Context(), *in.Layout); err == nil && known {
			choices.Layout = &l
			if again, err := boxed.Bytes(r.Context(), name, content, choices); err == nil {
				return again, nil
			}
		}
	}
	return in, nil
}

// missingSide is the side that a run has no recording of; the car's where it has both, or none.
func missingSide(row *logbook.Run) trace.Side {
	car, stall := false, false
	for _, rec := range row.Recordings {
		car = car || rec.Side == string(trace.CarSide)
		stall = stall || rec.Side == string(trace.StallSide)
	}
	if car && !stall {
		return trace.StallSide
	}
	return trace.CarSide
}

// refuseRecording says on the run's page why a file was not taken; nothing of it was stored.
func (s *Room) refuseRecording(w http.ResponseWriter, r *http.Request, sentence string) {
	v, err := s.runView(r, url.Values{})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v.Refused = sentence
	s.showRun(w, r, http.StatusUnprocessableEntity, v, nil)
}

// takeAway takes a recording out of a run; its file waits on the Desk again.
func (s *Room) takeAway(w http.ResponseWriter, r *http.Request) error {
	row, rec, err := s.recordingOf(r)
	if err == nil {
		err = s.book.TakeAway(r.Context(), row.ID, rec.ID)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID, "?away=", url.QueryEscape(rec.Name)), http.StatusSeeOther)
	return nil
}

// leaveOut takes a proposal, or all that propose to leave values out.
func (s *Room) leaveOut(w http.ResponseWriter, r *http.Request) error {
	f, row, rec, ok := s.recordingForm(w, r)
	if !ok {
		return nil
	}
	for _, taken := range f.Values["take"] {
		channels, readings, ok := readProposal(taken, rec)
		if !ok {
			return fmt.Errorf("a proposal %q: %w", taken, logbook.ErrNotFound)
		}
		if err := s.book.LeaveOut(r.Context(), row.ID, rec.ID, channels, readings); err != nil {
			return err
		}
	}
	to := ui.RecordingPath(row.ID, rec.ID, "/readings")
	if f.Values.Get("back") == "desk" {
		to = "/desk"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

// readProposal reads what health.Proposal.Form writes; no channel is all that the recording has.
func readProposal(text string, rec *logbook.Recording) (channels []trace.Channel, readings []int, ok bool) {
	channel, list, ok := strings.Cut(text, ":")
	if !ok {
		return nil, nil, false
	}
	for _, c := range strings.Split(rec.Channels, ",") {
		if channel == "" || channel == c {
			channels = append(channels, trace.Channel(c))
		}
	}
	for _, part := range strings.Split(list, ",") {
		from, to, stretch := strings.Cut(part, "-")
		if !stretch {
			to = from
		}
		a, err1 := strconv.Atoi(from)
		b, err2 := strconv.Atoi(to)
		if err1 != nil || err2 != nil || a < 0 || b < a || b >= rec.Readings || len(readings)+b-a > rec.Readings {
			return nil, nil, false
		}
		for n := a; n <= b; n++ {
			readings = append(readings, n)
		}
	}
	return channels, readings, len(channels) > 0
}

// takeBackAll takes back everything that was put right in a recording.
func (s *Room) takeBackAll(w http.ResponseWriter, r *http.Request) error {
	row, rec, err := s.recordingOf(r)
	if err != nil {
		return err
	}
	list, err := s.book.Corrections(r.Context(), row.ID)
	if err != nil {
		return err
	}
	var ids []int64
	for _, c := range list {
		if c.RecordingID == rec.ID && !c.TakenBack {
			ids = append(ids, c.ID)
		}
	}
	if len(ids) > 0 {
		if err := s.book.TakeBackCorrections(r.Context(), row.ID, ids); err != nil {
			return err
		}
	}
	http.Redirect(w, r, ui.RecordingPath(row.ID, rec.ID, "/readings"), http.StatusSeeOther)
	return nil
}
