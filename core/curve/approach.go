package curve

import (
	"fmt"
	"math"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
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
}

// ApproachPoint is the pack's temperature at one moment, °C; nil where it was not read.
type ApproachPoint struct {
	TS       float64  `json:"t_s"`
	ColdestC *float64 `json:"coldest_c"`
	WarmestC *float64 `json:"warmest_c"`
}

const (
	approachS      = 120.0 // less is a car that was switched on at the stall
	approachBreakS = 600.0 // what lies before such a hole was another drive
	approachPoints = 120
	warmedC        = 3.0 // whole degrees leave open what is less
)

// approachOf reads the way to the stall; nil without a plug-in that counts, or where the pack's temperature
// was not read for two minutes before it. Times are on the clock that starts at zero.
func (s *sides) approachOf(zero float64) *Approach {
	plug := s.legs[0].from
	if math.IsInf(plug, -1) {
		return nil
	}
	before := func(c trace.Channel) trace.Series {
		part := cut(s.joined(trace.CarSide, c), trace.Span{From: math.Inf(-1), To: plug})
		i := part.Len()
		for next := plug; i > 0 && next-part.T[i-1] <= approachBreakS; i-- {
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
	for k := 0.0; k <= approachPoints; k++ {
		t := coldest.T[0] + (plug-coldest.T[0])*k/approachPoints
		p := ApproachPoint{TS: t - zero, ColdestC: at(coldest, t), WarmestC: at(warmest, t)}
		if p.ColdestC != nil || p.WarmestC != nil {
			a.Points = append(a.Points, p)
		}
	}
	return a
}

// approachFinding says how the pack was warmed on the way, and whether that was enough; nil where it was
// not.
func (r *Reading) approachFinding(car *run.Car) *Finding {
	a := r.Approach
	if a == nil || a.PerMin == nil {
		return nil
	}
	what := "the pack"
	if a.Coldest {
		what = "its coldest cell"
	}
	f := &Finding{Kind: AboutApproach, FromS: a.FromS, ToS: a.ToS, Confidence: Strong}
	f.Text = fmt.Sprintf("Warmed on the way: %s %s to %s °C in the %s before plug-in", what, words.Figure(a.FromC, 0),
		words.Figure(a.AtPlugC, 0), words.Duration(a.ToS-a.FromS))
	if car != nil {
		if warm, ok := run.Known(car.WarmC); ok {
			if short := warm - a.AtPlugC; short >= 1 {
				f.Text += fmt.Sprintf(", %s K short of warm", words.Figure(short, 0))
			} else {
				f.Text += ", warm enough"
			}
			f.Evidence = append(f.Evidence, fmt.Sprintf("this pack is warm from %s °C", words.Figure(warm, 0)))
		}
	}
	f.Text += "."
	if a.EveryS > coarseS {
		f.Confidence = Likely
		f.Evidence = append(f.Evidence, fmt.Sprintf("readings %s apart", words.Duration(a.EveryS)))
	}
	f.Evidence = append([]string{fmt.Sprintf("it warmed by %s K a minute", words.Fixed(*a.PerMin, 2))}, f.Evidence...)
	if a.UsedPct != nil {
		f.Evidence = append(f.Evidence, fmt.Sprintf("%s points of charge driven off", words.Figure(*a.UsedPct, 1)))
	}
	return f
}
