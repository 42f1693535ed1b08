package garage

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
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
		l.Heading = sayEnvelope(m)
		if profile == run.Profiles[1] {
			l.Heading = "Gentle profile: " + strings.ToLower(l.Heading[:1]) + l.Heading[1:]
		}
		l.Said = append(l.Said, say.Own(sayRests(m)), say.Own(sayKnown(k.HeldOut)))
		l.Said = append(l.Said, sayWarmth(m)...)
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

// sayEnvelope says in one sentence what the warm pack takes, where the car was seen to hold it.
func sayEnvelope(m *vehicle.Model) string {
	var parts []string
	for _, soc := range []float64{20, 50, 80} {
		if m.Saw(soc) {
			parts = append(parts, fmt.Sprintf("%s kW at %s %%", words.Figure(m.At(soc), 0), words.Figure(soc, 0)))
		}
	}
	if len(parts) == 0 {
		return "Its runs were held by stalls: it takes more than they show"
	}
	return "Warm, it takes " + strings.Join(parts, ", ")
}

// sayRests says on which runs it all rests.
func sayRests(m *vehicle.Model) string {
	n := len(m.Runs)
	said := fmt.Sprintf("From %d %s", n, words.Plural(n, "run"))
	if versions := named(m.Software); len(versions) > 0 {
		said += " on software " + strings.Join(versions, ", ")
	}
	return said + "."
}

func named(list []string) (out []string) {
	for _, s := range list {
		if s != "" {
			out = append(out, s)
		}
	}
	return out
}

// sayKnown says how well the car is known: how its runs were foretold from each other.
func sayKnown(list []vehicle.HeldOut) string {
	if len(list) == 0 {
		return "No run of it can be foretold from the others yet."
	}
	within, off := 0, 0.0
	for _, h := range list {
		if h.Within() {
			within++
		}
		off += math.Abs(h.ForetoldS/h.MeasuredS - 1)
	}
	return fmt.Sprintf("Foretold from its other runs, %d of %d took as long as was said, give or take; they were %s %% "+
		"off in the mean.", within, len(list), words.Figure(100*off/float64(len(list)), 0))
}

// sayWarmth says what cold does, where a run was cold.
func sayWarmth(m *vehicle.Model) []say.Text {
	if m.WarmC == nil || m.HalfK == nil {
		return nil
	}
	return []say.Text{say.T("vehicle.cold-from", say.Q(*m.WarmC, "°C", 0), say.Q(*m.WarmC-*m.HalfK, "°C", 0))}
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
	runs, err := s.book.CarRuns(r.Context(), id)
	if err != nil {
		return err
	}
	asked, teaches := f.ID("run"), f.Word("teaches", []string{string(vehicle.Never), string(vehicle.Always)})
	i := slices.IndexFunc(runs, func(x logbook.CarRun) bool { return asked != nil && x.ID == *asked })
	if i < 0 || !f.OK() {
		return ui.BadRequest("Choose one of this car's runs, and whether it teaches.")
	}
	before := runs[i].Teaches
	if err := s.book.SetTeaches(r.Context(), runs[i].ID, vehicle.Teaches(teaches)); err != nil {
		return err
	}
	said := map[string]string{"never": "Run %d is left out of what is learned of the car.",
		"always": "Run %d is taken in.", "": "Run %d is taken by the rules again."}[teaches]
	s.showCarWith(w, r, c, &ui.Notice{Text: fmt.Sprintf(said, runs[i].ID), Undo: ui.CarPath(id, "/teaches"),
		Fields: map[string]string{"run": strconv.FormatInt(runs[i].ID, 10), "teaches": string(before)}})
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
