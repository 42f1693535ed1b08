package draw

import (
	"encoding/xml"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// elements parses a picture and gives its elements by name; it must be well-formed.
func elements(t require.TestingT, svg string) map[string][]map[string]string {
	out := map[string][]map[string]string{}
	d := xml.NewDecoder(strings.NewReader(svg))
	for {
		tok, err := d.Token()
		if err == io.EOF {
			return out
		}
		require.NoError(t, err)
		if e, ok := tok.(xml.StartElement); ok {
			attrs := map[string]string{}
			for _, a := range e.Attr {
				attrs[a.Name.Local] = a.Value
			}
			out[e.Name.Local] = append(out[e.Name.Local], attrs)
		}
	}
}

func number(t require.TestingT, s string) float64 {
	v, err := strconv.ParseFloat(s, 64)
	require.NoError(t, err)
	return v
}

func strip() *Strip {
	return &Strip{
		Title:   `Power of "run" <1>`,
		T:       []float64{0, 20, 40, 1200},
		KW:      []float64{0, 150, 150, 60},
		FromPct: 10,
		ToPct:   80,
		Posts:   []curve.Post{{SoCPct: 10, TS: 30}, {SoCPct: 20, TS: 200}, {SoCPct: 80, TS: 1180}},
		Gaps:    []trace.Span{{From: 300, To: 400}},
		Marks:   []Sign{{TS: 0, Letter: "P", Title: "0:00 plugged in"}, {TS: 4, Letter: "N", Title: `a "note" & more`}},
		Badges:  []Badge{{TS: 100, Number: 1, Title: "Peak"}, {TS: 101, Number: 2, Title: "Ramp"}},
	}
}

// Marks made within seconds of each other hang one below the other, all of them within the picture.
func TestSignsStayWithinTheStrip(t *testing.T) {
	for _, held := range [][]Stretch{nil, {{FromS: 0, ToS: 1200, Cause: limit.Cold}}} {
		for _, narrow := range []bool{false, true} {
			s := strip()
			s.Held, s.Narrow = held, narrow
			s.Marks = append(s.Marks, Sign{TS: 8, Letter: "H"}, Sign{TS: 9, Letter: "L"})
			e := elements(t, s.Large())
			var box [4]float64
			for i, v := range strings.Fields(e["svg"][0]["viewBox"]) {
				box[i] = number(t, v)
			}
			n, lowest := 0, 0.0
			for _, r := range e["rect"] {
				if r["class"] == "sign" {
					n++
					lowest = max(lowest, number(t, r["y"])+number(t, r["height"]))
				}
			}
			assert.Equal(t, 4, n)
			assert.LessOrEqual(t, lowest, box[3], "held %t, narrow %t", held != nil, narrow)
		}
	}
}

func TestLargeStrip(t *testing.T) {
	svg := strip().Large()
	e := elements(t, svg)
	assert.Equal(t, `Power of "run" <1>`, e["svg"][0]["aria-label"], "names are escaped and read")
	flags, ends := 0, 0
	for _, r := range e["rect"] {
		switch r["class"] {
		case "flag":
			flags++
		case "flag-end":
			ends++
		}
	}
	assert.Equal(t, 1, flags)
	assert.Equal(t, 2, ends, "both posts of the headline window stand out")
	assert.Contains(t, svg, "<title>no readings from 5:00 to 6:40</title>")
	assert.Len(t, regexp.MustCompile(`class="sign"`).FindAllString(svg, -1), 2)
	// The cursor is told where the plot lies and what its ends mean.
	s := e["svg"][0]
	assert.Equal(t, "t", s["data-axis"])
	assert.Equal(t, 0.0, number(t, s["data-from"]))
	assert.Equal(t, 1200.0, number(t, s["data-to"]))
	assert.Less(t, number(t, s["data-x0"]), number(t, s["data-x1"]))
}

// The road ends where its readings say: at the highest power the edge is highest, and
// half the power is half the height.
func TestStripIsToScale(t *testing.T) {
	s := &Strip{T: []float64{0, 100, 200}, KW: []float64{100, 50, 0}, TopKW: 100, ToS: 200}
	var d string
	for _, p := range elements(t, s.Large())["path"] {
		if p["class"] == "edge" {
			d = p["d"]
		}
	}
	at := regexp.MustCompile(`[ML]([\d.]+) ([\d.]+)`).FindAllStringSubmatch(d, -1)
	require.Len(t, at, 3)
	y := func(i int) float64 { return number(t, at[i][2]) }
	x := func(i int) float64 { return number(t, at[i][1]) }
	assert.InDelta(t, (y(0)+y(2))/2, y(1), 0.11)
	assert.InDelta(t, (x(0)+x(2))/2, x(1), 0.11)
	assert.Less(t, y(0), y(2), "more power is higher up")
}

// However close posts lie, no flag covers another.
func TestFlagsNeverCoverEachOther(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := &Strip{T: []float64{0, 3600}, KW: []float64{150, 40}}
		at := 0.0
		for soc := 0.0; soc <= 100; soc += 10 {
			at += rapid.Float64Range(50, 400).Draw(t, "gap")
			s.Posts = append(s.Posts, curve.Post{SoCPct: soc, TS: at})
		}
		type box struct{ x, y float64 }
		var boxes []box
		for _, r := range elements(t, s.Large())["rect"] {
			if strings.HasPrefix(r["class"], "flag") {
				boxes = append(boxes, box{number(t, r["x"]), number(t, r["y"])})
			}
		}
		for i, a := range boxes {
			for _, b := range boxes[:i] {
				if math.Abs(a.x-b.x) < 24 && math.Abs(a.y-b.y) < 15 {
					t.Fatalf("flags at %v and %v", a, b)
				}
			}
		}
	})
}

