package web

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"zincroad/core/ceiling"
	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
)

// Outcome is what a plan comes to, as the page says and draws it.
type Outcome struct {
	Headline       string
	Facts          []string
	Warnings       []string
	Timeline       string
	TimelineNarrow string // for phones
	Limits         string
	Strip          string
	Posts          []planPost
	Ranking        []rankedStall
	Warm           bool // the ranking and the diagram are for a warm pack, since no plan is worked out
	Options        []planOption
	Pays           string
	Fallback       string
	List           prepare.Checklist
	Bill           *stall.Bill
	Assumed        []pack.Assumption
	NotKnown       []string
	Remarks        []string // on the stall's ratings
}

type planPost struct {
	forecast.Post
	Clock, Low, High string
	KW               float64
	Held             string
	Ends             bool
}

// planOption is a way of warming in the page's table.
type planOption struct {
	prepare.Option
	Name    string
	Chosen  bool
	Coldest float64
	Reached bool
}

func (s *Server) outcome(v *planView, p prepare.Plan) Outcome {
	var o Outcome
	fit, err := stall.FitOf(p.Car, p.Stall, p.Adapter, p.Session.Assumed, p.Session.Gentle)
	if err != nil {
		o.Headline = "This car's usable capacity is needed: note it in the Garage."
		return o
	}
	o.Assumed, o.NotKnown = fit.Assumed, fit.Limits.NotKnown
	if p.ToPct > p.FromPct {
		o.Limits = limitsOf(fit, p)
	}
	if p.Stall != nil {
		o.Remarks = stall.Remarks(p.Stall)
	}
	o.rank(v, p)
	if v.Plan == nil || v.Plan.Refused() {
		o.Headline = v.refusal()
		if v.Plan == nil && fit.Fits {
			o.Facts = append(o.Facts, warmFact(p)...)
		}
		return o
	}
	o.Assumed = v.Plan.Assumed
	o.say(v)
	o.draw(v)
	o.options(v)
	o.List = prepare.ListOf(v.Plan, v.Method)
	o.Bill = v.Plan.Forecast.Bill
	return o
}

// refusal is the headline of a plan that cannot be, or is not whole.
func (v *planView) refusal() string {
	if v.Plan != nil && v.Plan.Refused() {
		return "Not like this: " + v.Plan.Refusals[0].Reason
	}
	if v.Missing != "" {
		return v.Missing
	}
	for _, name := range planKeys {
		if text := v.Errors[name]; text != "" {
			return "Not like this: " + text
		}
	}
	return ""
}

// warmFact says what the stall would give a warm pack, before anything else is known.
func warmFact(p prepare.Plan) []string {
	b, err := forecast.Quick(warmSession(p))
	if err != nil || b.Note != "" {
		return nil
	}
	return []string{fmt.Sprintf("With a warm pack %s would take %s here, with a peak of %s kW.",
		wholeWindow(p.FromPct, p.ToPct), words.Duration(math.Round(b.TS/60)*60), words.Figure(b.PeakKW, 0))}
}

// warmSession is the plan's session with a battery that takes its full power.
func warmSession(p prepare.Plan) forecast.Plan {
	s := p.Session
	s.Car, s.Stall, s.Adapter, s.FromPct, s.ToPct, s.AmbientC = p.Car, p.Stall, p.Adapter, p.FromPct, p.ToPct, 20
	if !math.IsNaN(p.Road.AmbientC) {
		s.AmbientC = p.Road.AmbientC
	}
	warm := 25.0
	if b, err := pack.For(p.Car); err == nil {
		warm = max(warm, b.WarmC)
	}
	s.Battery = pack.Nodes{ColdestC: warm, WarmestC: warm}
	return s
}

