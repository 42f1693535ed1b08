package draw

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"zincroad/core/limit"
)

// Every ceiling that a band can show has a letter of its own, and a hatch of its
// own unless there is nothing to hatch.
func TestCeilingsAreToldApartWithoutColour(t *testing.T) {
	letters, tiles := map[string]bool{}, map[string]bool{}
	for _, s := range limit.Signs {
		look := LookOf(s.Cause)
		assert.False(t, letters[look.Letter], "%s has a letter of its own", s.Cause)
		letters[look.Letter] = true
		if tile := look.Hatch; tile != "" {
			assert.False(t, tiles[tile], "%s has a hatch of its own", s.Cause)
			tiles[tile] = true
		} else {
			assert.Contains(t, []limit.Cause{limit.Paused, limit.Unknown}, s.Cause)
		}
	}
}

func TestBandUnderAStrip(t *testing.T) {
	s := strip()
	s.Held = []Stretch{{0, 40, limit.Ramp}, {40, 600, limit.StallCurrent}, {600, 1200, limit.PackTaper}}
	svg := s.Large()
	e := elements(t, svg)
	assert.Len(t, e["pattern"], 4, "three hatches and that of gaps")
	held := 0
	for _, r := range e["rect"] {
		if r["class"] == "held" {
			held++
			assert.GreaterOrEqual(t, number(t, r["y"]), 168.0, "under the road")
		}
	}
	assert.Equal(t, 3, held)
	assert.Contains(t, svg, "A  stall&#39;s current")
	assert.Contains(t, svg, "<title>pack&#39;s taper, 10:00 to 20:00</title>")
}

// Half of an hour's way lies left of the plug, and the charge stands at its height:
// the axis goes from 0 to 100 %.
func TestTimeline(t *testing.T) {
	l := &Timeline{
		Title:   "plan",
		T:       []float64{-1800, 0, 1800},
		SoC:     []float64{50, 0, 100},
		Coldest: []float64{5, 15, 25},
		Warmest: []float64{5, 16, 30},
		WantedC: 20,
		Bars:    []Bar{{-1800, -600, "drive", "drive"}, {-600, 0, "heat", "heater 4 kW"}},
		Signs: []ClockSign{
			{-1800, "17:00", "leave", true},
			{0, "17:30", "plug in", true},
			{60, "17:31", "50 %", false},
			{1800, "18:00", "unplug", true},
		},
	}
	e := elements(t, l.SVG())
	x0, x1 := 30.0, 846.0
	var path string
	for _, p := range e["path"] {
		if p["class"] == "soc-line" {
			path = p["d"]
		}
	}
	assert.Equal(t, "M30 87L438 152L846 22", path, "50 %% is half way up from %g to %g", x0, x1)
	signs := 0
	type box struct{ x, y, w float64 }
	var boxes []box
	for _, r := range e["rect"] {
		if strings.HasPrefix(r["class"], "clock-sign") {
			signs++
			boxes = append(boxes, box{number(t, r["x"]), number(t, r["y"]), number(t, r["width"])})
		}
	}
	require.Equal(t, 4, signs)
	l.Narrow = true
	narrow := l.SVG()
	assert.NotContains(t, narrow, "clock-sign", "on a phone the signs stand in a list")
	for _, p := range elements(t, narrow)["path"] {
		if p["class"] == "soc-line" {
			assert.Equal(t, "M30 87L181 152L332 22", p["d"],
				"the same way on 366 points, 34 of them for the temperatures")
		}
	}
	for i, a := range boxes {
		for _, b := range boxes[i+1:] {
			assert.False(t, a.y == b.y && a.x < b.x+b.w && b.x < a.x+a.w, "signs do not cover each other")
		}
	}
}

// Whatever the plan, the picture is well-formed and nothing is written beyond its
// sides.
func TestTimelineStaysWithinItsPicture(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		before := rapid.Float64Range(60, 60000).Draw(t, "before")
		after := rapid.Float64Range(60, 20000).Draw(t, "after")
		l := &Timeline{
			T:       []float64{-before, 0, after},
			SoC:     []float64{90, 10, 80},
			Coldest: []float64{rapid.Float64Range(-30, 30).Draw(t, "c"), 5, 20},
			Warmest: []float64{30, 30, 50},
			WantedC: math.NaN(),
		}
		if rapid.Bool().Draw(t, "cut") {
			l.CutS = -before / 2
		}
		for range rapid.IntRange(0, 9).Draw(t, "signs") {
			l.Signs = append(
				l.Signs,
				ClockSign{
					TS:    rapid.Float64Range(-before, after).Draw(t, "at"),
					Clock: "Mon 12:34",
					Text:  "plug in at 10 %",
				},
			)
		}
		svg := l.SVG()
		require.NotContains(t, svg, "NaN")
		for _, r := range elements(t, svg)["rect"] {
			if strings.HasPrefix(r["class"], "clock-sign") {
				require.GreaterOrEqual(t, number(t, r["x"]), 0.0)
				require.LessOrEqual(t, number(t, r["x"])+number(t, r["width"]), 880.0)
			}
		}
	})
}

// A limit far above everything is named with an arrow, not drawn; the lowest is inked.
func TestLimits(t *testing.T) {
	flat := func(kw float64) []float64 {
		v := make([]float64, 101)
		for i := range v {
			v[i] = kw
		}
		return v
	}
	l := &Limits{Title: "limits", FromPct: 10, ToPct: 80, Holds: flat(100), Lines: []Limit{
		{
			limit.StallPower,
			"stall, 350 kW",
			flat(350),
		}, {limit.CarPower, "car, 150 kW", flat(150)}, {limit.PackTaper, "pack's taper", flat(100)}}}
	svg := l.SVG()
	e := elements(t, svg)
	assert.Contains(t, svg, "↑ stall, 350 kW")
	assert.Contains(t, svg, `class="limit-name-on" text-anchor="start"`)
	var inked string
	for _, p := range e["path"] {
		if p["class"] == "inked" {
			inked = p["d"]
		}
	}
	// 22 to 190 from top to base, 200 kW at the top: 100 kW is half way, at 106.
	assert.True(t, strings.HasPrefix(inked, "M30 106"), inked[:12])
	names := map[string]float64{}
	for _, n := range e["text"] {
		if strings.HasPrefix(n["class"], "limit-name") {
			for _, y := range names {
				assert.GreaterOrEqual(t, math.Abs(y-number(t, n["y"])), 12.9, "names do not cover each other")
			}
			names[n["y"]] = number(t, n["y"])
		}
	}
}
