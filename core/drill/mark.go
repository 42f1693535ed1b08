package drill

import (
	"fmt"
	"slices"
	"strings"

	"zincroad/core/limit"
)

// Answer is what somebody says of a place: whose limit it is, and which. limit.Open says that it cannot be told.
type Answer struct {
	Whose limit.Whose
	Cause limit.Cause
	Sure  bool // of a practice's verdict: sure of it, rather than thinking it likely
}

// Points of a place: one for whose it is, one for what; of the wish one.
const (
	MostOfPlace = 2.0
	MostOfWish  = 1.0
	// Most is a charge read without a fault.
	Most = Places*MostOfPlace + MostOfWish
	// modest is what it is worth to say that it cannot be told where it can: less than knowing, more than blaming the
	// wrong party.
	modest = 0.5
)

// Marks is what answers are worth, and what was mixed up.
type Marks struct {
	Place  [Places]float64
	Wish   float64
	Total  float64
	MixUps []MixUp
}

// MixUp is a cause that was taken for another.
type MixUp struct{ Is, Said limit.Cause }

// Mark marks what somebody made of an exercise.
func (e *Exercise) Mark(answers [Places]Answer, wish Wish) Marks {
	var m Marks
	for i, p := range e.At {
		m.Place[i] = p.worth(answers[i])
		m.Total += m.Place[i]
		said := answers[i].Cause
		if answers[i].Whose != limit.Open && said != "" && said != p.Cause && !slices.Contains(p.Near, said) {
			m.MixUps = append(m.MixUps, MixUp{p.Cause, said})
		}
	}
	if wish == e.Best {
		m.Wish = MostOfWish
	}
	m.Total += m.Wish
	return m
}

// worth is what an answer is worth.
func (p Place) worth(a Answer) float64 {
	right := append([]limit.Cause{p.Cause}, p.Near...)
	switch {
	case a.Whose == limit.Open && p.Open != Told:
		return MostOfPlace
	case a.Whose == limit.Open:
		return modest
	case slices.Contains(right, a.Cause):
		return MostOfPlace
	case slices.ContainsFunc(right, func(c limit.Cause) bool { return c.Sign().Whose == a.Whose }):
		return MostOfPlace / 2
	}
	return 0
}

// Tally counts what somebody mixes up, over exercises.
type Tally map[MixUp]int

// ParseTally reads a tally as Text writes it; what is no mix-up is passed over.
func ParseTally(text string) Tally {
	t := Tally{}
	for part := range strings.SplitSeq(text, ",") {
		pair, times, _ := strings.Cut(part, ":")
		is, said, ok := strings.Cut(pair, ">")
		m := MixUp{limit.Cause(is), limit.Cause(said)}
		var n int
		if _, err := fmt.Sscanf(times, "%d", &n); ok && err == nil && n > 0 && n < 1000 &&
			slices.Contains(Causes, m.Is) && slices.Contains(Causes, m.Said) {
			t[m] = n
		}
	}
	return t
}

// Text writes a tally in a line.
func (t Tally) Text() string {
	var parts []string
	for m, n := range t {
		parts = append(parts, fmt.Sprintf("%s>%s:%d", m.Is, m.Said, n))
	}
	slices.Sort(parts)
	return strings.Join(parts, ",")
}

// Worst is what is mixed up most, at least twice; false: nothing is.
func (t Tally) Worst() (MixUp, bool) {
	var worst MixUp
	most := 1
	for _, is := range Causes {
		for _, said := range Causes {
			if m := (MixUp{is, said}); t[m] > most {
				worst, most = m, t[m]
			}
		}
	}
	return worst, most > 1
}
