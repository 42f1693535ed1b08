package school

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/drill"
	"zincroad/core/limit"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// Reading a curve: a charge with its answers hidden, three places to name, and marks with the evidence. What somebody
// has come to stands in their browser alone.

// progress is how far somebody has come.
type progress struct {
	level, good int // good charges in a row at the level
	tally       drill.Tally
}

const progressCookie = "curves"

func progressOf(r *http.Request) progress {
	p := progress{level: 1, tally: drill.Tally{}}
	c, err := r.Cookie(progressCookie)
	if err != nil {
		return p
	}
	text, _ := url.QueryUnescape(c.Value)
	parts := strings.SplitN(text, ".", 3)
	if len(parts) != 3 {
		return p
	}
	level, _ := strconv.Atoi(parts[0])
	good, _ := strconv.Atoi(parts[1])
	return progress{min(max(level, 1), drill.Levels), min(max(good, 0), enoughGood), drill.ParseTally(parts[2])}
}

const (
	enoughGood = 2    // good charges in a row, and the next level comes
	goodShare  = 0.85 // of the points
	poorShare  = 0.4  // below, the level before comes again
)

// after is how far somebody is behind an exercise.
func (p progress) after(m drill.Marks) progress {
	for _, x := range m.MixUps {
		p.tally[x]++
	}
	switch share := m.Total / drill.Most; {
	case share >= goodShare:
		p.good++
		if p.good >= enoughGood {
			p.level, p.good = min(p.level+1, drill.Levels), 0
		}
	case share < poorShare:
		p.level, p.good = max(1, p.level-1), 0
	default:
		p.good = 0
	}
	return p
}

func (p progress) keep(w http.ResponseWriter) {
	const yearS = 365 * 86400
	http.SetCookie(w, &http.Cookie{Name: progressCookie, Path: "/help", MaxAge: yearS, HttpOnly: true,
		SameSite: http.SameSiteLaxMode,
		Value:    url.QueryEscape(fmt.Sprintf("%d.%d.%s", p.level, p.good, p.tally.Text()))})
}

type curveView struct {
	Seed     uint64
	Level    int
	Drill    string
	Noted    string
	Strip    string
	Narrow   string // the same for a phone
	Charts   []picture
	Places   []placeView
	Groups   []answerGroup
	Wishes   []wishView
	Wish     drill.Wish
	BestWish string
	Marked   bool
	Points   string
	Most     string
	Mixed    string // what is mixed up most
	Again    string // the address of the next
	MixDrill string // the address of a drill in what is mixed up
	Missing  string
}

type placeView struct {
	Number  int
	At      string
	Name    string
	Chosen  string
	Points  string
	Said    string
	Was     string
	Sign    string // what shows it
	Open    string
	Program say.Text
	Why     []say.Text
}

type answerGroup struct {
	Name    string
	Answers []answerView
}

type answerView struct{ Key, Name string }

type wishView struct {
	Key  drill.Wish
	Name string
}

var wishNames = map[drill.Wish]string{drill.Offered: "what the stall offers and the car asks for",
	drill.Amps: "amps and volts", drill.Cells: "the coldest and the warmest cell", drill.Enough: "nothing: it can " +
		"all be told"}

// signs tell by what a limit is known.
var signs = map[limit.Cause]string{
	limit.StallPower: "The power stands flat, whatever the charge, and the amps fall a little as the volts rise: a " +
		"limit in " +
		"kW. At the stall's label it is the stall's.",
	limit.StallCurrent: "The amps stand still and the power climbs slowly with the volts: a limit in amps, the " +
		"stall's or its " +
		"cable's.",
	limit.SharedCabinet: "The power falls within seconds to about half of what the cabinet has, and comes back as " +
		"suddenly: " +
		"somebody else plugged in, and left.",
	limit.CableHot: "The amps fall within seconds to a share of what the cable gave before, and stay there: it " +
		"got warm.",
	limit.CarPower:   "The power stands flat below what the stall has: the car's own limit in kW.",
	limit.CarCurrent: "The amps stand still below what the stall has: the car's own limit in amps.",
	limit.PackTaper:  "The power falls with the charge, smoothly and for good: the pack takes less the fuller it is.",
	limit.Cold:       "The power rises while the charge does, as the pack gets warm: cold lets little in.",
	limit.TimerStep: "The power falls at once to a share of itself, so long after the charge began and not at a " +
		"round charge, " +
		"and does not come back: the car's timer.",
	limit.Ramp: "The power climbs from nothing within a minute after plugging in: handshake and ramp.",
}

var openWords = map[drill.Why]string{
	drill.Level: "The stall gave about what the car took: either may be named, and so may neither.",
	drill.NotOffered: "Power and charge alone do not say whose step this is: it takes what the stall offered, or " +
		"what the car " +
		"asked for.",
	drill.NoAmps: "A flat power may be the stall's or the car's, in kW or in amps: it takes amps and volts, and " +
		"the label.",
}