// say puts the plan into sentences.
func (o *Outcome) say(v *planView) {
	pl, a, f := v.Plan, v.Plan.Approach, v.Plan.Forecast
	leave := a.LeaveS()
	at := func(ts float64) string { return v.Clock.face(ts, leave) }
	o.Headline = "Leave at " + at(leave)
	if from, ok := a.HeatFromS(); ok {
		switch {
		case a.Way == prepare.Hard:
			o.Headline += ", drive hard from " + at(from)
		case from <= leave+30:
			o.Headline = "Leave and start heating at " + at(leave)
		default:
			o.Headline += ", start heating at " + at(from)
		}
	}
	if a.Phase(prepare.Charge) != nil {
		o.Headline = "Charge at " + at(leave) + ", leave at " + at(a.Phase(prepare.Charge).ToS)
	}
	o.Headline += ", plug in at " + at(0) + ". "
	if w, ok := f.Window(pl.Plan.FromPct, pl.Plan.ToPct); ok {
		end, _ := f.Post(pl.Plan.ToPct)
		o.Headline += fmt.Sprintf("Expect %s in %s min (%s–%s), peak %s kW.", wholeWindow(w.FromPct, w.ToPct),
			words.Figure(end.TS/60, 0), words.Figure(end.LowS/60, 0), highMinutes(end.HighS), words.Figure(f.Peak.KW, 0))
	} else {
		o.Headline += f.Note
	}
	o.sayDrive(v, at)
	o.sayWarm(v, at)
	o.sayFallback(pl)
	if !v.Clock.plug {
		return
	}
	if late := v.Clock.now.Sub(v.Clock.time(leave, leave)).Minutes(); late > 0 && v.Values.Get("day") == "" {
		o.Warnings = append(o.Warnings, fmt.Sprintf("Leaving at %s was %s min ago: plugging in is possible from %s on.", at(leave), words.Figure(late, 0),
			clockFace{plug: false, at: v.Clock.now}.face(0, leave)))
	}
}

// wholeWindow writes a window so that no line breaks within it.
func wholeWindow(from, to float64) string {
	return words.Figure(from, 1) + "\u2060–\u2060" + words.Figure(to, 1) + "\u00a0%"
}

func highMinutes(s float64) string {
	if math.IsNaN(s) {
		return "never"
	}
	return words.Figure(s/60, 0)
}

func (o *Outcome) sayDrive(v *planView, at func(float64) string) {
	pl, a := v.Plan, v.Plan.Approach
	drive := fmt.Sprintf("Drive %s km", words.Figure(a.Km, 0))
	if a.LoopKm >= 1 {
		drive += fmt.Sprintf(", %s more than the way there", words.Figure(a.LoopKm, 0))
	}
	if b := a.Phase(prepare.Burn); b != nil {
		last := a.Phases[len(a.Phases)-1]
		minutes := (last.ToS - b.FromS) / 60
		drive += fmt.Sprintf("; from %s burn %s parked, %s min", at(b.FromS), percent(burnt(a, pl)), words.Figure(math.Max(1, minutes), 0))
	}
	o.Facts = append(o.Facts, drive)
	if a.LoopKm >= 1 && a.Way != prepare.Charged {
		o.Facts = append(o.Facts, fmt.Sprintf("or go straight there and burn the rest parked: %s", words.Hours(pl.ParkedS)))
	}
}

// burnt is how many points of charge go while parked.
func burnt(a *prepare.Approach, pl *prepare.Prepared) float64 {
	kwh := 0.0
	for _, p := range a.Phases {
		if p.Kind == prepare.Burn {
			kwh += p.KW * (p.ToS - p.FromS) / 3600
		}
	}
	b, err := pack.For(pl.Plan.Car)
	if err != nil {
		return 0
	}
	return kwh / b.UsableKWh * 100
}

