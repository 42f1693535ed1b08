package typed

import (
	"math"
	"regexp"
	"sort"
	"strings"

	"zincroad/core/trace"
	"zincroad/core/words"
)

// Times says what a time of two parts, 18:31, stands for.
type Times string

// The two meanings. Hours are of the day, or since the start where the first is 0:00.
const (
	MinutesSeconds Times = "minutes"
	HoursMinutes   Times = "hours"
)

// Words is the meaning in plain words.
func (t Times) Words() string {
	if t == HoursMinutes {
		return "hours and minutes"
	}
	return "minutes and seconds"
}

// clock is a time as it stands in a line.
type clock struct {
	text  string
	parts int
	half  string // "am" or "pm"; empty for neither
}

var (
	timeWord = regexp.MustCompile(`^[-−]?\d+(:\d{1,2}){1,2}([.,]\d+)?$`)
	halfWord = regexp.MustCompile(`(?i)^([ap])\.?m\.?$`)
	halfTail = regexp.MustCompile(`(?i)^(.*\d)([ap])\.?m\.?$`)
	levelOf  = regexp.MustCompile(`^(\d+(?::\d{1,2}){1,2})[-–—](\d+(?::\d{1,2}){1,2})$`)
)

// clockOf reads a word as a time; false for another word.
func clockOf(w string) (clock, bool) {
	half := ""
	if m := halfTail.FindStringSubmatch(w); m != nil {
		w, half = m[1], strings.ToLower(m[2])+"m"
	}
	if !timeWord.MatchString(w) {
		return clock{}, false
	}
	return clock{w, strings.Count(w, ":") + 1, half}, true
}

// seconds gives the time under a meaning, and false where it has none: an hour of the
// day over 23, 13 PM, seconds over 59.
func (c clock) seconds(as Times) (float64, bool) {
	hours := as == HoursMinutes || c.half != ""
	s, ok := words.ParseClock(c.text, hours)
	switch {
	case !ok || hours && s >= 86400:
		return 0, false
	case c.half == "":
		return s, true
	case s < 3600 || s >= 13*3600:
		return 0, false
	}
	s = math.Mod(s, 43200)
	if c.half == "pm" {
		s += 43200
	}
	return s, true
}

// clockFromS is the time from which h:mm:ss must be a time of day: no run has
// lasted five hours.
const clockFromS = 5 * 3600

// placeTimes decides what the times of the text are and puts them on one clock: times of
// day count from the first of them, past noon and midnight too.
func (n *Notes) placeTimes(as Times) {
	if as == "" {
		as = n.likelier()
	}
	n.Times = as
	at, ofDay, ok := n.timeline(as)
	if !ok { // what stands in some line is none under this meaning: say so there
		at, ofDay = n.faults(as)
	}
	first := math.NaN()
	for i := range n.Lines {
		l := &n.Lines[i]
		if l.Empty || l.Problem != "" {
			continue
		}
		if math.IsNaN(first) {
			first = at[i][0]
		}
		l.TS, l.ToTS = at[i][0], at[i][1]
		if ofDay {
			l.TS, l.ToTS = l.TS-first, l.ToTS-first
		}
	}
	if n.ClockTime = ofDay && !math.IsNaN(first); n.ClockTime {
		n.FirstS = first
	}
	n.leaveOut()
}

// leaveOut marks lines whose time is far from all others.
func (n *Notes) leaveOut() {
	var good []*Line
	var at []float64
	for i := range n.Lines {
		if l := &n.Lines[i]; !l.Empty && l.Problem == "" {
			good, at = append(good, l), append(at, l.TS)
		}
	}
	for _, i := range trace.Outlying(at) {
		good[i].Problem = "\"" + good[i].from.text + "\" is far from all other times"
	}
}

// faults marks the lines whose time is none under a meaning.
func (n *Notes) faults(as Times) (at [][2]float64, ofDay bool) {
	for i := range n.Lines {
		l := &n.Lines[i]
		if l.Empty || l.Problem != "" {
			continue
		}
		if _, ok := l.from.seconds(as); !ok {
			l.Problem = "\"" + l.from.text + "\" is no time in " + as.Words()
		} else if _, ok := l.to.seconds(as); l.to.parts > 0 && !ok {
			l.Problem = "\"" + l.to.text + "\" is no time in " + as.Words()
		}
	}
	at, ofDay, _ = n.timeline(as)
	return at, ofDay
}

