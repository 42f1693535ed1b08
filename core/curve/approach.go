package curve

import (
	"cmp"
	"math"
	"slices"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// Approach is the way to the stall as the car's log has it: the pack's temperature before the first
// plug-in, while driving or preheating. It enters no post, window or energy.
type Approach struct {
	FromS   float64         `json:"from_s"`  // its first reading, on the reading's clock
	ToS     float64         `json:"to_s"`    // plug-in
	Coldest bool            `json:"coldest"` // the coldest cell was read; else the pack's one value stands for it
	FromC   float64         `json:"from_c"`  // coldest at its first reading
	AtPlugC float64         `json:"at_plug_c"`
	PerMin  *float64        `json:"k_per_min"` // by which the coldest warmed up to plug-in; nil: by less than 3 K
	UsedPct *float64        `json:"used_pct"`  // charge driven off; nil: not read at both ends
	EveryS  float64         `json:"every_s"`   // median interval of its readings
	Points  []ApproachPoint `json:"points"`    // thinned out, in order of time
	Stages  []ApproachStage `json:"stages"`    // between the marks on the way; none without a mark there
}

// ApproachStage is a part of the way, from one mark to the next.
type ApproachStage struct {
	Name   string   `json:"name"` // of the mark that it begins with; empty: the beginning
	FromS  float64  `json:"from_s"`
	ToS    float64  `json:"to_s"`
	FromC  float64  `json:"from_c"`    // at its first reading
	ToC    float64  `json:"to_c"`      // at its last
	PerMin *float64 `json:"k_per_min"` // between these; nil: by less than 3 K
	KWh    *float64 `json:"kwh"`       // out of the pack; nil: power was not read all the time
}

// ApproachPoint is the pack's temperature at one moment, °C; nil where it was not read.
type ApproachPoint struct {
	TS       float64  `json:"t_s"`
	ColdestC *float64 `json:"coldest_c"`
	WarmestC *float64 `json:"warmest_c"`
}

const (
	approachS      = 120.0 // less is a car that was switched on at the stall
	approachBreakS = 600.0 // what lies before such a hole was another drive,
	approachBreaks = 3     // or before one of so many intervals, where readings were taken now and then
	approachPoints = 120
	warmedC        = 3.0 // whole degrees leave open what is less
)

// approachOf reads the way to the stall; nil without a plug-in that counts, or where the pack's temperature
// was not read for two minutes before it. Times are on the clock that starts at zero.
func (s *sides) approachOf(zero float64, marks []run.Mark) *Approach {
	plug := s.legs[0].from
	if math.IsInf(plug, -1) {
		return nil
	}
	before := func(c trace.Channel) trace.Series {
		part := cut(s.joined(trace.CarSide, c), trace.Span{From: math.Inf(-1), To: plug})
		i, hole := part.Len(), max(approachBreakS, approachBreaks*trace.MedianInterval(part.T))
		for next := plug; i > 0 && next-part.T[i-1] <= hole; i-- {
			next = part.T[i-1]
		}
		return trace.Series{T: part.T[i:], V: part.V[i:]}
	}
	coldest, warmest := before(trace.BatteryTempMin), before(trace.BatteryTempMax)
	a := &Approach{ToS: plug - zero, Coldest: coldest.Len() > 1}
	if !a.Coldest {
		coldest = before(trace.BatteryTemp)
	}
	n := coldest.Len()
	if n < 2 || plug-coldest.T[0] < approachS || plug-coldest.T[n-1] > nearS { // else it is not known at plug-in
		return nil
	}
	a.FromS, a.FromC, a.AtPlugC = coldest.T[0]-zero, coldest.V[0], coldest.V[n-1]
	a.EveryS = trace.MedianInterval(coldest.T)
	lowest := 0
	for i, v := range coldest.V {
		if v <= coldest.V[lowest] {
			lowest = i
		}
	}
	if a.AtPlugC-coldest.V[lowest] >= warmedC && n-lowest > 2 {
		perS, _ := slope(coldest.T[lowest:], coldest.V[lowest:])
		perMin := perS * 60
		a.PerMin = &perMin
	}
	if soc := before(trace.SoC); soc.Len() > 1 {
		if used := soc.V[0] - soc.V[soc.Len()-1]; used >= 0 {
			a.UsedPct = &used
		}
	}
	at := func(series trace.Series, t float64) *float64 {
		if v, ok := series.At(t); ok {
			return &v
		}
		return nil
	}
	shown := coldest.T
	if n > approachPoints {
		shown = make([]float64, approachPoints+1)
		for k := range shown {
			shown[k] = coldest.T[0] + (plug-coldest.T[0])*float64(k)/approachPoints
		}
	}
	for _, t := range shown {
		p := ApproachPoint{TS: t - zero, ColdestC: at(coldest, t), WarmestC: at(warmest, t)}
		if p.ColdestC != nil || p.WarmestC != nil {
			a.Points = append(a.Points, p)
		}
	}
	a.Stages = s.stages(coldest, plug, zero, marks)
	return a
}

// stages are the parts of the way between marks, as far as the pack's temperature was read at least twice in them.
func (s *sides) stages(coldest trace.Series, plug, zero float64, marks []run.Mark) (list []ApproachStage) {
	first := coldest.T[0]
	ends, names := []float64{first}, []string{""}
	marks = slices.Clone(marks)
	slices.SortStableFunc(marks, func(a, b run.Mark) int { return cmp.Compare(a.TS, b.TS) })
	for _, m := range marks {
		if m.TS < first || m.TS >= plug {
			continue
		}
		name := m.Kind
		if m.Note != "" {
			name = m.Note
		}
		ends, names = append(ends, m.TS), append(names, name)
	}
	if len(ends) == 1 {
		return nil
	}
	power := s.joined(trace.CarSide, trace.Power)
	for i, from := range ends {
		to := plug
		if i+1 < len(ends) {
			to = ends[i+1]
		}
		at := cut(coldest, trace.Span{From: from, To: to})
		if at.Len() < 2 {
			continue
		}
		last := at.Len() - 1
		stage := ApproachStage{Name: names[i], FromS: from - zero, ToS: to - zero, FromC: at.V[0], ToC: at.V[last]}
		if gained := stage.ToC - stage.FromC; math.Abs(gained) >= warmedC {
			perMin := gained / (at.T[last] - at.T[0]) * 60
			stage.PerMin = &perMin
		}
		if whole(power, from, to) {
			kWh := -power.Integral(from, to) / 3600
			stage.KWh = &kWh
		}
		list = append(list, stage)
	}
	return list
}

// said is a stage in words; empty where nothing of it is known but its ends.
func (g ApproachStage) said() say.Text {
	if g.PerMin == nil && g.KWh == nil {
		return nil
	}
	since := say.T("curve.at-first")
	if g.Name != "" {
		since = say.T("curve.from-mark", g.Name)
	}
	text := say.T("curve.stage", since, say.Duration(g.ToS-g.FromS), say.Fig(g.FromC, 0), say.Q(g.ToC, "°C", 0))
	if g.PerMin != nil {
		text = text.And("curve.a-minute", say.Q(*g.PerMin, "K", 2).Exact())
	}
	if g.KWh != nil && *g.KWh >= 0 {
		text = text.And("curve.kwh-out-of-the", say.Fig(*g.KWh, 1))
	}
	return text
}

// whole tells whether a series was read all the time, a minute apart at most.
func whole(s trace.Series, from, to float64) bool {
	last := from
	for _, t := range slices.Concat(cut(s, trace.Span{From: from, To: to}).T, []float64{to}) {
		if t-last > coarseS {
			return false
		}
		last = t
	}
	return s.Len() > 0
}

// approachFinding says how the pack was warmed on the way, and whether that was enough; nil where it was
// not.
func (r *Reading) approachFinding(car *run.Car) *Finding {
	a := r.Approach
	if a == nil || a.PerMin == nil {
		return nil
	}
	what := say.T("curve.the-pack")
	if a.Coldest {
		what = say.T("curve.coldest-cell")
	}
	f := &Finding{Kind: AboutApproach, FromS: a.FromS, ToS: a.ToS, Confidence: say.Strong}
	f.Text = say.T("curve.warmed-on-the-way", what, say.Fig(a.FromC, 0), say.Q(a.AtPlugC, "°C", 0),
		say.Duration(a.ToS-a.FromS))
	if car != nil {
		if warm, ok := run.Known(car.WarmC); ok {
			if short := warm - a.AtPlugC; short >= 1 {
				f.Text = f.Text.And("curve.short-of-warm", say.Q(short, "K", 0))
			} else {
				f.Text = f.Text.And("curve.warm-enough")
			}
			f.Evidence = append(f.Evidence, say.T("curve.this-pack-is-warm", say.Q(warm, "°C", 0)))
		}
	}
	f.Text = f.Text.And("stop")
	if a.EveryS > coarseS {
		f.Confidence = say.Likely
		f.Evidence = append(f.Evidence, say.T("curve.readings-apart", say.Duration(a.EveryS)))
	}
	f.Evidence = append([]say.Text{say.T("curve.it-warmed-by-a", say.Q(*a.PerMin, "K", 2).Exact())}, f.Evidence...)
	for _, stage := range a.Stages {
		if said := stage.said(); said.Any() {
			f.Evidence = append(f.Evidence, said)
		}
	}
	if a.UsedPct != nil {
		f.Evidence = append(f.Evidence, say.T("curve.points-of-charge-driven", say.Fig(*a.UsedPct, 1)))
	}
	return f
}