const (
	openKey = "open"
	anyOf   = "any-" // of a party
)

// answers are what can be said of a place.
func answers() []answerGroup {
	var groups []answerGroup
	for _, whose := range []limit.Whose{limit.OfStall, limit.OfCar, limit.Between} {
		g := answerGroup{Name: map[limit.Whose]string{limit.OfStall: "The stall's", limit.OfCar: "The car's",
			limit.Between: "Between the two"}[whose]}
		for _, c := range drill.Causes {
			if c.Sign().Whose == whose {
				g.Answers = append(g.Answers, answerView{string(c), c.Words()})
			}
		}
		if whose != limit.Between {
			g.Answers = append(g.Answers, answerView{anyOf + string(whose), "the " + string(whose) + "'s, I do not " +
				"know which"})
		}
		groups = append(groups, g)
	}
	return append(groups, answerGroup{"", []answerView{{openKey, "it cannot be told from this log"}}})
}

// answerOf reads what was chosen.
func answerOf(chosen string) drill.Answer {
	if chosen == openKey {
		return drill.Answer{Whose: limit.Open}
	}
	if whose, ok := strings.CutPrefix(chosen, anyOf); ok {
		return drill.Answer{Whose: limit.Whose(whose)}
	}
	c := limit.Cause(chosen)
	if !slices.Contains(drill.Causes, c) {
		return drill.Answer{}
	}
	return drill.Answer{Whose: c.Sign().Whose, Cause: c}
}

// readCurve shows a charge to be read.
func (s *Room) readCurve(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	p := progressOf(r)
	if !q.Has("seed") {
		q.Set("seed", strconv.FormatInt(s.Now().UnixNano()/1e6%1e6, 10))
		if !q.Has("level") {
			q.Set("level", strconv.Itoa(p.level))
		}
		http.Redirect(w, r, "/help/curve?"+q.Encode(), http.StatusSeeOther)
		return nil
	}
	e, v, err := s.exercise(q)
	if err != nil {
		return err
	}
	v.draw(e, ui.MeasuresOf(r))
	s.Render(w, r, "curve", http.StatusOK, ui.Frame{Title: "Read a curve", Page: "help", Data: v})
	return nil
}

// exercise makes what an address asks for.
func (s *Room) exercise(q url.Values) (*drill.Exercise, *curveView, error) {
	seed, err := strconv.ParseUint(q.Get("seed"), 10, 32)
	if err != nil {
		return nil, nil, ui.BadRequest("%q is no number of an exercise", q.Get("seed"))
	}
	level, _ := strconv.Atoi(q.Get("level"))
	v := &curveView{Seed: seed, Level: min(max(level, 1), drill.Levels), Groups: answers(),
		Most: words.Figure(drill.Most, 0)}
	var among []limit.Cause
	for c := range strings.SplitSeq(q.Get("drill"), ",") {
		if slices.Contains(drill.Causes, limit.Cause(c)) {
			among = append(among, limit.Cause(c))
		}
	}
	if len(among) > 0 {
		v.Level = max(v.Level, 2) // where all of them can be
		v.Drill = q.Get("drill")
	}
	for _, wish := range drill.Wishes {
		v.Wishes = append(v.Wishes, wishView{wish, wishNames[wish]})
	}
	e, err := drill.Make(seed, v.Level, among...)
	if err != nil {
		return nil, nil, ui.BadRequest("no charge can be made of this: try another number")
	}
	for i, p := range e.At {
		mid := (p.FromS + p.ToS) / 2
		v.Places = append(v.Places, placeView{Number: i + 1, At: words.Clock(math.Round(mid)),
			Name: fmt.Sprintf("place%d", i+1)})
	}
	return e, v, nil
}

// markCurve marks what somebody made of it.
func (s *Room) markCurve(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	e, v, err := s.exercise(f.Values)
	if err != nil {
		return err
	}
	v.draw(e, ui.MeasuresOf(r))
	var said [drill.Places]drill.Answer
	for i := range v.Places {
		v.Places[i].Chosen = f.Values.Get(v.Places[i].Name)
		said[i] = answerOf(v.Places[i].Chosen)
		if said[i].Whose == "" {
			v.Missing = "Say something of each place; that it cannot be told is an answer too."
		}
	}
	v.Wish = drill.Wish(f.Values.Get("wish"))
	if v.Missing != "" {
		s.Render(w, r, "curve", http.StatusUnprocessableEntity, ui.Frame{Title: "Read a " +
			"curve", Page: "help", Data: v})
		return nil
	}
	m := e.Mark(said, v.Wish)
	p := progressOf(r).after(m)
	p.keep(w)
	v.mark(e, said, m, p)
	s.Render(w, r, "curve", http.StatusOK, ui.Frame{Title: "Read a curve", Page: "help", Data: v})
	return nil
}