func (o *Outcome) sayWarm(v *planView, at func(float64) string) {
	a := v.Plan.Approach
	n := a.Plug().Battery.Ordered()
	fact := fmt.Sprintf("at plug-in the coldest cell has %s", degrees(n.ColdestC))
	if n.WarmestC-n.ColdestC >= 1 {
		fact += fmt.Sprintf(", the warmest %s", degrees(n.WarmestC))
	}
	o.Facts = append(o.Facts, fact)
	target, wanted := run.Value(v.Plan.Plan.TargetC)
	if a.Short && wanted && !v.Method.Cold {
		o.Warnings = append(o.Warnings, fmt.Sprintf("Not as warm as wanted: %s, not %s.", degrees(n.ColdestC), degrees(target)))
	}
	if a.Way == prepare.Navigation && a.WarmS == 0 {
		o.Warnings = append(o.Warnings, "Navigation: "+prepare.NoHeating(a)+".")
	}
	if a.StopsS < 0 && a.WarmS > 0 {
		o.Facts = append(o.Facts, fmt.Sprintf("heating stops below %d %%, at %s", prepare.NavigationMinPct, at(a.StopsS)))
	}
	for i := range v.Plan.Options {
		op := &v.Plan.Options[i]
		if op.Way != a.Way || op.KWh < 0.05 {
			continue
		}
		o.Pays = fmt.Sprintf("%s costs %s kWh, %s km, and saves %s min against going straight there. ", a.Way.Verb(), words.Fixed(op.KWh, 1), words.Figure(op.Km, 0), words.Figure(op.SavedS/60, 0))
		if op.Pays() {
			o.Pays += "It pays."
		} else {
			o.Pays += fmt.Sprintf("It does not pay: charging that back takes %s min.", words.Figure(op.BackS/60, 1))
		}
	}
}

func (o *Outcome) sayFallback(pl *prepare.Prepared) {
	r := pl.Fallback
	switch {
	case r == nil:
		o.Fallback = "None: a dead stall would strand this plan. Choose one."
	case r.SameSite:
		o.Fallback = r.Name + ", at the same site."
	case r.Reachable:
		o.Fallback = fmt.Sprintf("%s, %s km: takes %s. Reachable from %s with %s left.", r.Name, words.Figure(r.Fallback.Km, 0), percent(r.NeedPct), percent(pl.Plan.FromPct), percent(r.LeftPct))
	default:
		o.Fallback = fmt.Sprintf("%s, %s km, is out of reach: it takes %s, and %s are left at the plug.", r.Name, words.Figure(r.Fallback.Km, 0), percent(r.NeedPct), percent(pl.Plan.FromPct))
		o.Warnings = append(o.Warnings, "The fallback is out of reach.")
	}
}

// draw makes the pictures and the table of posts.
func (o *Outcome) draw(v *planView) {
	t := timelineOf(v)
	o.Timeline = t.SVG()
	t.Narrow, t.CutS = true, cutAt(t, shownOnPhone)
	o.TimelineNarrow = t.SVG()
	f, pl := v.Plan.Forecast, v.Plan
	strip := &draw.Strip{Title: "Forecast: power against minutes since plug-in, with posts and the ceilings that would hold",
		FromPct: pl.Plan.FromPct, ToPct: pl.Plan.ToPct, Width: 435, Held: stretches(f)}
	for i, st := range f.Steps {
		if i%5 == 0 || i == len(f.Steps)-1 {
			strip.T, strip.KW = append(strip.T, st.T), append(strip.KW, st.StallKW)
		}
	}
	for _, p := range f.Posts {
		ends := p.SoCPct == pl.Plan.FromPct || p.SoCPct == pl.Plan.ToPct
		if math.Mod(p.SoCPct, 10) != 0 && !ends {
			continue
		}
		strip.Posts = append(strip.Posts, curve.Post{SoCPct: p.SoCPct, TS: p.TS})
		post := planPost{Post: p, Clock: v.Clock.face(p.TS, pl.Approach.LeaveS()), Low: words.Clock(p.LowS), High: "never", Ends: ends}
		if !math.IsNaN(p.HighS) {
			post.High = words.Clock(p.HighS)
		}
		if i := int(p.TS); i < len(f.Steps) {
			post.KW = f.Steps[i].StallKW
			if ends && p.SoCPct == pl.Plan.ToPct && i > 0 {
				i = max(0, len(f.Steps)-2) // the last second with power
				post.KW = f.Steps[i].StallKW
			}
			post.Held = f.Steps[i].Cause.Words()
		}
		o.Posts = append(o.Posts, post)
	}
	o.Strip = strip.Large()
}