func TestSmallStripLeavesOutWhatLiesBeforeZero(t *testing.T) {
	s := strip()
	s.T, s.KW = append([]float64{-60}, s.T...), append([]float64{140}, s.KW...)
	s.ToS, s.TopKW = 3600, 200
	for _, p := range elements(t, s.Small())["path"] {
		for _, m := range regexp.MustCompile(`[ML]([\d.-]+) `).FindAllStringSubmatch(p["d"], -1) {
			assert.GreaterOrEqual(t, number(t, m[1]), rowX0)
		}
	}
}

func TestAxisAndRowsShareTheirScale(t *testing.T) {
	axis := elements(t, RoadAxis(3600))
	grid := elements(t, RoadGrid(3600))
	require.NotEmpty(t, axis["text"])
	require.Len(t, grid["line"], len(axis["text"]))
	p := plane{x0: rowX0, x1: rowW - rowX1Off, t0: 0, t1: 3600}
	for i, l := range grid["line"] {
		assert.InDelta(t, number(t, axis["text"][i]["x"]), number(t, l["x1"]), 0.1)
	}
	assert.InDelta(t, rowW-rowX1Off, p.x(3600), 1e-9)
}

func TestEmptyStripIsDrawn(t *testing.T) {
	s := &Strip{Title: "nothing"}
	elements(t, s.Large())
	elements(t, s.Small())
}

func TestTicksAreRoundAndInside(t *testing.T) {
	assert.Equal(t, []float64{0, 50, 100, 150, 200}, ticks(0, 200, 4))
	assert.Equal(t, []float64{340, 360, 380, 400}, ticks(335, 402, 5))
	assert.Nil(t, ticks(1, 1, 4))
	assert.Nil(t, ticks(0, math.NaN(), 4))
	rapid.Check(t, func(t *rapid.T) {
		lo := rapid.Float64Range(-1000, 1000).Draw(t, "lo")
		hi := lo + rapid.Float64Range(0.01, 1e5).Draw(t, "span")
		n := rapid.IntRange(2, 10).Draw(t, "n")
		got := ticks(lo, hi, n)
		if len(got) > n+1 {
			t.Fatalf("%d ticks for at most %d steps", len(got), n)
		}
		for _, v := range got {
			if v < lo-1e-6*(hi-lo)-1e-9 || v > hi+1e-6*(hi-lo)+1e-9 {
				t.Fatalf("%g outside %g to %g", v, lo, hi)
			}
		}
	})
	for _, v := range []float64{0.4, 1, 49, 51, 150, 229, 350} {
		assert.GreaterOrEqual(t, niceTop(v), v)
		assert.LessOrEqual(t, niceTop(v), 2.2*v)
	}
	assert.Equal(t, 1.0, niceTop(0))
}

func TestCurvesBreakAtMissingValues(t *testing.T) {
	nan := math.NaN()
	assert.Equal(t, "M0 1L1 2M3 4", path([]float64{0, 1, 2, 3}, []float64{1, 2, nan, 4}))
	k := &Curves{
		Title:    "x",
		XName:    "SoC",
		XUnit:    "%",
		YName:    "Power",
		YUnit:    "kW",
		XFrom:    0,
		XTo:      100,
		FromZero: true,
		Axis:     "soc",
		Lines: []Line{
			{Name: "1 · cold", X: []float64{10, 80}, Y: []float64{100, 60}, Style: 0},
			{Name: "2 · warm", X: []float64{10, 80}, Y: []float64{150, 61}, Style: 1},
			{Name: "3 <all nan>", X: []float64{nan}, Y: []float64{nan}, Style: 2},
		},
	}
	svg := k.SVG()
	e := elements(t, svg)
	var y []float64
	for _, x := range e["text"] {
		if strings.HasPrefix(x["class"], "end-label") {
			y = append(y, number(t, x["y"]))
		}
	}
	require.Len(t, y, 2, "a line without a value has no name at its end")
	assert.GreaterOrEqual(t, math.Abs(y[0]-y[1]), 13.9, "names do not cover each other")
	assert.Equal(t, "100", e["svg"][0]["data-to"])
	assert.Contains(t, svg, "dash-1", "lines differ in dash as well as in colour")
	assert.Contains(t, svg, "Power, kW")
	assert.Contains(t, svg, "SoC, %")
}

