package bench

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/say"
)

const (
	oddLostS = 60.0 // minutes lost to what took nothing from the others, from so much on
	oddGapS  = 60.0 // power that was bridged
)

// Odd says what is odd about a run beside others that it should be like: conditions in which all of them are
// alike and it alone is not, a replug, a gap, and time lost to what took none of theirs. Empty: nothing that
// was noted tells it apart.
func Odd(entries []Entry, run int, others []int) []say.Text {
	var out []say.Text
	for _, c := range conditionsOfRuns {
		own := c.value(entries[run])
		if !own.Noted() || c.sorts || len(others) == 0 {
			continue
		}
		values := make([]Value, len(others))
		for i, o := range others {
			values[i] = c.value(entries[o])
		}
		differ, noted := c.differs(values)
		apart := true
		for _, v := range values {
			apart = apart && v.Noted() && !c.alike(own, v)
		}
		if noted == len(others) && apart && (!differ || c.same != nil) {
			out = append(out, say.T("bench.not", say.T("odd."+c.name), own.in(c.unit), c.spanOf(values)))
		}
	}
	r := entries[run].Reading
	if n := len(r.Legs); n > 1 && !anyOf(entries, others, func(e Entry) bool { return len(e.Reading.Legs) > 1 }) {
		out = append(out, say.T("bench.plugged-in-times", n))
	}
	if s := r.Energy.BridgedS; s != nil && *s >= oddGapS {
		out = append(out, say.T("bench.without-readings", say.Duration(math.Round(*s))))
	}
	lost := lostBy(entries[run])
	for _, sign := range limit.Signs {
		cause := sign.Cause
		if s := lost[cause]; s >= oddLostS &&
			!anyOf(entries, others, func(e Entry) bool { return lostBy(e)[cause] >= oddLostS/2 }) {
			out = append(out, say.T("bench.of-lost-to", say.Duration(math.Round(s)), say.Window(r.Pace.FromPct,
				r.Pace.ToPct), cause.Text()))
		}
	}
	return out
}

// spanOf writes the values of others: one where they are alike, else from the least to the most.
func (c condition) spanOf(values []Value) say.Text {
	low, high, _ := extremes(values)
	if c.same == nil || low == high {
		return values[0].in(c.unit)
	}
	return say.T("bench.low-to", low.quantity(c.unit), high.quantity(c.unit))
}

func anyOf(entries []Entry, of []int, is func(Entry) bool) bool {
	for _, i := range of {
		if is(entries[i]) {
			return true
		}
	}
	return false
}

// lostBy is the time lost to each cause in the headline window, s.
func lostBy(e Entry) map[limit.Cause]float64 {
	out := map[limit.Cause]float64{}
	if e.Reading.Pace != nil {
		for _, l := range e.Reading.Pace.Lost {
			out[l.Cause] += l.Minutes * 60
		}
	}
	return out
}
