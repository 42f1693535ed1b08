package bench

import (
	"fmt"
	"slices"
	"strings"

	"zincroad/core/say"
	"zincroad/core/units"
)

// nameLength is how many letters the end of a line has room for.
const nameLength = 19

// apart is what stands between a run's number and what tells it apart.
const apart = " · "

// telling are the conditions that can name a run on the bench.
var telling = []string{"car", "profile", "software", "stall", "preconditioned", "battery_c"}

// Names gives each run a short name, for the end of a line: its number, its car where cars
// differ, and else the condition that tells most runs apart.
func Names(entries []Entry, numbers []int64, in units.People) []string {
	by, most := -1, 1
	conditions := Conditions(entries)
	for i, c := range conditions {
		n := len(distinct(c.Values))
		if slices.Contains(telling, c.Key) && (n > most || c.Key == "car" && n > 1) {
			by, most = i, n
		}
		if c.Key == "car" && most > 1 {
			break
		}
	}
	out := make([]string, len(entries))
	for i := range entries {
		out[i] = fmt.Sprint(numbers[i])
		if by >= 0 {
			out[i] += apart + conditions[by].Values[i].In(in)
		}
		if r := []rune(out[i]); len(r) > nameLength {
			out[i] = strings.TrimSpace(string(r[:nameLength-1])) + "…"
		}
	}
	return out
}

// InSentence writes a short name as a sentence has it: "run 12 (Larch 52)".
func InSentence(name string) say.Text {
	if number, what, ok := strings.Cut(name, apart); ok {
		return say.T("bench.run-with", number, what)
	}
	return say.T("bench.run", name)
}