func TestMinutesOnTheAxis(t *testing.T) {
	k := &Curves{Minutes: true, Lines: []Line{{X: []float64{0, 1800}, Y: []float64{1, 2}}}}
	svg := k.SVG()
	assert.Contains(t, svg, ">30</text>", "1800 s are 30 minutes")
	assert.NotContains(t, svg, ">1800</text>")
}

func TestStandaloneCarriesFontColoursAndCaption(t *testing.T) {
	svg := Standalone(strip().Large(), `Tamarack 78 & "cold"`, []byte("font"))
	e := elements(t, svg)
	assert.Equal(t, "0 -30 880 256", e["svg"][0]["viewBox"])
	assert.Equal(t, "880", e["svg"][0]["width"])
	assert.Equal(t, "256", e["svg"][0]["height"])
	assert.Contains(t, svg, "base64,Zm9udA==")
	assert.Contains(t, svg, "--yellow: #f4b800")
	assert.Contains(t, svg, `Tamarack 78 &amp; &#34;cold&#34;`)
	assert.NotContains(t, svg, "http://127", "it needs no page")
	long := elements(t, Standalone(strip().Large(), strings.Repeat("word ", 40), nil))
	for _, x := range long["text"] {
		if x["class"] == "caption" {
			assert.LessOrEqual(t, number(t, x["font-size"])*0.5*200, 864.0, "a long caption is set smaller")
		}
	}
}

// Every kind of mark has a sign, and no two that matter share a letter.
func TestSignLetters(t *testing.T) {
	seen := map[string]string{}
	for _, kind := range run.MarkKinds {
		l := SignLetter(kind)
		assert.Len(t, l, 1, kind)
		assert.Empty(t, seen[l], "%s and %s", kind, seen[l])
		seen[l] = kind
	}
}

// Where the plug was out the road is broken, and its height is that of the power that
// was read.
func TestStripOfTwoLegs(t *testing.T) {
	nan := math.NaN()
	s := &Strip{T: []float64{-60, -10, 0, 100, 200, 250, 300, 400}, KW: []float64{20, 30, 150, 140, 130, nan, 120, 110}}
	assert.Equal(t, 150.0, maxOf(s.KW))
	svg := s.Large()
	assert.NotContains(t, svg, "NaN")
	assert.Equal(t, 3, strings.Count(svg, `<path class="road`), "the approach and two legs")
	assert.Equal(t, 1, strings.Count(svg, `<path class="road approach"`))
	assert.Contains(t, svg, ">200<", "the axis is that of 150 kW")
	small := s.Small()
	assert.NotContains(t, small, "NaN")
	assert.Equal(t, 2, strings.Count(small, `<path class="road`))
}

// A name at a line's end stands inside of the picture however long it is: the axis makes room for it, up to a
// point, and past that the name is cut and the line's own title has it whole.
func TestNamesAtTheEndsFit(t *testing.T) {
	const wide = 5.6 // px a letter, with wide ones
	atEnd := regexp.MustCompile(`<text class="end-label run-0"[^>]* x="([0-9.]+)"[^>]*>([^<]*)</text>`)
	long := strings.Repeat("Mill", 25)
	for _, name := range []string{"3", "Tamarack 78, 8 runs", "Wendmere Quarry of the north, 12 runs", long} {
		k := Curves{Lines: []Line{{Name: name, X: []float64{0, 1}, Y: []float64{1, 2}}}, Bands: []Band{{Name: "all"}}}
		svg := k.SVG()
		label := atEnd.FindStringSubmatch(svg)
		require.Len(t, label, 3, name)
		from, err := strconv.ParseFloat(label[1], 64)
		require.NoError(t, err)
		assert.LessOrEqual(t, from+wide*float64(utf8.RuneCountInString(label[2])), 880.0, name)
		assert.True(t, strings.Contains(svg, "<title>"+name+"</title>"), name)
		assert.Equal(t, len(name) < 40, label[2] == name, name)
	}
}
