// Package health says how good a recording is: what is wrong with its readings, what should be done about each
// of it, and how far the figures that are made of it can be trusted.
//
// Nothing is put right in silence. A fault becomes a proposal with its reason, which somebody takes or leaves,
// and what figures do by themselves (read in order of time, leave a leap of the state of charge out of the
// posts and one of power out of the peak) stands in it. The reason is that the same picture can be two things:
// a power that stands still to the last digit is a logger that hung, or a stall that gives exactly 150 kW.
// Whoever was there knows.
//
// A fault of one reading is told from a true event by how it ends. A leap that comes back at once was the
// display's: no pack jumps to 70 % and back. A fall that stays was the car's. What is late came in a bunch
// behind a silence; what is missing left a silence alone.
//
// The grade is the worst of three: how often a reading came, how much of the time with power is missing, and
// how many readings something is wrong with. It is no mark for the run: a typed run of ten readings is a C and
// fine for its minutes. Therefore it never stands alone, but with what it means for which figures.
package health

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strconv"
	"strings"

	"zincroad/core/say"
	"zincroad/core/trace"
)

// Kind is what is wrong with some readings.
type Kind string

// The kinds.
const (
	Spike     Kind = "spike"     // leaps away and comes back
	Frozen    Kind = "frozen"    // stands still while the others go on
	Duplicate Kind = "duplicate" // said twice
	Disorder  Kind = "disorder"  // its time is before that of the reading above it
	Late      Kind = "late"      // several came at one moment, after a silence
	Disagrees Kind = "disagrees" // power and volts times amps are not the same
	Turned    Kind = "turned"    // written below zero while the car charges

	ClockJump    Kind = "clock-jump"   // its clock leaps or is set back
	Recalibrated Kind = "recalibrated" // the charge leaps by what did not flow
	MainsSide    Kind = "mains-side"   // a stall's meter in front of its rectifiers
)

// Proposal is what should be done about some readings of a recording, and why. Nothing is done
// unless somebody takes it.
type Proposal struct {
	Kind     Kind          `json:"kind"`
	Channel  trace.Channel `json:"channel"`  // empty: the reading as a whole
	Readings []int         `json:"readings"` // their places in the recording, from 0
	FromS    float64       `json:"from_s"`   // on the recording's own clock
	ToS      float64       `json:"to_s"`
	Reason   say.Text      `json:"reason"`
	LeaveOut bool          `json:"leave_out"` // what is proposed is to leave these values out; else only to know
	Applied  bool          `json:"applied"`   // figures leave them out already
}

// Form writes which values a proposal is about, "channel:1,2,5-9", for a form to send back; no
// channel is the reading as a whole.
func (p Proposal) Form() string {
	var parts []string
	for i := 0; i < len(p.Readings); {
		j := i
		for j+1 < len(p.Readings) && p.Readings[j+1] == p.Readings[j]+1 {
			j++
		}
		if j > i {
			parts = append(parts, fmt.Sprintf("%d-%d", p.Readings[i], p.Readings[j]))
		} else {
			parts = append(parts, strconv.Itoa(p.Readings[i]))
		}
		i = j + 1
	}
	return string(p.Channel) + ":" + strings.Join(parts, ",")
}

// Report is how good a recording is.
type Report struct {
	Grade     string     // A to D
	Means     []say.Text // for which figures, in words
	Proposals []Proposal // in order of time

	PostsS        float64 // posts are exact to so many s; NaN: it has none
	EnergyPct     float64 // energy is within so much; NaN: it has none
	GapShare      float64 // of the time with power
	WrongShare    float64 // of the readings, that something is wrong with
	ResolutionPct float64 // of its state of charge; 0: none
}

// How grades are given (common practice, no source). Each is the worst that a recording may be.
var grades = []struct {
	grade                           string
	intervalS, gapShare, wrongShare float64
}{
	{"A", 3, 0.01, 0.005},
	{"B", 15, 0.05, 0.03},
	{"C", 400, 0.25, 0.10},
}

// When values count as frozen (common practice, no source).
const (
	frozenS     = 45 // for so long
	frozenTimes = 12 // and so many readings
	disagreePct = 15 // power against volts times amps
	sampled     = 1000
	lateS       = 5 // a silence so short makes no bunch
)

// Check looks through a recording, as it was recorded, and says how good it is for the time in
// which the car charged, on the recording's own clock. Readings without a time are none.
func Check(rec *trace.Recording, charging trace.Span) Report {
	r := Report{PostsS: math.NaN(), EnergyPct: math.NaN(), Proposals: []Proposal{}}
	r.disorder(rec)
	r.duplicates(rec)
	on := *rec
	on.ClockOffsetS, on.ClockDriftPPM = 0, 0
	ordered := on.OnRunClock()
	r.late(rec)
	r.spikes(rec)
	r.frozen(rec)
	r.disagrees(rec)
	slices.SortStableFunc(r.Proposals, func(a, b Proposal) int {
		switch {
		case a.FromS < b.FromS:
			return -1
		case a.FromS > b.FromS:
			return 1
		}
		return 0
	})
	r.judge(rec, ordered, charging)
	return r
}

