package plan

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/stall"
	"zincroad/core/units"
	"zincroad/core/words"
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
	Ranking        []prepare.Ranked
	Warm           bool // the ranking and the diagram are for a warm pack, since no plan is worked out
	Options        []planOption
	Pays           string
	Night          *prepare.Night
	Fallback       string
	List           prepare.Checklist
	Bill           *stall.Bill
	Assumed        []pack.Assumption
	NotKnown       []say.Text
	Remarks        []say.Text // on the stall's ratings
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

// outcome says and draws what a plan comes to, as far as what is known allows.
func (s *Room) outcome(v *View, p prepare.Plan) Outcome {
	var o Outcome
	fit, err := stall.FitOf(p.KnownCar(), p.Stall, p.Adapter, p.Session.Assumed, p.Session.Gentle)
	if err != nil {
		o.Headline = "This car's usable capacity is needed: note it in the Garage."
		return o
	}
	v.fit = fit
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
			o.sayWarmPack(p)
		}
		return o
	}
	o.Assumed, o.Night = v.Plan.Assumed, v.Plan.Night
	o.say(v)
	o.draw(v)
	o.options(v)
	o.List = prepare.ListOf(v.Plan, v.Method)
	o.Bill = v.Plan.Forecast.Bill
	return o
}

// refusal is the headline of a plan that cannot be, or is not whole.
func (v *View) refusal() string {
	if v.Plan != nil && v.Plan.Refused() {
		return "Not like this: " + v.Plan.Refusals[0].Reason.In(v.In)
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

// sayWarmPack says and draws what the stall would give a warm pack, before anything
// else is known.
func (o *Outcome) sayWarmPack(p prepare.Plan) {
	f, err := forecast.Once(p.WarmSession())
	if err != nil || f.Note.Any() || f.Peak == nil {
		return
	}
	end, _ := f.Post(p.ToPct)
	o.Facts = append(o.Facts, fmt.Sprintf("With a warm pack %s would take %s here, with a peak of %s kW.",
		wholeWindow(p.FromPct, p.ToPct), words.Duration(math.Round(end.TS/60)*60), words.Figure(f.Peak.KW, 0)))
	o.Strip = forecastStrip(f, p.FromPct, p.ToPct, 0, 0)
}

// say puts the plan into sentences.
func (o *Outcome) say(v *View) {
	pl, a, f := v.Plan, v.Plan.Approach, v.Plan.Forecast
	leave := a.LeaveS()
	at := func(ts float64) string { return v.Clock.face(ts, leave) }
	o.Headline = "Leave at " + at(leave)
	if from, ok := a.HeatFromS(); ok {
		switch {
		case a.Way == prepare.Hard, a.Way == prepare.HeaterHard:
			o.Headline += ", drive hard from " + at(from)
		case a.DepartS() > from+30: // parked at home
			o.Headline = "Start heating at " + at(from) + ", leave at " + at(a.DepartS())
		case from <= leave+30:
			o.Headline = "Leave and start heating at " + at(leave)
		default:
			o.Headline += ", start heating at " + at(from)
		}
	}
	if a.Phase(prepare.Charge) != nil && a.Way == prepare.Charged {
		o.Headline = "Charge at " + at(leave) + ", leave at " + at(a.Phase(prepare.Charge).ToS)
	}
	if c := a.Phase(prepare.Charge); c != nil && a.Way != prepare.Charged {
		o.Headline = "Charge at " + at(leave) + ", leave at " + at(c.ToS)
		if from, ok := a.HeatFromS(); ok {
			o.Headline += ", start heating at " + at(from)
		}
	}
	o.Headline += ", plug in at " + at(0) + ". "
	if w, ok := f.Window(pl.Plan.FromPct, pl.Plan.ToPct); ok {
		end, _ := f.Post(pl.Plan.ToPct)
		o.Headline += fmt.Sprintf(
			"Expect %s in %s min (%s–%s), peak %s kW.",
			wholeWindow(w.FromPct, w.ToPct),
			words.Figure(end.TS/60, 0),
			words.Figure(end.LowS/60, 0),
			highMinutes(end.HighS),
			words.Figure(f.Peak.KW, 0),
		)
	} else {
		o.Headline += f.Note.In(v.In)
	}
	o.sayDrive(v, at)
	o.sayWarm(v, at)
	o.sayFallback(pl, v.In)
	if u, ok := pl.WhereItSlows(); ok {
		o.Facts = append(o.Facts, fmt.Sprintf("it goes slowly from %s on: the ten points before take %s, the ten behind %s",
			words.Percent(u.AtPct), words.Duration(math.Round(u.BeforeMin*60)), words.Duration(math.Round(u.AfterMin*60))))
	}
	if !v.Clock.plug {
		return
	}
	if late := v.Clock.now.Sub(v.Clock.time(leave, leave)).Minutes(); late > 0 && v.Values.Get("day") == "" {
		o.Warnings = append(
			o.Warnings,
			fmt.Sprintf("Leaving at %s was %s ago: plugging in is possible from %s on.", at(leave),
				words.Hours(late*60), clockFace{plug: false, at: v.Clock.now}.face(0, leave)),
		)
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

// sayDrive says how far is driven, and what is burnt at the end.
func (o *Outcome) sayDrive(v *View, at func(float64) string) {
	pl, a := v.Plan, v.Plan.Approach
	km := func(v64 float64) string { return say.Q(v64, "km", 0).In(v.In) }
	drive := "Drive " + km(a.Km)
	if a.LoopKm >= 1 {
		drive += fmt.Sprintf(", %s more than the way there", km(a.LoopKm))
	}
	if b := a.Phase(prepare.Burn); b != nil {
		last := a.Phases[len(a.Phases)-1]
		minutes := (last.ToS - b.FromS) / 60
		drive += fmt.Sprintf("; from %s burn %s parked, %s min", at(b.FromS), words.Percent(pl.BurntPct),
			words.Figure(math.Max(1, minutes), 0))
	}
	o.Facts = append(o.Facts, drive)
	if a.LoopKm >= 1 && a.Phase(prepare.Charge) == nil {
		o.Facts = append(o.Facts,
			fmt.Sprintf("or go straight there and burn the rest parked: %s", words.Hours(pl.ParkedS)))
	}
}

// sayWarm says how warm the pack will be, and whether warming it pays.
func (o *Outcome) sayWarm(v *View, at func(float64) string) {
	a := v.Plan.Approach
	n := a.Plug().Battery.Ordered()
	fact := fmt.Sprintf("at plug-in the coldest cell has %s", degrees(n.ColdestC, v.In))
	if n.WarmestC-n.ColdestC >= 1 {
		fact += fmt.Sprintf(", the warmest %s", degrees(n.WarmestC, v.In))
	}
	o.Facts = append(o.Facts, fact)
	target, wanted := run.Value(v.Plan.Plan.TargetC)
	if a.Short && wanted && !v.Method.Cold {
		o.Warnings = append(o.Warnings, notAsWarm(n.ColdestC, target, v.In))
	}
	if a.Way.ByNavigation() && a.WarmS == 0 && a.StopsS < 0 {
		o.Warnings = append(o.Warnings, "Navigation: "+prepare.NoHeating(a).In(v.In)+".")
	}
	if a.Limit.Any() {
		text := fmt.Sprintf("Warmed for %s: %s.", words.Hours(a.WarmS), a.Limit.In(v.In))
		if wished, set := run.Value(v.Plan.Plan.WarmMin); set {
			text = fmt.Sprintf("Warm for %s cannot be: %s; %s.", words.Hours(wished*60), words.Hours(a.WarmS), a.Limit.In(v.In))
		}
		o.Warnings = append(o.Warnings, text)
	}
	if nav := v.Plan.Plan.Car.Navigation; nav != nil && nav.StopOnly && a.Way.ByNavigation() {
		o.Warnings = append(o.Warnings, "This car heats only for a stall that is a stop: set a destination beyond it.")
	}
	if a.StopsS < 0 && a.WarmS > 0 {
		o.Facts = append(o.Facts, fmt.Sprintf("heating stops below %s, at %s", words.Percent(a.LeastC), at(a.StopsS)))
	}
	for i := range v.Plan.Options {
		op := &v.Plan.Options[i]
		if op.Way != a.Way || op.KWh < 0.05 {
			continue
		}
		o.Pays = fmt.Sprintf("%s costs %s kWh, %s, and saves %s min against going straight there. ",
			a.Way.Verb().In(v.In), words.Fixed(op.KWh, 1), say.Q(op.Km, "km", 0).In(v.In), words.Figure(op.SavedS/60, 0))
		if op.Pays() {
			o.Pays += "It pays."
		} else {
			o.Pays += fmt.Sprintf("It does not pay: charging that back takes %s min.", words.Figure(op.BackS/60, 1))
		}
	}
}

// notAsWarm says by how much a plan misses the temperature that is wanted, with as many
// decimals as it takes to tell the two apart.
func notAsWarm(gotC, wantedC float64, in units.People) string {
	got, wanted := degrees(gotC, in), degrees(wantedC, in)
	if got == wanted {
		got, wanted = say.Q(gotC, "°C", 1).Exact().In(in), say.Q(wantedC, "°C", 1).Exact().In(in)
	}
	if got == wanted {
		return fmt.Sprintf("Just under the %s that are wanted.", wanted)
	}
	return fmt.Sprintf("Not as warm as wanted: %s, not %s.", got, wanted)
}

// degrees writes a temperature so that no line breaks within it.
func degrees(c float64, in units.People) string {
	return strings.Replace(say.Q(c, "°C", 0).In(in), " ", "\u00a0", 1)
}

// sayFallback says where to go when the stall is dead, and whether that can be reached.
func (o *Outcome) sayFallback(pl *prepare.Prepared, in units.People) {
	r := pl.Fallback
	switch {
	case r == nil:
		o.Fallback = "None: a dead stall would strand this plan. Choose one."
	case r.SameSite:
		o.Fallback = r.Name + ", at the same site."
	case r.Reachable:
		o.Fallback = fmt.Sprintf("%s, %s: takes %s. Reachable from %s with %s left.", r.Name,
			say.Q(r.Fallback.Km, "km", 0).In(in), words.Percent(r.NeedPct), words.Percent(pl.Plan.FromPct),
			words.Percent(r.LeftPct))
	default:
		o.Fallback = fmt.Sprintf("%s, %s, is out of reach: it takes %s, and %s are left at the plug.", r.Name,
			say.Q(r.Fallback.Km, "km", 0).In(in), words.Percent(r.NeedPct), words.Percent(pl.Plan.FromPct))
		o.Warnings = append(o.Warnings, "The fallback is out of reach.")
	}
}

// options lists the ways of warming; those that cannot be for one reason stand together.
func (o *Outcome) options(v *View) {
	for _, op := range v.Plan.Options {
		if op.Reason.Any() && op.Way != v.Plan.Plan.Way {
			i := slices.IndexFunc(o.Options, func(x planOption) bool { return x.Reason.Is(op.Reason) && !x.Chosen })
			if i >= 0 {
				o.Options[i].Name += "; " + op.Way.Words().In(v.In)
				continue
			}
		}
		row := planOption{
			Option:  op,
			Name:    op.Way.Words().In(v.In),
			Chosen:  op.Way == v.Plan.Plan.Way,
			Reached: !math.IsNaN(op.TS),
		}
		if op.Approach != nil {
			row.Coldest = op.Approach.Plug().Battery.Ordered().ColdestC
		}
		o.Options = append(o.Options, row)
	}
}