func stretches(f *forecast.Forecast) []draw.Stretch {
	var out []draw.Stretch
	for _, h := range f.Ceilings {
		out = append(out, draw.Stretch{FromS: h.FromS, ToS: h.ToS, Cause: h.Cause})
	}
	return out
}

// How much of a long approach the timeline shows, as a multiple of the session.
const (
	shownBefore  = 4
	shownOnPhone = 1.5
)

// cutAt is where a timeline begins whose approach is longer than so many sessions;
// 0 where all of it is shown.
func cutAt(t *draw.Timeline, sessions float64) float64 {
	if from := -sessions * math.Max(t.T[len(t.T)-1], 1800); t.T[0] < from {
		return from
	}
	return 0
}

func timelineOf(v *planView) *draw.Timeline {
	a, f := v.Plan.Approach, v.Plan.Forecast
	t := &draw.Timeline{Title: "From now to unplugging: state of charge and coldest cell against time", WantedC: math.NaN(), Held: stretches(f)}
	if c, ok := run.Value(v.Plan.Plan.TargetC); ok && !v.Method.Cold {
		t.WantedC = c
	}
	add := func(ts, soc float64, n pack.Nodes) {
		n = n.Ordered()
		t.T, t.SoC, t.Coldest, t.Warmest = append(t.T, ts), append(t.SoC, soc), append(t.Coldest, n.ColdestC), append(t.Warmest, n.WarmestC)
	}
	for _, m := range a.Moments {
		add(m.TS, m.SoCPct, m.Battery)
	}
	end := 0.0
	for i, st := range f.Steps {
		if i%20 == 0 || i == len(f.Steps)-1 {
			add(st.T, st.SoCPct, st.Battery)
		}
		end = st.T
	}
	t.CutS = cutAt(t, shownBefore)
	for _, p := range a.Phases {
		b := barOf(p, a.Way)
		if n := len(t.Bars); n > 0 && t.Bars[n-1].Kind == b.Kind && t.Bars[n-1].Label == b.Label {
			t.Bars[n-1].ToS = b.ToS
			continue
		}
		t.Bars = append(t.Bars, b)
	}
	t.Signs = signsOf(v, end)
	return t
}

func barOf(p prepare.Phase, w prepare.Way) draw.Bar {
	b := draw.Bar{FromS: p.FromS, ToS: p.ToS, Kind: "drive", Label: "drive"}
	switch {
	case p.Kind == prepare.Charge:
		b.Kind, b.Label = "charge", "charge"
	case p.Kind == prepare.Burn && p.HeaterKW > 0:
		b.Kind, b.Label = "heat", "parked, heater on"
	case p.Kind == prepare.Burn:
		b.Kind, b.Label = "burn", "parked, climate "+words.Figure(p.KW, 1)+" kW"
	case p.Kind == prepare.Warm && w == prepare.Hard:
		b.Kind, b.Label = "hard", "drive hard"
	case p.Kind == prepare.Warm:
		b.Kind, b.Label = "heat", "heater "+words.Figure(p.HeaterKW, 1)+" kW"
	}
	return b
}

