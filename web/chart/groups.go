package chart

import (
	"fmt"
	"math"
	"net/url"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// Group is subjects that are drawn as one: their median, and the band that they fill.
type Group struct {
	Name    string // short, for the end of its line
	Long    string // in a sentence
	Members []int
}

// How finely a group is drawn, and the least stretch of the axis that a run must lie outside for it to be
// said: 2 points of charge, or as large a part of another axis.
const (
	groupSteps   = 200
	leastOutside = 0.02
)

// Grouped draws a channel of groups against an axis; a group of one is its run's own line. It says which
// single runs lie outside of which band, and from where to where.
func Grouped(subjects []Subject, groups []Group, q Query, extra url.Values, title string) (View, []string) {
	v, k := begun(subjects, q, extra, title)
	curves := make([]trace.Series, len(subjects))
	from, to := math.Inf(1), math.Inf(-1)
	for i := range subjects {
		t, y := subjects[i].Column(v.Channel.Channel)
		if t == nil {
			v.Missing = append(v.Missing, subjects[i].Name)
			continue
		}
		x, y := trimmed(t, subjects[i].Against(v.Axis, t), ui.Converted(y, v.Channel.Unit, q.In))
		for n := range x {
			if !math.IsNaN(x[n]) && !math.IsNaN(y[n]) {
				curves[i].T, curves[i].V = append(curves[i].T, x[n]), append(curves[i].V, y[n])
				from, to = min(from, x[n]), max(to, x[n])
			}
		}
	}
	var spreads []bench.Spread
	var names []string
	at := make([]float64, groupSteps+1)
	for i := range at {
		at[i] = from + (to-from)*float64(i)/groupSteps
	}
	for style, g := range groups {
		var members []trace.Series
		for _, m := range g.Members {
			if curves[m].Len() > 0 {
				members = append(members, curves[m])
			}
		}
		switch len(members) {
		case 0:
		case 1:
			k.Lines = append(k.Lines, draw.Line{Name: g.Name, X: members[0].T, Y: members[0].V, Style: style % 8})
		default:
			s := bench.SpreadOf(members, at)
			spreads, names = append(spreads, s), append(names, g.Long)
			k.Lines = append(k.Lines, draw.Line{Name: g.Name, X: at, Y: s.Median, Style: style % 8})
			band := "all of them"
			if !s.Whole {
				band = "the middle 80 of 100"
			}
			k.Bands = append(k.Bands, draw.Band{Name: g.Long + ": " + band, X: at, Low: s.Low, High: s.High, Style: style % 8})
		}
	}
	var said []string
	for _, g := range groups {
		if len(g.Members) != 1 {
			continue
		}
		for n, s := range spreads {
			said = append(said, v.beside(g.Long, names[n], s.Outside(curves[g.Members[0]], leastOutside*(to-from))))
		}
	}
	v.Band = bandsSay(spreads)
	v.finish(k, q)
	return v, said
}

// bandsSay says what the lines and bands of groups are.
func bandsSay(spreads []bench.Spread) string {
	if len(spreads) == 0 {
		return ""
	}
	whole := 0
	for _, s := range spreads {
		if s.Whole {
			whole++
		}
	}
	switch whole {
	case len(spreads):
		return "The line is a group's median, the band holds all of its runs."
	case 0:
		return "The line is a group's median, the band holds the middle 80 of 100 of its runs."
	}
	return "The line is a group's median; the band holds all of its runs, of ten or more the middle 80 of 100."
}

// beside says where a run lies outside of a band.
func (v *View) beside(run, band string, where []bench.Beside) string {
	if len(where) == 0 {
		return ui.Sentence(fmt.Sprintf("%s lies inside of the band of %s", run, band))
	}
	place := func(x float64) string {
		if v.Axis.Channel == "" {
			return words.Clock(x)
		}
		return words.Figure(x, 0)
	}
	parts := make([]string, len(where))
	for i, w := range where {
		side := "below"
		if w.Above {
			side = "above"
		}
		parts[i] = fmt.Sprintf("%s from %s to %s", side, place(w.From), place(w.To))
		if v.Axis.Unit != "" {
			parts[i] += " " + v.Axis.Unit
		}
	}
	return ui.Sentence(fmt.Sprintf("%s lies outside of the band of %s: %s", run, band, strings.Join(parts, ", ")))
}
