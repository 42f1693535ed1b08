package stall

import (
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"

	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/judge"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Played is a run that is only practised: it is shown as one that is recorded, and nothing of it is kept.
type Played struct {
	Run    *run.Run // what was noted by now, from StartedAt, on arrival
	Plan   forecast.Plan
	Method string
	NowS   float64
	Lines  []logbook.TypedLine // newest first
	Marks  []logbook.Mark      // newest first, with what they are taken back by
	To     string              // where its forms go
	World  template.HTML       // what is around: before what is noted
	End    template.HTML       // and how it ends
}

// viewOf is the run as its page shows it.
func (p Played) viewOf() *liveView {
	started := p.Run.StartedAt
	v := &liveView{Row: &logbook.Run{StartedAt: &started, Timezone: p.Run.Timezone, Live: true,
		Car:   &logbook.Car{Name: p.Run.Car.Name},
		Stall: &logbook.Stall{Name: p.Run.Stall.Site}}, Sets: lineSets, started: started, StoredS: math.NaN(),
		NowS: p.NowS, Lines: p.Lines[:min(3, len(p.Lines))], Marks: p.Marks, World: p.World, End: p.End, played: p.To}
	for _, m := range slices.Backward(p.Marks) {
		v.Row.Marks = append(v.Row.Marks, m)
	}
	for _, rec := range p.Run.Recordings {
		if n := len(rec.T); n > 0 {
			if age := max(0, p.NowS-rec.T[n-1]); !(age > v.StoredS) {
				v.StoredS = age
			}
		}
	}
	v.Plan = p.Plan
	v.State = follow.OfKnown(p.Run, p.Plan, judge.Elsewhere{}, new(liveCache).baselineOf(p.Plan, p.Run), p.NowS)
	v.due(prepare.MethodNamed(p.Method, nil))
	v.drawStrips(p.Run)
	return v
}

// ShowPlayed shows a practised run.
func (s *Room) ShowPlayed(w http.ResponseWriter, r *http.Request, status int, p Played) {
	s.Render(w, r, "stall-live", status, ui.Frame{Title: "Practise a run", Page: "stall", Data: p.viewOf()})
}

// PartsOfPlayed are the parts of its page that change, by name.
func (s *Room) PartsOfPlayed(r *http.Request, p Played) (map[string]any, error) {
	f, err := s.live.draw(p.viewOf(), ui.MeasuresOf(r))
	if err != nil {
		return nil, fmt.Errorf("showing a practice: %w", err)
	}
	return map[string]any{"now": f.now, "acts": f.acts, "last": f.last}, nil
}

// Strips are the run drawn, for a wide page and for a phone.
func (p Played) Strips() (large, narrow string) {
	v := p.viewOf()
	return v.Strip, v.Narrow
}

// ReadLine understands what was typed, in an order of numbers; the fault is one sentence. in is the temperature unit
// that the field showed.
func ReadLine(line, order, in string) (trace.Side, map[trace.Channel]float64, string) {
	set := lineSetOf(order)
	values, fault := readLine(line, set, in)
	return set.Side, values, fault
}
