package school

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"zincroad/core/drill"
	"zincroad/core/words"
	"zincroad/formats/typed"
	"zincroad/web/ui"
)

// Practising a run: a stand-in plays a car and a stall, at the speed that is chosen; what was done and noted is
// marked by rules that are shown.

type practiceView struct {
	Seed           uint64
	Level          int
	FromPct, ToPct float64
	Data           practiceData // for the page's script
	Notes          []noteKey
	Groups         []answerGroup
	Marked         bool
	Points, Most   string
	Marks          []ruleView
	What           string // what happened
	Was, Sign      string
	Open           string
	Again          string
	Log            string
	Missing        string
	Cautions       []string
}

// practiceData is what the screens show and what is seen beside them.
type practiceData struct {
	Screens  [][4]float64     `json:"screens"` // charge, kW, kWh and coldest cell, once a second since plug-in
	Refusals int              `json:"refusals"`
	Seen     []drill.Surprise `json:"seen"`
}

// noteKey is a note that one key makes.
type noteKey struct {
	Kind drill.Happening
	Name string
}

var noteKeys = []noteKey{{drill.Refused, "payment refused"}, {drill.ColdPack, "the pack is cold"},
	{drill.Neighbour, "another car plugs in"}, {drill.NoCar, "the other car leaves"}, {drill.HotCable, "the cable " +
		"is warm"},
	{drill.ScreenLies, "the stall's kW and kWh do not agree"}}

type ruleView struct{ Name, Points, Why string }

var ruleNames = map[drill.Rule]string{
	drill.Safety: "Safety first: cable, plug and ground looked at before plugging in, the charge stopped before " +
		"unplugging",
	drill.Plug:    "Plugged in, and noted",
	drill.Posts:   "Each ten per cent noted within 20 s",
	drill.Noticed: "What happened, noted within a minute and a half",
	drill.Copied:  "What was noted is what the screens said",
	drill.Method:  "Unplugged where the method ends, at most 2 points past it",
	drill.Verdict: "What cost it most, and whose that is",
}

func (s *Room) practice(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	if !q.Has("seed") {
		q.Set("seed", strconv.FormatInt(s.Now().UnixNano()/1e6%1e6, 10))
		if !q.Has("level") {
			q.Set("level", "1")
		}
		http.Redirect(w, r, "/help/practice?"+q.Encode(), http.StatusSeeOther)
		return nil
	}
	_, v, err := practiceOf(q)
	if err != nil {
		return err
	}
	s.Render(w, r, "practice", http.StatusOK, ui.Frame{Title: "Practise a run", Page: "help", Data: v})
	return nil
}

func practiceOf(q url.Values) (*drill.Practice, *practiceView, error) {
	seed, err := strconv.ParseUint(q.Get("seed"), 10, 32)
	if err != nil {
		return nil, nil, ui.BadRequest("%q is no number of a practice", q.Get("seed"))
	}
	level, _ := strconv.Atoi(q.Get("level"))
	p, err := drill.NewPractice(seed, level)
	if err != nil {
		return nil, nil, ui.BadRequest("no charge can be made of this: try another number")
	}
	data := practiceData{Refusals: p.Refusals, Seen: []drill.Surprise{}}
	for _, x := range p.Screens {
		data.Screens = append(data.Screens, [4]float64{x.SoCPct, x.KW, x.KWh, x.ColdestC})
	}
	for _, x := range p.Surprises {
		switch x.Kind {
		case drill.Neighbour, drill.NoCar, drill.HotCable: // what eyes and hands notice
			data.Seen = append(data.Seen, x)
		}
	}
	return p, &practiceView{Seed: seed, Level: p.Level, FromPct: p.FromPct, ToPct: p.ToPct, Data: data,
		Notes: noteKeys, Groups: answers(), Log: q.Get("log"), Cautions: ui.Cautions}, nil
}

const mostLogged = 500 // lines of a practice

// markPractice marks what was done.
func (s *Room) markPractice(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	p, v, err := practiceOf(f.Values)
	if err != nil {
		return err
	}
	verdict := answerOf(f.Values.Get("verdict"))
	if verdict.Whose == "" {
		v.Missing = "Say what cost the charge most; that it cannot be told is an answer too."
		s.Render(w, r, "practice", http.StatusUnprocessableEntity, ui.Frame{Title: "Practise a " +
			"run", Page: "help", Data: v})
		return nil
	}
	v.mark(p, p.Mark(notesOf(v.Log), verdict))
	s.Render(w, r, "practice", http.StatusOK, ui.Frame{Title: "Practise a run", Page: "help", Data: v})
	return nil
}

// notesOf reads a practice's log: a time in seconds, what it is, and of a reading its line.
func notesOf(log string) (notes []drill.Note) {
	for line := range strings.Lines(log) {
		at, rest, _ := strings.Cut(strings.TrimSpace(line), " ")
		kind, text, _ := strings.Cut(rest, " ")
		t, err := strconv.ParseFloat(at, 64)
		if err != nil || kind == "" || len(notes) == mostLogged {
			continue
		}
		n := drill.Note{TS: t, Kind: drill.Happening(kind)}
		if n.Kind == drill.Read {
			n.Values = typed.ParseLine(text, 1).Values
		}
		notes = append(notes, n)
	}
	return notes
}

func (v *practiceView) mark(p *drill.Practice, marks []drill.RuleMark) {
	v.Marked = true
	got, of := 0.0, 0.0
	for _, m := range marks {
		got, of = got+m.Got, of+m.Of
		row := ruleView{Name: ruleNames[m.Rule], Points: words.Figure(m.Got, 1) + " of " + words.Figure(m.Of, 0)}
		if m.All > 0 {
			row.Why = fmt.Sprintf("%d of %d", m.Hit, m.All)
		}
		v.Marks = append(v.Marks, row)
	}
	v.Points, v.Most = words.Figure(got, 1), words.Figure(of, 0)
	var happened []string
	for _, x := range p.Surprises {
		for _, k := range noteKeys {
			if k.Kind != x.Kind {
				continue
			}
			if x.TS < 0 {
				happened = append(happened, k.Name)
			} else {
				happened = append(happened, k.Name+" at "+words.Clock(x.TS))
			}
		}
	}
	if len(happened) > 0 {
		v.What = strings.Join(happened, ", ") + "."
	}
	v.Was, v.Sign = p.Cause.Words(), signs[p.Cause]
	if p.Open {
		v.Open = openWords[drill.NotOffered]
	}
	level := v.Level
	if got >= goodShare*of {
		level = min(level+1, drill.Levels)
	}
	v.Again = fmt.Sprintf("/help/practice?level=%d", level)
}
