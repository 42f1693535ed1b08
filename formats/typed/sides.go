package typed

import (
	"fmt"
	"math"
	"strings"

	"zincroad/core/trace"
)

// bothSides tells whether a number stands behind a word for the car and behind one for the stall.
func bothSides(list []string) bool {
	said := map[trace.Side]bool{}
	for i, w := range list[:max(0, len(list)-1)] {
		if side, ok := sides[bareWord(w)]; ok && number.MatchString(strings.TrimRight(list[i+1], ",")) {
			said[side] = true
		}
	}
	return len(said) == 2
}

// turnsTo tells whether a word says whose the next number is: the line says it of both, or the number has a unit.
func (r *reader) turnsTo(side trace.Side) bool {
	if len(r.words) == 0 || len(r.rest) > 0 {
		return false
	}
	m := number.FindStringSubmatch(strings.TrimRight(r.words[0], ","))
	if m == nil || m[2] == "" && !r.both {
		return false
	}
	r.side = side
	return true
}

func bareWord(w string) string {
	return strings.ToLower(strings.Trim(strings.TrimRight(w, ","), ":.,()"))
}

// extremesFirst puts the words for the coldest and the warmest cell before their temperature where a line says them
// behind it: 3.5C min 4C max. The last of them tells which way a line goes.
func extremesFirst(list []string) []string {
	extreme := func(i int) bool {
		if i < 0 || i >= len(list) {
			return false
		}
		s, ok := subjects[bareWord(list[i])]
		return ok && (s.of[string(trace.BatteryTemp)] == trace.BatteryTempMin ||
			s.of[string(trace.BatteryTemp)] == trace.BatteryTempMax)
	}
	temperature := func(i int) bool {
		if i < 0 || i >= len(list) {
			return false
		}
		m := number.FindStringSubmatch(strings.TrimRight(list[i], ","))
		return m != nil && unitChannel[strings.ToLower(m[2])].channel == trace.BatteryTemp
	}
	last := len(list) - 1
	for last >= 0 && !extreme(last) {
		last--
	}
	if last < 0 || temperature(last+1) || !temperature(last-1) {
		return list
	}
	for i := 1; i <= last; i++ {
		if extreme(i) && temperature(i-1) {
			list[i-1], list[i] = list[i], list[i-1]
		}
	}
	return list
}

// risingCharge takes the charge at both ends of a level.
func (r *reader) risingCharge(w string) bool {
	m := rising.FindStringSubmatch(w)
	if m == nil || math.IsNaN(r.line.ToTS) {
		return false
	}
	r.measured(trace.SoC, "%", m[1], w)
	if v, ok := r.value(m[2], w); ok && r.problem == "" {
		if r.line.ToPct = v; v < r.line.Values[trace.SoC] || v > 100 {
			r.problem = fmt.Sprintf("%q: expected a charge that rises, such as 5-18%%", w)
		}
	}
	return true
}
