package bench

import (
	"fmt"
	"net/url"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/web/chart"
)

// group draws the curves as groups where that was asked for, and offers it where there is one of two runs.
func (v *benchView) group(q chart.Query, address url.Values, extra url.Values, subjects []chart.Subject) {
	if len(subjects) < 3 {
		return
	}
	asked := address.Get("lines") == "groups"
	by := address.Get("by")
	to := func(lines, by string) string {
		with := url.Values{}
		for k, values := range extra {
			if k != "lines" && k != "by" {
				with[k] = values
			}
		}
		if lines != "" {
			with.Set("lines", lines)
		}
		if by != "" {
			with.Set("by", by)
		}
		return "/bench" + q.With("", "", with) + "#curve"
	}
	v.Lines = []chart.Choice{chart.A("each run", to("", by), !asked), chart.A("groups", to("groups", by), asked)}
	current := ""
	for _, g := range v.Compared.Groups {
		for k := range g.By {
			current = k
		}
	}
	for _, d := range v.Compared.Fairness.Differs {
		name, _ := bench.InWords(d.Condition)
		v.By = append(v.By, chart.A(strings.TrimPrefix(name.In(q.In), "the "), to("groups", d.Condition),
			asked && d.Condition == current))
	}
	entries := make([]bench.Entry, len(subjects))
	for i, s := range subjects {
		entries[i] = bench.Entry{Run: v.Entries[i].described, Reading: s.Reading}
	}
	for _, name := range bench.Sorts(entries) {
		words, _ := bench.InWords(name)
		v.By = append(v.By, chart.A(strings.TrimPrefix(words.In(q.In), "the "), to("groups", name), asked && name == current))
	}
	if !asked {
		return
	}
	var groups []chart.Group
	for _, g := range v.Compared.Groups {
		short, long := v.groupName(g, q.In)
		groups = append(groups, chart.Group{Name: short, Long: long, Members: g.Runs})
	}
	v.Chart, v.Beside = chart.Grouped(subjects, groups, q, extra, v.Heading)
}

// groupName is a group in a few words and in a sentence: a run's own name where it is alone.
func (v *benchView) groupName(g bench.Group, in units.People) (short, long string) {
	if len(g.Runs) == 1 {
		name := v.Entries[g.Runs[0]].Name
		return name, bench.InSentence(name).In(in)
	}
	short = fmt.Sprintf("%d %s", len(g.Runs), words.Plural(len(g.Runs), "run"))
	long = "the " + short
	for k, value := range g.By {
		name, values := bench.InWords(k, value)
		short = values[0].In(in) + ", " + short
		long += " with " + strings.TrimPrefix(name.In(in), "the ") + " " + values[0].In(in)
	}
	return short, long
}

// groupedBy is the condition that the address groups by; empty: what the comparison isolates.
func groupedBy(address url.Values) string {
	if by := address.Get("by"); bench.IsCondition(by) {
		return by
	}
	return ""
}
