package curve_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/curve"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// What no sentence holds, whatever the run: numbers that are none, marks that stand beside each other, and words that
// their numbers contradict.
var (
	notSaid = regexp.MustCompile(`NaN|\bInf\b|\.\.|,\.|\.,|,,|;;|;\.|: ?\.| [,.;](?: |$)|  |: ?$`)
	moved   = regexp.MustCompile(`(rose|fell) (-?[\d.]+) → (-?[\d.]+)`)
	fallen  = regexp.MustCompile(`Fell from ([\d.]+) to ([\d.]+) kW`)
)

// faultOf says what is wrong with a sentence; empty: nothing.
func faultOf(s string) string {
	if at := notSaid.FindString(s); at != "" {
		return fmt.Sprintf("%q in it", at)
	}
	number := func(s string) float64 {
		v, _ := strconv.ParseFloat(s, 64)
		return v
	}
	for _, m := range moved.FindAllStringSubmatch(s, -1) {
		if up := number(m[3]) > number(m[2]); up != (m[1] == "rose") {
			return m[0]
		}
	}
	for _, m := range fallen.FindAllStringSubmatch(s, -1) {
		if number(m[2]) >= number(m[1]) {
			return m[0]
		}
	}
	return ""
}

func TestFaultsOfSentencesAreFound(t *testing.T) {
	for _, bad := range []string{"held it, 3 % lost; then a limit of 143 kW, the stall's or the car's,.", "1 in NaN",
		"power rose 86 → 10 kW", "Fell from 4 to 4 kW", "two..", "a , b"} {
		assert.NotEmpty(t, faultOf(bad), bad)
	}
	for _, good := range []string{"10–80 % in 22 min. The stall's 150 kW held it to 42 %, 2 min 12 s lost; then the car's own taper.",
		"power rose 10 → 86 kW in 12 s", "Fell from 131 to 80 kW at 30 %, 9:58 after plug-in."} {
		assert.Empty(t, faultOf(good), good)
	}
}

// Sentences of random runs, whole and with readings that are nought, negative or missing, are sentences.
func TestSentencesAreSentences(t *testing.T) {
	var list []labelled
	for seed := range uint64(24) {
		rough := kinds[seed%uint64(len(kinds))].rough
		list = append(list, session(seed+500, rough), thirdSession(seed+600, rough))
	}
	for i, l := range list {
		for k := range 3 {
			if k > 0 {
				spoil(l.run.Recordings, rand.New(rand.NewPCG(uint64(i), uint64(k))))
			}
			x := curve.Read(l.run, curve.Options{})
			for _, s := range saidBy(x) {
				assert.Empty(t, faultOf(s), "run %d, spoilt %d times: %s", i, k, s)
			}
		}
	}
}

// spoil puts a nought, a value below it, or none into single readings, the last one of each column among them.
func spoil(list []*trace.Recording, r *rand.Rand) {
	for _, rec := range list {
		for _, in := range trace.Channels {
			col := rec.Columns[in.Channel]
			for range min(3, len(col)) {
				at := r.IntN(len(col))
				if r.IntN(3) == 0 {
					at = len(col) - 1
				}
				col[at] = []float64{0, -0.4, math.NaN()}[r.IntN(3)]
			}
		}
	}
}

// saidBy is everything that a reading says.
func saidBy(x *curve.Reading) (out []string) {
	for _, f := range x.Findings {
		out = append(append(out, f.Text.Kept()), say.AllKept(f.Evidence)...)
	}
	for _, c := range x.Ceilings {
		out = append(append(out, c.What.Kept()), say.AllKept(c.Evidence)...)
	}
	for _, rec := range x.Recordings {
		out = append(out, say.AllKept(rec.Means)...)
		for _, p := range rec.Health {
			out = append(out, p.Reason.Kept())
		}
	}
	for _, c := range x.Claims {
		out = append(out, c.Why.Kept())
	}
	return out
}