// Count is how many readings of a channel something of a kind is wrong with.
func (r *Report) Count(k Kind, c trace.Channel) (n int) {
	for _, p := range r.Proposals {
		if p.Kind == k && p.Channel == c {
			n += len(p.Readings)
		}
	}
	return n
}

func (r *Report) add(rec *trace.Recording, p Proposal) {
	if len(p.Readings) == 0 {
		return
	}
	p.FromS, p.ToS = math.Inf(1), math.Inf(-1)
	for _, i := range p.Readings {
		p.FromS, p.ToS = math.Min(p.FromS, rec.T[i]), math.Max(p.ToS, rec.T[i])
	}
	r.Proposals = append(r.Proposals, p)
}

// Note adds what was found beside the recording's own readings. It does not move the grade.
func (r *Report) Note(rec *trace.Recording, p Proposal) { r.add(rec, p) }

// NoteTurned lists the channels of a recording that are written below zero while the car charges. Figures read them the
// other way round; nothing is wrong with the readings.
func (r *Report) NoteTurned(rec *trace.Recording, turned []trace.Channel) {
	for _, c := range turned {
		in, _ := trace.Describe(c)
		var at []int
		for i, v := range rec.Columns[c] {
			if !math.IsNaN(v) {
				at = append(at, i)
			}
		}
		r.add(rec, Proposal{Kind: Turned, Channel: c, Readings: at, Applied: true,
			Reason: say.T("health.turned", in.Name)})
	}
}

// judge gives the grade and what it means.
func (r *Report) judge(rec, on *trace.Recording, charging trace.Span) {
	within := func(s trace.Series) trace.Series {
		s = s.From(charging.From)
		to := sort.Search(len(s.T), func(i int) bool { return s.T[i] > charging.To })
		return trace.Series{T: s.T[:to], V: s.V[:to]}
	}
	power, soc := within(on.PowerSeries()), within(on.Series(trace.SoC))
	lead := power
	if lead.Len() == 0 {
		lead = soc
	}
	interval := trace.MedianInterval(lead.T)
	if power.Len() > 1 {
		gaps := 0.0
		for _, g := range trace.Gaps(power, interval) {
			gaps += g.Len()
		}
		r.GapShare = gaps / math.Max(1, power.Span().Len())
		// Half of what a gap bridges may be wrong by a fifth; between readings the power bends.
		r.EnergyPct = 0.2 + 10*r.GapShare + math.Min(4, interval/20)
	}
	wrong := map[int]bool{}
	for _, p := range r.Proposals {
		for _, i := range p.Readings {
			wrong[i] = true
		}
	}
	r.WrongShare = float64(len(wrong)) / math.Max(1, float64(rec.Len()))
	if soc.Len() > 1 {
		r.ResolutionPct = on.Resolution()
		if r.PostsS = interval; lead.Len() != soc.Len() || &lead.T[0] != &soc.T[0] { // else the same times
			r.PostsS = trace.MedianInterval(soc.T)
		}
	}
	r.Grade = "D"
	for _, g := range grades {
		if lead.Len() > 1 && interval <= g.intervalS && r.GapShare <= g.gapShare && r.WrongShare <= g.wrongShare {
			r.Grade = g.grade
			break
		}
	}
	r.Means = r.words(rec, power, soc, interval)
}

// words says what the grade means for which figures; a reading of the power comes every so many s.
func (r *Report) words(rec *trace.Recording, power, soc trace.Series, everyS float64) []say.Text {
	var out []say.Text
	switch {
	case soc.Len() < 2:
		out = append(out, say.T("health.posts-no-state-of"))
	case r.ResolutionPct >= 1:
		out = append(out, say.T("health.posts-exact-to-at", exact(r.PostsS)))
	default:
		out = append(out, say.T("health.posts-exact-to", exact(r.PostsS)))
	}
	if power.Len() < 2 {
		out = append(out, say.T("health.energy-and-peak-no"))
	} else {
		out = append(out, say.T("health.energy-within-of-what", say.Fig(r.EnergyPct, 1)))
		if everyS > 10 {
			out = append(out, say.T("health.peak-readings-too-far"))
		}
	}
	if rec.Side == trace.CarSide && !rec.Has(trace.BatteryTemp) && !rec.Has(trace.BatteryTempMin) {
		out = append(out, say.T("health.what-held-it-no"))
	}
	if rec.Side == trace.StallSide && !rec.Has(trace.Voltage) && !rec.Has(trace.Current) {
		out = append(out, say.T("health.what-held-it-neither"))
	}
	return out
}

func exact(s float64) say.Quantity { return say.Duration(max(1, math.Ceil(s))) }
