package film

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// Recording is what was read of the channels among the figures, a reading for each look that gave one.
func Recording(name string, side trace.Side, figures []Figure, looks []Look, read [][]Reading) *trace.Recording {
	rec := &trace.Recording{Name: name, Side: side, Columns: map[trace.Channel][]float64{}}
	for i, l := range looks {
		row := map[trace.Channel]float64{}
		for k, f := range figures {
			if r := read[i][k]; f.Channel != Minutes && r.Counts() {
				row[f.Channel] = r.Value
			}
		}
		if len(row) == 0 {
			continue
		}
		rec.T = append(rec.T, l.TS)
		for _, f := range figures {
			if f.Channel == Minutes {
				continue
			}
			v, ok := row[f.Channel]
			if !ok {
				v = math.NaN()
			}
			rec.Columns[f.Channel] = append(rec.Columns[f.Channel], v)
		}
	}
	return rec
}

// Question is a figure that says one thing at looks in a row, and nobody can tell what.
type Question struct {
	Figure   int
	From, To int // looks, both included
	Said     string
	Maybe    []float64 // the likeliest first
}

// Questions are what somebody would have to look at: where a figure is in doubt at looks in a row and the picture
// says the same, once. The longest come first: their answers are worth most.
func Questions(figures []Figure, read [][]Reading) []Question {
	var out []Question
	for k := range figures {
		open := -1
		for i := range read {
			r := read[i][k]
			if r.How != Doubtful {
				if r.How != Nothing {
					open = -1
				}
				continue
			}
			if open >= 0 && out[open].Said == r.Said {
				out[open].To = i
				continue
			}
			open = len(out)
			out = append(out, Question{Figure: k, From: i, To: i, Said: r.Said, Maybe: r.Maybe})
		}
	}
	slices.SortStableFunc(out, func(a, b Question) int { return (b.To - b.From) - (a.To - a.From) })
	return out
}

// Pace is how the screen's own minutes say that a clip runs: its start, in seconds of the run, and how many times as
// fast as the run it goes. clipS are the looks' times in the clip. False where the screen has no minutes, or too few
// of them.
func Pace(figures []Figure, clipS []float64, read [][]Reading) (startS, speed float64, ok bool) {
	var t, m []float64
	for k, f := range figures {
		if f.Channel != Minutes {
			continue
		}
		whole := true
		for i := range read {
			if r := read[i][k]; r.Counts() {
				t, m = append(t, clipS[i]), append(m, 60*r.Value)
				whole = whole && r.Value == math.Trunc(r.Value)
			}
		}
		if whole { // the middle of the minute that it shows
			for i := range m {
				m[i] += 30
			}
		}
	}
	const fewest = 8
	if len(t) < fewest || m[len(m)-1]-m[0] < 180 {
		return 0, 0, false
	}
	// The line through the medians (Theil 1950, Sen 1968), of points half the clip apart.
	var slopes, starts []float64
	half := len(t) / 2
	for i := range half {
		if d := t[i+half] - t[i]; d > 0 {
			slopes = append(slopes, (m[i+half]-m[i])/d)
		}
	}
	if len(slopes) == 0 {
		return 0, 0, false
	}
	slices.Sort(slopes)
	speed = slopes[len(slopes)/2]
	for i := range t {
		starts = append(starts, m[i]-speed*t[i])
	}
	slices.Sort(starts)
	return starts[len(starts)/2], speed, speed > 0
}