// timeline gives each line's time and, for a level, its end (else NaN), in seconds as
// written, carried on past noon and midnight where they are of the day. False where a
// time is none under the meaning.
func (n *Notes) timeline(as Times) (at [][2]float64, ofDay, ok bool) {
	at = make([][2]float64, len(n.Lines))
	last := math.NaN()
	carry := func(s float64) float64 {
		if ofDay && !math.IsNaN(last) {
			for s < last-43200 {
				s += 86400
			}
			if back := last - s; back > 39600 && back < 43200 { // 12:50, then 1:10 on a clock of twelve hours
				s += 43200
			}
		}
		last = s
		return s
	}
	for i := range n.Lines {
		l := &n.Lines[i]
		if l.Empty || l.Problem != "" {
			continue
		}
		s, legal := l.from.seconds(as)
		if !legal {
			return at, ofDay, false
		}
		if math.IsNaN(last) {
			ofDay = l.from.half != "" || s >= clockFromS || as == HoursMinutes && l.from.parts == 2 && s >= 3600
		}
		at[i] = [2]float64{carry(s), math.NaN()}
		if l.to.parts > 0 {
			if s, legal = l.to.seconds(as); !legal {
				return at, ofDay, false
			}
			at[i][1] = carry(s)
		}
	}
	return at, ofDay, true
}

// What tells the meanings apart (common practice, no source): no car gains more than
// 10 points a minute, no list of one run lasts longer than half a day, and the power
// noted over the time must be a pack's worth.
const (
	mostPctPerMin        = 10.0
	longestS             = 12 * 3600
	leastKWh, mostKWh    = 4.0, 400.0
	usualPctPerMin       = 5.0
	slowPctPerMin        = 0.15
	possible, impossible = 0.0, -100.0
)

// likelier weighs both meanings by what the readings can be.
func (n *Notes) likelier() Times {
	two, half := false, false
	for _, l := range n.Lines {
		if l.Empty || l.Problem != "" {
			continue
		}
		two = two || l.from.parts == 2
		half = half || l.from.half != ""
	}
	switch {
	case half:
		return HoursMinutes
	case !two:
		return MinutesSeconds
	}
	minutes, hours := n.weigh(MinutesSeconds), n.weigh(HoursMinutes)
	n.Ambiguous = minutes > impossible/2 && hours > impossible/2 && math.Abs(minutes-hours) < 3
	if hours > minutes {
		return HoursMinutes
	}
	return MinutesSeconds
}

// weigh says how well a meaning fits: below impossible/2 it cannot be.
func (n *Notes) weigh(as Times) float64 {
	at, ofDay, ok := n.timeline(as)
	if !ok {
		return 2 * impossible
	}
	score := possible
	var soc, kw trace.Series
	var inOrder order
	first, last := math.NaN(), math.NaN()
	for i, l := range n.Lines {
		if l.Empty || l.Problem != "" {
			continue
		}
		t := at[i][0]
		if math.IsNaN(first) {
			first, last = t, t
		}
		first, last = math.Min(first, t), math.Max(last, t)
		inOrder.take(t)
		if v, ok := l.value(trace.SoC); ok {
			soc.T, soc.V = append(soc.T, t), append(soc.V, v)
		}
		if v, ok := l.value(trace.Power); ok {
			kw.T, kw.V = append(kw.T, t), append(kw.V, v)
			if end := at[i][1]; end > t {
				kw.T, kw.V = append(kw.T, end), append(kw.V, v)
			}
		}
	}
	score -= 2 * float64(inOrder.left()) // typed out of order, or read wrongly
	if last-first > longestS {
		score += impossible
	}
	if (as == HoursMinutes) == (first >= 300*float64(factor(as))) {
		score++ // a list of minutes begins near 0:00, one of the day does not
	}
	if ofDay && as == MinutesSeconds {
		score--
	}
	return score + weighCharge(soc, kw)
}

// order counts how many of some times must be left out for the others to rise: one line that is typed late is one,
// wherever it stands.
type order struct {
	taken int
	ends  []float64 // the least time that a rising row of each length can end with
}

func (o *order) take(t float64) {
	o.taken++
	i := sort.Search(len(o.ends), func(i int) bool { return o.ends[i] > t })
	if i == len(o.ends) {
		o.ends = append(o.ends, t)
	}
	o.ends[i] = t
}

func (o *order) left() int { return o.taken - len(o.ends) }

// factor is how many seconds the last part of a two-part time stands for.
func factor(as Times) int {
	if as == HoursMinutes {
		return 60
	}
	return 1
}

// weighCharge judges how fast the charge rose and with how much energy.
func weighCharge(soc, kw trace.Series) float64 {
	score := possible
	n := soc.Len()
	if n < 2 {
		return score
	}
	for i := 1; i < n; i++ {
		if gained, min := soc.V[i]-soc.V[i-1], (soc.T[i]-soc.T[i-1])/60; gained >= 3 && gained > mostPctPerMin*min {
			return impossible
		}
	}
	gained, min := soc.V[n-1]-soc.V[0], (soc.T[n-1]-soc.T[0])/60
	if gained < 3 {
		return score
	}
	if gained > usualPctPerMin*min || gained < slowPctPerMin*min {
		score -= 4
	}
	if covered := kw.Integral(soc.T[0], soc.T[n-1]) / 3600; kw.Len() > 1 && gained >= 5 {
		if pack := covered / gained * 100; pack < leastKWh || pack > mostKWh {
			return impossible
		}
	}
	return score
}
