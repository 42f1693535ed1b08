package bench

import (
	"math"

	"zincroad/core/trace"
)

// Lead is by how many points of state of charge a run is ahead of the reference at a moment;
// negative where the reference leads.
type Lead struct {
	TS     float64 `json:"t_s"`
	Run    int     `json:"run"`
	Points float64 `json:"points"`
}

// Meeting is where the lead goes over from one run to the other.
type Meeting struct {
	TS     float64 `json:"t_s"`
	SoCPct float64 `json:"soc_pct"`
	Run    int     `json:"run"`
}

// Race is the runs' clocks laid over each other, the reference against each other run.
type Race struct {
	Lead     []Lead    `json:"lead"`     // by the minute, while both charge
	Widest   *Lead     `json:"widest"`   // nil: no minute is shared
	Meetings []Meeting `json:"meetings"` // where the sign changes after having been over half a point
}

// RaceAdded runs the race by the energy (curve.EnergyAdded) or the distance added (curve.DistanceAdded) instead
// of by charge: leads are kWh or km, and a meeting has no charge. False where it was not kept of every run.
func RaceAdded(subjects []Subject, ref int, what trace.Channel) (Race, bool) {
	lanes := lanesOf(subjects)
	for i, s := range subjects {
		source, ok := s.Work.(interface {
			added(what trace.Channel) trace.Series
		})
		if !ok || source.added(what).Len() < 2 {
			return Race{}, false
		}
		lanes[i].soc = trace.Series{}
		series := source.added(what)
		for k, t := range series.T {
			lanes[i].soc.T = append(lanes[i].soc.T, t-s.Reading.ZeroS)
			lanes[i].soc.V = append(lanes[i].soc.V, series.V[k])
		}
	}
	r := raceOf(lanes, ref)
	for i := range r.Meetings {
		r.Meetings[i].SoCPct = math.NaN()
	}
	return r, true
}

// With is the race of the reference against one other run.
func (r Race) With(run int) Race {
	out := Race{Lead: []Lead{}, Meetings: []Meeting{}}
	for _, l := range r.Lead {
		if l.Run != run {
			continue
		}
		if out.Lead = append(out.Lead, l); out.Widest == nil || math.Abs(l.Points) > math.Abs(out.Widest.Points) {
			out.Widest = &l
		}
	}
	for _, m := range r.Meetings {
		if m.Run == run {
			out.Meetings = append(out.Meetings, m)
		}
	}
	return out
}

// What a race goes by: every minute; and how large a lead must have been for a change of sign to be
// a meeting.
const (
	raceStepS   = 60.0
	meetingPct  = 0.5
	raceFinestS = 1.0
)

// lane is one run's state of charge from its clock's zero, to its last power.
type lane struct {
	soc  trace.Series
	endS float64
}

func (l lane) at(t float64) (float64, bool) {
	if t > l.endS {
		return 0, false
	}
	if n := l.soc.Len(); n > 0 && t < l.soc.T[0] && l.soc.T[0] < raceStepS { // nothing was gained before it was read
		return l.soc.V[0], true
	}
	return l.soc.At(t)
}

// raceOf runs the race of the reference against each other run.
func raceOf(lanes []lane, ref int) Race {
	r := Race{Lead: []Lead{}, Meetings: []Meeting{}}
	for i := range lanes {
		if i == ref {
			continue
		}
		end := math.Min(lanes[i].endS, lanes[ref].endS)
		lead := func(t float64) (float64, bool) {
			a, ok1 := lanes[ref].at(t)
			b, ok2 := lanes[i].at(t)
			return b - a, ok1 && ok2
		}
		for t := raceStepS; t <= end; t += raceStepS {
			p, ok := lead(t)
			if !ok {
				continue
			}
			l := Lead{t, i, p}
			r.Lead = append(r.Lead, l)
			if r.Widest == nil || math.Abs(p) > math.Abs(r.Widest.Points) {
				r.Widest = &l
			}
		}
		r.Meetings = append(r.Meetings, meetings(lanes[ref], lead, end, i)...)
	}
	return r
}

// meetings goes through a race second by second and lists where the lead changes hands after having
// been over half a point.
func meetings(ref lane, lead func(float64) (float64, bool), end float64, run int) []Meeting {
	var out []Meeting
	ahead := 0.0 // the sign of the last lead of over half a point
	for t := 0.0; t <= end; t += raceFinestS {
		p, ok := lead(t)
		if !ok {
			continue
		}
		if ahead != 0 && p*ahead <= 0 {
			soc, _ := ref.at(t)
			out = append(out, Meeting{t, soc, run})
			ahead = 0
		}
		if math.Abs(p) > meetingPct {
			ahead = math.Copysign(1, p)
		}
	}
	return out
}
