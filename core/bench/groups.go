package bench

import (
	"slices"

	"gonum.org/v1/gonum/stat"

	"zincroad/core/curve"
)

// group puts runs together by a condition and works out the difference of the first two groups: that
// of the reference, and the largest other one.
func (c *Comparison) group(entries []Entry, ask Ask) {
	by := ask.GroupBy
	if by == "" {
		by = c.Fairness.Isolates
	}
	if by == "" && c.Fairness.Verdict == Confounded {
		for _, d := range c.Fairness.Differs {
			if d.Matters == Does {
				by = d.Condition
				break
			}
		}
	}
	if by == "" && c.Fairness.Verdict == Unlike && slices.ContainsFunc(c.Fairness.Differs, func(d Differs) bool {
		return d.Condition == "car"
	}) {
		by = "car"
	}
	index := slices.IndexFunc(conditionsOfRuns, func(x condition) bool { return x.name == by })
	var groups []Group
	for i, e := range entries {
		by := map[string]Value{}
		if index >= 0 {
			x := conditionsOfRuns[index]
			v := x.value(e)
			if !v.Noted() {
				v = wordsOf(notNoted)
			}
			at := slices.IndexFunc(groups, func(g Group) bool {
				w := g.By[x.name]
				return w == v || w.Noted() && v.Noted() && x.alike(w, v)
			})
			if at >= 0 {
				groups[at].Runs = append(groups[at].Runs, i)
				continue
			}
			by[x.name] = v
		} else if len(groups) > 0 {
			groups[0].Runs = append(groups[0].Runs, i)
			continue
		}
		groups = append(groups, Group{By: by, Runs: []int{i}})
	}
	for i := range groups {
		v := c.timesOf(groups[i].Runs)
		if mean, sd := stat.MeanStdDev(v, nil); len(v) > 0 {
			groups[i].MeanS = &mean
			if len(v) > 1 {
				groups[i].SdS = &sd
			}
		}
	}
	if groups != nil {
		c.Groups = groups
	}
	c.difference(ask)
}

// timesOf are the times of runs in the window: of those that have one, a log that was laid down twice
// once.
func (c *Comparison) timesOf(runs []int) (out []float64) {
	seen := map[int]bool{}
	for _, i := range runs {
		if c.times[i] != nil && !seen[c.copyOf[i]] {
			seen[c.copyOf[i]] = true
			out = append(out, *c.times[i])
		}
	}
	return out
}

// sameLog tells whether two entries are the same run: as long as it is, all its posts lie at the same
// moment to the last digit.
func sameLog(a, b Entry) bool {
	return len(a.Reading.Posts) > 2 && slices.EqualFunc(a.Reading.Posts, b.Reading.Posts, func(p, q curve.Post) bool {
		return p.SoCPct == q.SoCPct && p.TS == q.TS
	}) && a.Run.StartedAt.Equal(b.Run.StartedAt)
}

// difference works out that of the reference's group and the largest other one. One run against one
// goes by the repeats of a logbook, else by those on the bench itself.
func (c *Comparison) difference(ask Ask) {
	first, second := -1, -1
	times := make([][]float64, len(c.Groups))
	for i, g := range c.Groups {
		times[i] = c.timesOf(g.Runs)
		if slices.Contains(g.Runs, c.Reference) {
			first = i
		}
	}
	for i := range times {
		if i != first && len(times[i]) > 0 && (second < 0 || len(times[i]) > len(times[second])) {
			second = i
		}
	}
	if first < 0 {
		return
	}
	a := times[first]
	var b []float64
	switch {
	case second >= 0:
		b = times[second]
	case len(times) == 1 && len(c.Runs) == 2 && len(a) == 2: // two repeats: the one against the other
		a, b = a[:1], a[1:]
		if c.Reference == 1 {
			a, b = b, a
		}
		second = first
	}
	if len(a) == 0 || len(b) == 0 {
		return
	}
	repeats := times
	if len(a) == 1 && len(b) == 1 {
		if known := RepeatsOf(ask.Known, c.Window.FromPct, c.Window.ToPct); len(known) > 0 {
			repeats = known
		}
	}
	d := between(a, b, repeats)
	d.Groups = [2]int{first, second}
	if c.Window.ToPct-c.Window.FromPct < leastWindow { // it is shown, and nothing is concluded from it
		d.LowS, d.HighS, d.Real, d.By = nil, nil, Undecided, ""
	}
	c.Difference = &d
}
