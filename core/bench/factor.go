package bench

import (
	"math"
	"slices"
	"time"

	"zincroad/core/say"
	"zincroad/core/words"
)

// Factor is a way to sort runs into kinds, for the matrix.
type Factor struct {
	Name string               // in addresses; a condition's where it is one
	of   func(k Known) string // empty: not noted
}

// Words is the factor as a page names it.
func (f Factor) Words() say.Text {
	switch f.Name {
	case "stall_kw":
		return say.T("bench.kind-of-stall")
	case "start":
		return conditionOf("start_pct").head()
	}
	return conditionOf(f.Name).head()
}

// Factors are all of them.
var Factors = []Factor{
	{"car", func(k Known) string { return k.Car }},
	{"software", func(k Known) string {
		if k.Software == "" {
			return ""
		}
		return k.Car + " " + k.Software
	}},
	{"chemistry", func(k Known) string { return k.Chemistry }},
	{"stall", func(k Known) string { return k.Stall }},
	{"stall_kw", func(k Known) string {
		if k.StallKW == 0 {
			return ""
		}
		return words.Figure(k.StallKW, 0) + " kW"
	}},
	{"preconditioned", func(k Known) string { return k.Preconditioned }},
	{"season", func(k Known) string { return seasonOf(k.StartedAt) }},
	{"start", func(k Known) string {
		if k.StartPct == nil {
			return ""
		}
		from := math.Min(90, math.Floor(*k.StartPct/10)*10)
		return words.Window(from, from+10)
	}},
	{"profile", func(k Known) string { return k.Profile }},
	{"adapter", func(k Known) string {
		if k.Adapter == "" {
			return "none"
		}
		return k.Adapter
	}},
	{"label", func(k Known) string { return k.Label }},
}

// FactorOf gives a factor by its name; false where there is none.
func FactorOf(name string) (Factor, bool) {
	i := slices.IndexFunc(Factors, func(f Factor) bool { return f.Name == name })
	if i < 0 {
		return Factor{}, false
	}
	return Factors[i], true
}

// seasonOf names the quarter of a year that a day lies in, by its months: they are winter on one half of
// the earth and summer on the other. Empty: no day.
func seasonOf(day time.Time) string {
	if day.IsZero() {
		return ""
	}
	return []string{"Dec–Feb", "Mar–May", "Jun–Aug", "Sep–Nov"}[int(day.Month())%12/3]
}

// Warmth is how warm packs were at plug-in.
type Warmth string

// The kinds of warmth.
const (
	AnyWarmth Warmth = "any"
	WarmPack  Warmth = "warm" // from a kelvin under the car's own warm temperature up
	ColdPack  Warmth = "cold" // from coldByC under it down
)

// Warmths lists them.
var Warmths = []Warmth{WarmPack, ColdPack, AnyWarmth}

const (
	warmFromC = 20.0 // where a car's warm temperature is not noted (common practice, no source)
	nearWarmC = 1.0
	coldByC   = 8.0
)

// is tells whether a run's pack was that warm; one whose temperature nobody read is neither warm nor cold.
func (w Warmth) is(k Known) bool {
	if w == AnyWarmth {
		return true
	}
	if k.StartC == nil { // no cell was read: warm by what was noted, where the car warmed it
		return w == WarmPack && k.Preconditioned == "car"
	}
	warm := warmFromC
	if k.WarmC != nil {
		warm = *k.WarmC
	}
	if w == WarmPack {
		return *k.StartC >= warm-nearWarmC
	}
	return *k.StartC <= warm-coldByC
}

// OfWarmth tells whether what is sorted by is how warm packs were, or what makes them so: cold runs belong in it.
func (f Factor) OfWarmth() bool { return f.Name == "preconditioned" || f.Name == "season" }

// fair tells whether a run's times say what a car can do in one go: charged in one session, at full power.
func (k Known) fair() bool { return k.PlugIns < 2 && k.Profile != "gentle" }

func (k Known) kind() string {
	if k.Software == "" {
		return k.Car
	}
	return k.Car + " " + k.Software
}