// signsOf are the times that the tester has to know.
func signsOf(v *planView, end float64) []draw.ClockSign {
	a, f := v.Plan.Approach, v.Plan.Forecast
	leave := a.LeaveS()
	var out []draw.ClockSign
	add := func(ts float64, text string, strong bool) {
		out = append(out, draw.ClockSign{TS: ts, Clock: v.Clock.face(ts, leave), Text: text, Strong: strong})
	}
	if c := a.Phase(prepare.Charge); c != nil {
		add(c.FromS, "charge", false)
		add(c.ToS, "leave", true)
	} else {
		add(leave, "leave", true)
	}
	if from, ok := a.HeatFromS(); ok {
		what := "heat"
		if a.Way == prepare.Hard {
			what = "drive hard"
		}
		add(from, what, false)
	}
	if a.StopsS < 0 && a.WarmS > 0 {
		add(a.StopsS, fmt.Sprintf("%d %%: heating stops", prepare.NavigationMinPct), false)
	}
	if b := a.Phase(prepare.Burn); b != nil {
		add(b.FromS, "there, burn "+percent(burnt(a, v.Plan)), false)
	}
	add(0, fmt.Sprintf("plug in at %s", percent(a.Plug().SoCPct)), true)
	for _, pct := range []float64{50, 80} {
		if p, ok := f.Post(pct); ok && pct > v.Plan.Plan.FromPct && pct < v.Plan.Plan.ToPct {
			add(p.TS, percent(pct), false)
		}
	}
	if p, ok := f.Post(v.Plan.Plan.ToPct); ok {
		add(p.TS, percent(v.Plan.Plan.ToPct)+", unplug", true)
	} else {
		add(end, "given up", true)
	}
	slices.SortStableFunc(out, func(x, y draw.ClockSign) int { return cmp.Compare(x.TS, y.TS) })
	return out
}

func (o *Outcome) options(v *planView) {
	for _, op := range v.Plan.Options {
		row := planOption{Option: op, Name: op.Way.Words(), Chosen: op.Way == v.Plan.Plan.Way, Reached: !math.IsNaN(op.TS)}
		if op.Approach != nil {
			row.Coldest = op.Approach.Plug().Battery.Ordered().ColdestC
		}
		o.Options = append(o.Options, row)
	}
}

// limitsOf draws the ceilings of a fit.
func limitsOf(fit *stall.Fit, p prepare.Plan) string {
	if !fit.Fits {
		return ""
	}
	l := &draw.Limits{Title: "Ceilings against state of charge with a warm pack; the lowest is inked", FromPct: p.FromPct, ToPct: p.ToPct}
	lines := map[ceiling.Cause]int{}
	for i, at := range fit.At {
		holding, _ := at.Holding()
		l.Holds = append(l.Holds, holding.KW)
		for _, c := range at.Ceilings {
			cause := c.Cause
			if cause == ceiling.SoCStep {
				cause = ceiling.PackTaper // the same line, at its steps
			}
			k, ok := lines[cause]
			if !ok {
				k = len(l.Lines)
				lines[cause] = k
				l.Lines = append(l.Lines, draw.Limit{Cause: cause, Label: limitLabel(cause, fit.Limits), KW: unknown(len(fit.At))})
			}
			l.Lines[k].KW[i] = c.KW
		}
	}
	return l.SVG()
}

func unknown(n int) []float64 {
	v := make([]float64, n)
	for i := range v {
		v[i] = math.NaN()
	}
	return v
}

// limitLabel names a ceiling with its figure.
func limitLabel(c ceiling.Cause, l *stall.Limits) string {
	switch c {
	case ceiling.StallPower:
		return "stall, " + words.Figure(l.StallKW, 0) + " kW"
	case ceiling.StallCurrent:
		return "stall, " + words.Figure(l.StallA, 0) + " A"
	case ceiling.AdapterCurrent:
		return "adapter, " + words.Figure(l.AdapterA, 0) + " A"
	case ceiling.CarPower:
		return "car, " + words.Figure(l.CarKW, 0) + " kW"
	case ceiling.CarCurrent:
		return "car, " + words.Figure(l.CarA, 0) + " A"
	case ceiling.CarConverter:
		return "converter, " + words.Figure(l.ConverterKW, 0) + " kW"
	case ceiling.StallVoltage:
		return "stall's top voltage"
	case ceiling.Finish:
		return "finish, " + words.Figure(l.PackMaxV, 0) + " V"
	}
	return c.Words()
}