// mark fills in what was right, what the program says, and where it goes on.
func (v *curveView) mark(e *drill.Exercise, said [drill.Places]drill.Answer, m drill.Marks, p progress) {
	v.Marked, v.Points = true, words.Figure(m.Total, 1)
	v.BestWish = wishNames[e.Best]
	x := curve.Read(e.Run, curve.Options{})
	for i, at := range e.At {
		pv := &v.Places[i]
		pv.Points = words.Figure(m.Place[i], 1) + " of " + words.Figure(drill.MostOfPlace, 0)
		pv.Was, pv.Sign, pv.Open = at.Cause.Words(), signs[at.Cause], openWords[at.Open]
		switch {
		case said[i].Whose == limit.Open:
			pv.Said = "it cannot be told"
		case said[i].Cause == "":
			pv.Said = "the " + string(said[i].Whose) + "'s"
		default:
			pv.Said = said[i].Cause.Words()
		}
		for _, c := range x.Ceilings {
			if mid := (at.FromS+at.ToS)/2 + x.ZeroS; c.FromS <= mid && mid < c.ToS {
				pv.Program, pv.Why = c.What, c.Evidence[:min(2, len(c.Evidence))]
			}
		}
	}
	next := url.Values{"level": {strconv.Itoa(p.level)}}
	v.Again = "/help/curve?" + next.Encode()
	if worst, ok := p.tally.Worst(); ok {
		v.Mixed = fmt.Sprintf("You take “%s” for “%s”.", worst.Is.Words(), worst.Said.Words())
		next.Set("drill", string(worst.Is)+","+string(worst.Said))
		v.MixDrill = "/help/curve?" + next.Encode()
	}
}

// draw draws what was logged.
func (v *curveView) draw(e *drill.Exercise, reader units.People) {
	stall, car := e.Run.Recordings[0], e.Run.Recordings[1]
	d := draw.Strip{Title: "The charge: power against time, with the places that are asked", T: stall.T,
		KW: stall.Columns[trace.Power], Width: 940}
	x := curve.Read(e.Run, curve.Options{})
	for _, p := range x.Posts {
		if math.Mod(p.SoCPct, 10) == 0 {
			p.TS += x.ZeroS
			d.Posts = append(d.Posts, p)
		}
	}
	for i, p := range e.At {
		d.Badges = append(d.Badges, draw.Badge{TS: (p.FromS + p.ToS) / 2, Number: i + 1,
			Title: fmt.Sprintf("place %d", i+1)})
	}
	v.Strip = d.Large()
	d.Narrow = true
	v.Narrow = d.Large()
	chart := func(title, unit string, lines ...draw.Line) {
		for _, l := range lines {
			if l.Y == nil {
				return
			}
		}
		k := draw.Curves{Title: title, Lines: lines, Minutes: true, XName: "time", XUnit: "min", YName: title, YUnit: unit,
			Height: 110}
		v.Charts = append(v.Charts, picture{title, k.SVG()})
	}
	line := func(name string, style int, of *trace.Recording, c trace.Channel) draw.Line {
		in, _ := trace.Describe(c)
		y := slices.Clone(of.Columns[c])
		for i := range y {
			y[i] = reader.Show(in.Unit, y[i])
		}
		return draw.Line{Name: name, X: of.T, Y: y, Style: style}
	}
	chart("asked and offered", "kW", line("the car asks", 0, car, trace.RequestedPower),
		line("the stall offers", 1, stall, trace.OfferedPower))
	chart("amps", "A", line("amps", 0, stall, trace.Current))
	chart("volts", "V", line("volts", 0, stall, trace.Voltage))
	chart("cells", reader.Name("°C"), line("coldest", 0, car, trace.BatteryTempMin),
		line("warmest", 1, car, trace.BatteryTempMax))
	v.Noted = noted(e, reader)
}

// noted is what is known of car, stall and day.
func noted(e *drill.Exercise, reader units.People) string {
	text := fmt.Sprintf("A car of %s kWh, %s cells in series, at a stall whose label says %s kW",
		words.Figure(*e.Run.Car.UsableKWh, 0), words.Figure(*e.Run.Car.CellsInSeries, 0),
		words.Figure(*e.Run.Stall.RatedKW, 0))
	if a := e.Run.Stall.MaxA; a != nil {
		text += fmt.Sprintf(" and %s A", words.Figure(*a, 0))
	}
	return text + fmt.Sprintf(". Outside: %s %s.", words.Figure(reader.Show("°C", *e.Run.Conditions.AmbientC), 0),
		reader.Name("°C"))
}
