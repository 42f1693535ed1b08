package garage

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/vehicle"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// learned is what a car's runs taught in one profile.
type learned struct {
	Profile string
	Heading string
	Said    []say.Text
	Picture string
	HeldOut []vehicle.HeldOut
	Takes   bool // it can be taken over as noted
	NotUsed []vehicle.NotUsed
	Next    []say.Text
	Test    string // the plan of the run that would tell most; empty: none would
}

// learnedOf is what the runs of a car taught, a part for each profile in which there are runs that say something.
func (s *Room) learnedOf(ctx context.Context, c *logbook.Car) ([]learned, error) {
	var out []learned
	for _, profile := range run.Profiles {
		noted := c.Describe("")
		k, err := s.book.Learned(ctx, noted, logbook.Of{CarID: c.ID, Profile: profile})
		if err != nil {
			return nil, err
		}
		if k == nil || !k.Model.Rests() {
			continue
		}
		m := k.Model
		l := learned{Profile: profile, HeldOut: k.HeldOut, NotUsed: m.NotUsed, Takes: true}
		drawn := noted.Envelope
		if profile == run.Profiles[1] {
			drawn = noted.GentleEnvelope
		}
		l.Heading = m.SaidOfEnvelope().Kept()
		if profile == run.Profiles[1] {
			l.Heading = "Gentle profile: " + strings.ToLower(l.Heading[:1]) + l.Heading[1:]
		}
		l.Said = append(l.Said, m.SaidOfRests(), vehicle.SaidOfKnown(k.HeldOut))
		if cold := m.SaidOfWarmth(); cold.Any() {
			l.Said = append(l.Said, cold)
		}
		l.Said = append(l.Said, k.Differs...)
		l.next(c, m)
		l.Picture = (&draw.Learned{Title: c.Name + ": power against charge by its runs, " + profile + " profile",
			Points: m.Envelope, Noted: drawn}).SVG()
		out = append(out, l)
	}
	return out, nil
}

// asked is the window that a car is known by: the one that testers compare by.
var asked = [2]float64{10, 80}

// next says what to test next.
func (l *learned) next(c *logbook.Car, m *vehicle.Model) {
	list := m.NextRuns(asked[0], asked[1])
	l.Next = m.SaidOfNext(asked[0], asked[1], list)
	if len(list) == 0 {
		return
	}
	q := url.Values{"car": {fmt.Sprint(c.ID)}, "from": {words.Fixed(list[0].FromPct, 0)},
		"to": {words.Fixed(list[0].ToPct, 0)}, "profile": {l.Profile}}
	if len(m.Software) > 0 {
		q.Set("software", m.Software[0])
	}
	l.Test = "/prepare?" + q.Encode()
}

// takeLearned notes what the runs taught as the car's own curve; one press undoes it.
func (s *Room) takeLearned(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	id, err := ui.IDParam(r, "id")
	var c *logbook.Car
	if err == nil {
		c, err = s.book.Car(r.Context(), id)
	}
	if err != nil {
		return err
	}
	profile := f.Word("profile", run.Profiles)
	into := &c.Envelope
	if profile == run.Profiles[1] {
		into = &c.GentleEnvelope
	}
	before := envelopeText(*into)
	said := "The curve is as it was noted before."
	if _, back := f.Values["envelope"]; back {
		*into = readEnvelope(f, "envelope")
	} else {
		k, err := s.book.Learned(r.Context(), c.Describe(""), logbook.Of{CarID: c.ID, Profile: profile})
		if err != nil {
			return err
		}
		if k == nil || !k.Model.Rests() {
			f.Fault("envelope", "No run says anything of it any more.")
		} else {
			*into = rounded(k.Model)
		}
		said = "The curve of its runs is noted now."
	}
	if len(f.Errors) == 0 {
		err = s.book.SaveCar(r.Context(), c)
	}
	if err != nil {
		return err
	}
	s.showCarWith(w, r, c, &ui.Notice{Text: said, Undo: ui.CarPath(c.ID, "/learned"),
		Fields: map[string]string{"profile": profile, "envelope": before}})
	return nil
}

// setTeaches leaves a run of the car out of what is learned of it, takes it in, or lets the rules decide again.
func (s *Room) setTeaches(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	c, err := s.book.Car(r.Context(), id)
	if err != nil {
		return err
	}
	asked, teaches := f.ID("run"), f.Word("teaches", []string{string(vehicle.Never), string(vehicle.Always)})
	var row *logbook.Run
	if asked != nil && f.OK() {
		if row, err = s.book.Run(r.Context(), *asked); err != nil && !errors.Is(err, logbook.ErrNotFound) {
			return err
		}
	}
	if row == nil || row.CarID == nil || *row.CarID != id || row.Live {
		return ui.BadRequest("Choose one of this car's runs, and whether it teaches.")
	}
	before := row.Teaches
	if err := s.book.SetTeaches(r.Context(), row.ID, vehicle.Teaches(teaches)); err != nil {
		return err
	}
	said := map[string]string{"never": "Run %d is left out of what is learned of the car.",
		"always": "Run %d is taken in.", "": "Run %d is taken by the rules again."}[teaches]
	s.showCarWith(w, r, c, &ui.Notice{Text: fmt.Sprintf(said, row.ID), Undo: ui.CarPath(id, "/teaches"),
		Fields: map[string]string{"run": strconv.FormatInt(row.ID, 10), "teaches": string(before)}})
	return nil
}

// rounded is an envelope as people note it: whole kW.
func rounded(m *vehicle.Model) []run.Point {
	var out []run.Point
	for _, p := range m.Envelope {
		out = append(out, run.Point{SoCPct: p.SoCPct, KW: math.Round(p.Value)})
	}
	return out
}