// rankedStall is a stall, or several alike at a site, with what it would give.
type rankedStall struct {
	ID      int64 // of the first
	Name    string
	PeakKW  float64
	TS      float64
	Km      float64
	HasKm   bool
	Reason  string // why not
	Chosen  bool
	Cost    string
	Reached bool
}

// rank works out what every stall would give this car, started as planned.
func (o *Outcome) rank(v *planView, p prepare.Plan) {
	session := warmSession(p)
	o.Warm = v.Plan == nil || v.Plan.Approach == nil
	if !o.Warm {
		session.Battery = v.Plan.Approach.Plug().Battery
	}
	var groups [][]*logbook.Stall
	for i := range v.Sites {
		groups = append(groups, alike(v.Sites[i].Stalls)...)
	}
	rows := make([]rankedStall, len(groups))
	var all sync.WaitGroup
	for i, g := range groups {
		all.Go(func() { rows[i] = v.ranked(g, session, p) })
	}
	all.Wait()
	slices.SortStableFunc(rows, func(a, b rankedStall) int {
		if a.Reached != b.Reached {
			if a.Reached {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(a.TS, b.TS), cmp.Compare(a.Km, b.Km))
	})
	o.Ranking = rows
}

// alike puts stalls of a site together that give the same.
func alike(stalls []logbook.Stall) [][]*logbook.Stall {
	var groups [][]*logbook.Stall
	index := map[string]int{}
	for i := range stalls {
		t := &stalls[i]
		key := strings.Join([]string{plainNumber(t.RatedKW), plainNumber(t.MaxA), plainNumber(t.MinV), plainNumber(t.MaxV), tariffName(t.Tariff)}, "/")
		k, ok := index[key]
		if !ok {
			k = len(groups)
			index[key] = k
			groups = append(groups, nil)
		}
		groups[k] = append(groups[k], t)
	}
	return groups
}

func (v *planView) ranked(group []*logbook.Stall, session forecast.Plan, p prepare.Plan) rankedStall {
	first := group[0]
	r := rankedStall{ID: first.ID, TS: math.Inf(1)}
	var names []string
	for _, t := range group {
		names = append(names, t.Name)
		r.Chosen = r.Chosen || v.Stall != nil && t.ID == v.Stall.ID
	}
	r.Name = first.Site.Name + " " + strings.Join(names, ", ")
	if km := first.Site.BaseKm; km != nil {
		r.Km, r.HasKm = *km, true
	}
	session.Stall = first.Describe()
	fit, err := stall.FitOf(p.Car, session.Stall, p.Adapter, p.Session.Assumed, p.Session.Gentle)
	switch {
	case err != nil:
		r.Reason = "not known"
		return r
	case !fit.Fits:
		r.Reason = cannot(session.Stall, p.Car)
		return r
	}
	if v.Plan != nil && r.HasKm && v.Plan.WhPerKm > 0 {
		if b, err := pack.For(p.Car); err == nil && v.Plan.WhPerKm*r.Km/10/b.UsableKWh > p.NowPct-p.FromPct {
			r.Reason = "out of reach for a start at " + percent(p.FromPct)
			return r
		}
	}
	f, err := forecast.Quick(session)
	switch {
	case err != nil:
		r.Reason = "not known"
	case f.Note != "":
		r.Reason = f.Note
	default:
		r.TS, r.PeakKW, r.Reached = f.TS, f.PeakKW, true
	}
	return r
}

// cannot says in few words why voltages do not meet.
func cannot(s *run.Stall, c *run.Car) string {
	low, _ := run.Value(s.MinV)
	high, _ := run.Value(s.MaxV)
	text := fmt.Sprintf("cannot: %s–%s V", words.Figure(low, 0), words.Figure(high, 0))
	if b, err := pack.For(c); err == nil {
		text += fmt.Sprintf(", pack %s–%s V", words.Figure(b.MinV, 0), words.Figure(b.MaxV, 0))
	}
	return text
}
