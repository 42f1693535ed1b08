package school

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"zincroad/core/drill"
	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/stall"
	"zincroad/web/ui"
)

// Practising a run: a stand-in plays a car and a stall, at the speed that is chosen, on the page at the stall; what was
// done and noted is marked by rules that are shown.

type practiceView struct {
	Seed           uint64
	Level          int
	FromPct, ToPct float64
	Began          string       // on arrival
	Data           practiceData // for the page's script
	Groups         []answerGroup
	Points, Most   string
	Marks          []ruleView
	What           string // what happened
	Was, Sign      string
	Open           string
	Again          string
	Log            string // what was done and noted, JSON
	Strip, Narrow  string
	Missing        string
	Sure           bool // of the verdict, as it was sent
	React          string
}

// practiceData is what the screens show and what is seen beside them.
type practiceData struct {
	Screens  [][4]float64     `json:"screens"` // charge, kW, kWh and coldest cell, by the second of the charge
	Refusals int              `json:"refusals"`
	Seen     []drill.Surprise `json:"seen"`
}

// happened says what a surprise was, and how it is noted.
var happened = map[drill.Happening]string{
	drill.Refused:    "payment refused",
	drill.ColdPack:   "the pack is cold (the coldest cell typed, or a note with “cold”)",
	drill.Neighbour:  "another car plugs in (Neighbour)",
	drill.NoCar:      "the other car leaves (a note with “left”)",
	drill.HotCable:   "the cable gets warm (a note with “cable”)",
	drill.ScreenLies: "the stall's kW and kWh do not agree (a note with “kWh”)",
}

type ruleView struct{ Name, Points, Why string }

var ruleNames = map[drill.Rule]string{
	drill.Safety: "Safety first: cable, plug and ground looked at before plugging in, the charge stopped before " +
		"unplugging",
	drill.Plug:    "Plugging in and out noted within " + words.Duration(drill.PostLateS),
	drill.Posts:   "Each ten per cent noted within " + words.Duration(drill.PostLateS),
	drill.Noticed: "What happened, noted within " + words.Duration(drill.NoticeLateS),
	drill.Copied:  "What was noted is what the screens said",
	drill.Method:  fmt.Sprintf("Unplugged where the method ends, at most %g points past it", drill.PastTargetPct),
	drill.Verdict: "What cost it most, whose that is, and how sure: sure and wrong costs a point",
}

const practiceMethod = "10–80 % stop"

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
	p, v, err := s.practiceOf(q)
	if err != nil {
		return err
	}
	return s.showPractice(w, r, http.StatusOK, p, v)
}

func (s *Room) practiceOf(q url.Values) (*drill.Practice, *practiceView, error) {
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
	began := q.Get("began")
	if _, err := time.Parse(time.RFC3339, began); err != nil {
		began = s.Now().UTC().Format(time.RFC3339)
	}
	log := q.Get("log")
	if log == "" {
		log = "[]"
	}
	return p, &practiceView{Seed: seed, Level: p.Level, FromPct: p.FromPct, ToPct: p.ToPct, Began: began, Data: data,
		Groups: answers(), Log: log, React: words.Duration(drill.ReactS)}, nil
}

// showPractice shows the stall, and what was noted there by now, as the page at the stall does.
func (s *Room) showPractice(w http.ResponseWriter, r *http.Request, status int, p *drill.Practice,
	v *practiceView) error {
	notes, err := notesOf(v.Log)
	if err != nil {
		return err
	}
	played := v.played(r, p, notes)
	reader := ui.MeasuresOf(r)
	for i := range v.Data.Screens { // the car shows what its driver reads
		v.Data.Screens[i][3] = math.Round(reader.Show("°C", v.Data.Screens[i][3]))
	}
	for name, into := range map[string]*template.HTML{"practice-world": &played.World, "practice-end": &played.End} {
		var b bytes.Buffer
		if err := s.Draw(&b, ui.Reader{People: reader}, "practice", name, v); err != nil {
			return fmt.Errorf("drawing %s: %w", name, err)
		}
		*into = template.HTML(b.String()) //nolint:gosec // made by a template of this package
	}
	s.stall.ShowPlayed(w, r, status, played)
	return nil
}

// sentNote is one thing that was done or noted, as the page sends it.
type sentNote struct {
	ID    int64   `json:"id"`
	At    float64 `json:"at"`
	Speed float64 `json:"speed"`
	Deed  string  `json:"deed"`
	Kind  string  `json:"kind"` // of a mark
	Note  string  `json:"note"`
	Line  string  `json:"line"` // of a reading, as it was typed
	Set   string  `json:"set"`  // the order of its numbers
	Unit  string  `json:"unit"` // of its temperatures
	Key   string  `json:"key"`
}

// What a practice can hold.
const (
	mostNoted = 500    // things
	longestS  = 86_400 // of its clock
	fastest   = 60     // times as fast as life
	longest   = 200    // bytes of a note's words, or a line
)

func notWhole() error { return ui.BadRequest("what was noted did not come whole: begin again") }

