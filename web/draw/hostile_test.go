package draw

import (
	"encoding/xml"
	"io"
	"math"
	"regexp"
	"strings"
	"testing"
	"time"

	"pgregory.net/rapid"

	"zincroad/core/curve"
	"zincroad/core/decide"
	"zincroad/core/limit"
	"zincroad/core/run"
)

// hostile are the numbers that no logger should write and some do.
var hostile = rapid.OneOf(
	rapid.SampledFrom([]float64{0, math.Copysign(0, -1), math.SmallestNonzeroFloat64, -math.SmallestNonzeroFloat64, 1e-300,
		1e300, -1e300, math.MaxFloat64, math.Inf(1), math.Inf(-1), math.NaN(), 5e-324, 120, 3600}),
	rapid.Float64(),
	rapid.Float64Range(-10, 500),
)

var notFinite = regexp.MustCompile(`[" ](NaN|[+-]?Inf)`)

// wellFormed fails a test on a picture that is no XML, or that has what is no number in its coordinates.
func wellFormed(t *rapid.T, what, svg string) {
	if len(svg) > 4<<20 {
		t.Fatalf("%s: %d MB", what, len(svg)>>20)
	}
	d := xml.NewDecoder(strings.NewReader(svg))
	d.Entity = xml.HTMLEntity
	for {
		token, err := d.Token()
		if err == io.EOF {
			return
		}
		if err != nil {
			t.Fatalf("%s: %v\n%.400s", what, err, svg)
		}
		if e, ok := token.(xml.StartElement); ok {
			for _, a := range e.Attr {
				if a.Name.Local != "aria-label" && notFinite.MatchString(" "+a.Value) {
					t.Fatalf("%s: <%s %s=%q>", what, e.Name.Local, a.Name.Local, a.Value)
				}
			}
		}
	}
}

// Whatever numbers and names reach a picture, it is drawn, it is well formed, and no coordinate is anything but
// a number.
func TestPicturesOfAnything(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, 12).Draw(t, "points")
		series := func(name string) []float64 { return rapid.SliceOfN(hostile, n, n).Draw(t, name) }
		name := rapid.String().Draw(t, "name") + `"><script>&]]>` + "\x00\x07"
		one := func(what string) float64 { return hostile.Draw(t, what) }
		kw := one("post's power")
		s := Strip{Title: name, T: series("t"), KW: series("kw"), ToS: one("to"), TopKW: one("top"), FromPct: 10, ToPct: 80,
			Posts:  []curve.Post{{SoCPct: one("post"), TS: one("post at"), PowerKW: &kw}},
			Marks:  []Sign{{TS: one("mark"), Letter: "P", Title: name}},
			Badges: []Badge{{TS: one("badge"), Number: 1, Title: name}},
			Held:   []Stretch{{FromS: one("held from"), ToS: one("held to"), Cause: limit.Cold}}}
		wellFormed(t, "strip", s.Large())
		wellFormed(t, "small strip", s.Small())
		wellFormed(t, "tiny strip", s.Tiny())
		k := Curves{Title: name, XName: name, YName: name, FromZero: rapid.Bool().Draw(t, "from zero"),
			Lines: []Line{
				{Name: name, X: series("x"), Y: series("y")},
				{Name: name, X: series("x2"), Y: series("y2"), Style: 1},
			},
			Bands: []Band{{Name: name, X: series("bx"), Low: series("low"), High: series("high")}}}
		wellFormed(t, "curves", k.SVG())
		c := Capacity{Title: name, Day: time.Time.String, ByOdometer: true}
		c.Points = []CapacityPoint{{KWh: one("kwh"), LowKWh: one("low kwh"),
			HighKWh: one("high kwh"), OdometerKM: one("km"), Software: name, Tooltip: name}}
		wellFormed(t, "capacity", c.SVG())
		a := Approach{
			Approach: &curve.Approach{FromS: one("from"), ToS: one("plug"), FromC: one("c"), AtPlugC: one("c plug")},
			WarmC:    one("warm"),
			PeopleC:  func(v float64) float64 { return v },
			Unit:     "°C",
		}
		for range n {
			a.Points = append(
				a.Points,
				curve.ApproachPoint{TS: one("at"), ColdestC: run.N(one("coldest")), WarmestC: run.N(one("warmest"))},
			)
		}
		wellFormed(t, "approach", a.SVG())
		u := &decide.Unplug{BestPct: one("best"), LowPct: one("flat from"), HighPct: one("flat to")}
		for range n {
			u.Tens = append(u.Tens, decide.Ten{FromPct: one("from"), ToPct: one("to"), TS: one("takes"), LowS: one("least"),
				HighS: one("most"), KW: one("kw")})
		}
		wellFormed(t, "tens", (&Tens{Title: name, Unplug: u}).SVG())
	})
}