// notesOf reads what a page sends of a practice.
func notesOf(log string) ([]sentNote, error) {
	var sent []sentNote
	if err := json.Unmarshal([]byte(log), &sent); err != nil || len(sent) > mostNoted {
		return nil, notWhole()
	}
	for _, n := range sent {
		if !(n.At >= 0 && n.At <= longestS && n.Speed >= 0 && n.Speed <= fastest) || len(n.Note) > longest ||
			len(n.Line) > longest {
			return nil, notWhole()
		}
	}
	slices.SortStableFunc(sent, func(a, b sentNote) int { return cmp.Compare(a.At, b.At) })
	return sent, nil
}

// understood are notes as they are marked; faults are of lines that say nothing, by their keys.
func understood(sent []sentNote) (notes []drill.Note, faults map[string]string) {
	faults = map[string]string{}
	for _, n := range sent {
		note := drill.Note{TS: n.At, Speed: n.Speed, Deed: drill.Deed(n.Deed)}
		switch {
		case n.Deed != "":
		case n.Kind != "":
			if !slices.Contains(run.MarkKinds, n.Kind) {
				continue
			}
			note.Mark = run.Mark{TS: n.At, Kind: n.Kind, Note: n.Note}
		default:
			var fault string
			if note.Side, note.Values, fault = stall.ReadLine(n.Line, n.Set, n.Unit); fault != "" {
				faults[n.Key] = fault
				continue
			}
		}
		notes = append(notes, note)
	}
	return notes, faults
}

// played is what was noted by now, as a run at the stall.
func (v *practiceView) played(r *http.Request, p *drill.Practice, sent []sentNote) stall.Played {
	notes, _ := understood(sent)
	is := stall.Played{Run: p.Run(notes), Plan: p.Plan, Method: practiceMethod, To: "/help/practice"}
	is.Run.StartedAt, _ = time.Parse(time.RFC3339, v.Began)
	_, is.Run.Timezone = ui.ZoneOf(r)
	for _, n := range slices.Backward(sent) {
		is.NowS = max(is.NowS, n.At)
		switch {
		case n.Kind != "":
			is.Marks = append(is.Marks, logbook.Mark{ID: n.ID, TS: n.At, Kind: n.Kind, Note: n.Note})
		case n.Line != "":
			is.Lines = append(is.Lines, logbook.TypedLine{Key: n.Key, TS: n.At, Line: n.Line})
		}
	}
	return is
}

const maxPractice = 256 << 10 // bytes of what is noted

// practiceNow answers with what the page at the stall shows of a practice now.
func (s *Room) practiceNow(w http.ResponseWriter, r *http.Request) error {
	var sent struct {
		Seed  uint32          `json:"seed"`
		Level int             `json:"level"`
		Began string          `json:"began"`
		At    float64         `json:"at"`
		Notes json.RawMessage `json:"notes"`
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxPractice)).Decode(&sent); err != nil {
		return notWhole()
	}
	p, v, err := s.practiceOf(url.Values{"seed": {strconv.FormatUint(uint64(sent.Seed), 10)},
		"level": {strconv.Itoa(sent.Level)}, "began": {sent.Began}})
	if err != nil {
		return err
	}
	notes, err := notesOf(string(sent.Notes))
	if err != nil {
		return err
	}
	_, faults := understood(notes)
	notes = slices.DeleteFunc(notes, func(n sentNote) bool { return faults[n.Key] != "" })
	is := v.played(r, p, notes)
	is.NowS = max(is.NowS, min(sent.At, longestS))
	said, err := s.stall.PartsOfPlayed(r, is)
	if err != nil {
		return err
	}
	said["faults"] = faults
	ui.Answer(w, r, http.StatusOK, said)
	return nil
}

// markPractice marks what was done.
func (s *Room) markPractice(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	p, v, err := s.practiceOf(f.Values)
	if err != nil {
		return err
	}
	sent, err := notesOf(v.Log)
	if err != nil {
		return err
	}
	verdict := answerOf(f.Values.Get("verdict"))
	verdict.Sure = f.Values.Get("sure") == "sure"
	v.Sure = verdict.Sure
	if verdict.Whose == "" {
		v.Missing = "Say what cost the charge most; that it cannot be told is an answer too."
		return s.showPractice(w, r, http.StatusUnprocessableEntity, p, v)
	}
	notes, _ := understood(sent)
	v.mark(p, p.Mark(notes, verdict))
	v.Strip, v.Narrow = v.played(r, p, sent).Strips()
	s.Render(w, r, "practice", http.StatusOK, ui.Frame{Title: "Practise a run", Page: "help", Data: v})
	return nil
}

func (v *practiceView) mark(p *drill.Practice, marks []drill.RuleMark) {
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
	var list []string
	for _, x := range p.Surprises {
		text := happened[x.Kind]
		if x.TS > 0 {
			text += " at " + words.Clock(x.TS)
		}
		list = append(list, text)
	}
	if len(list) > 0 {
		v.What = strings.Join(list, ", ") + "."
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
