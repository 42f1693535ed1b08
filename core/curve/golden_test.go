package curve_test

import (
	"crypto/sha256"
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
)

var update = flag.Bool("update", false, "write testdata/golden.txt anew")

const goldenFile = "testdata/golden.json"

// goldenRuns are fixed runs that reach every figure: two sides with a gap and a spike, two
// legs with an attempt before them, a log of notes, and a screen that was read by whole
// per cents beside a tariff.
func goldenRuns() []*run.Run {
	n := run.N
	log := func(side trace.Side, fromS, toS, everyS, whole float64, kw func(t float64) float64) *trace.Recording {
		r := &trace.Recording{Name: string(side) + ".csv", Side: side, SoCResolutionPct: whole,
			Columns: map[trace.Channel][]float64{}}
		energy := 0.0
		for t := fromS; t <= toS; t += everyS {
			p := kw(t)
			energy += max(0, p) * everyS / 3600
			soc := 8 + energy/0.75
			if whole > 0 {
				soc = math.Floor(soc/whole) * whole
			}
			r.T = append(r.T, t)
			for c, v := range map[trace.Channel]float64{trace.SoC: min(100, soc), trace.Power: p,
				trace.Voltage: 340 + soc*0.6, trace.BatteryTempMin: 12 + t/200, trace.AmbientTemp: 6.5, trace.Energy: energy} {
				r.Columns[c] = append(r.Columns[c], v)
			}
		}
		return r
	}
	curveOf := func(t float64) float64 {
		switch {
		case t < 20:
			return 0
		case t < 60:
			return (t - 20) * 3.5
		case t < 700:
			return 140 + math.Sin(t/40)
		}
		return max(0.2, 140-(t-700)*0.06)
	}
	stall := &run.Stall{
		RatedKW: n(150),
		MaxA:    n(350),
		Tariff: &run.Tariff{Currency: "EUR", PerKWh: n(0.5), SessionFee: n(1),
			PerMin: []run.Tier{{UpToKW: n(90), Price: n(0.1)}, {Price: n(0.2)}}},
	}
	car := &run.Car{Name: "Larch", UsableKWh: n(75), MaxKW: n(160)}

	both := &run.Run{Car: car, Stall: stall, Method: &run.Method{FromPct: n(10), ToPct: n(80), Clock: "plug"},
		Recordings: []*trace.Recording{log(trace.CarSide, -30, 2000, 2, 0, curveOf),
			log(trace.StallSide, -10, 2000, 1, 0, func(t float64) float64 { return curveOf(t) * 1.06 })},
		Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}, {TS: 1990, Kind: run.Stop}, {TS: 2000, Kind: run.Unplug}}}
	power := both.Recordings[1].Columns[trace.Power]
	power[300] += 80
	var silent []int
	for i := 900; i < 980; i++ {
		silent = append(silent, i)
	}
	both.Recordings[1] = both.Recordings[1].Without(silent)

	legs := &run.Run{
		Car: car,
		Recordings: []*trace.Recording{log(trace.CarSide, 0, 1500, 5, 0.5, func(t float64) float64 {
			if t > 600 && t < 700 {
				return 0
			}
			return curveOf(t)
		})},
		Marks: []run.Mark{{TS: 2, Kind: run.Attempt}, {TS: 8, Kind: run.PlugIn}, {TS: 620, Kind: run.Unplug},
			{TS: 690, Kind: run.PlugIn}, {TS: 1500, Kind: run.Unplug}},
	}
	notes := &run.Run{Stall: stall, Recordings: []*trace.Recording{log(trace.StallSide, 30, 1500, 120, 1, curveOf)}}
	return []*run.Run{both, legs, notes}
}

// What the fixed runs come to changes only together with the version of the arithmetic, by
// which kept results are known to be old. Numbers are compared to nine digits: machines
// differ in the last ones.
func TestFiguresChangeOnlyWithTheVersion(t *testing.T) {
	var runs []any
	for _, r := range goldenRuns() {
		text, err := json.Marshal(curve.ReadAll(r))
		require.NoError(t, err)
		var v any
		require.NoError(t, json.Unmarshal(text, &v))
		runs = append(runs, nineDigits(v))
	}
	text, err := json.MarshalIndent(map[string]any{"version": curve.Version, "runs": runs}, "", " ")
	require.NoError(t, err)
	got := string(text) + "\n"
	if *update {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(goldenFile, []byte(got), 0o644))
	}
	kept, err := os.ReadFile(goldenFile)
	require.NoError(t, err)
	want := string(kept)
	if want != got && strings.HasSuffix(want, fmt.Sprintf("\"version\": %d\n}\n", curve.Version)) {
		t.Errorf("Figures have changed and curve.Version is still %d: kept results would stay as they were. "+
			"Count it up, then go test ./core/curve -run Version -update.", curve.Version)
	}
	require.Equal(t, want, got, "go test ./core/curve -run Version -update")
}

// longColumn is from how many numbers on a list is kept as a digest: it is a curve's column.
const longColumn = 60

func nineDigits(v any) any {
	switch x := v.(type) {
	case float64:
		return fmt.Sprintf("%.9g", x)
	case []any:
		for i := range x {
			x[i] = nineDigits(x[i])
		}
		if len(x) >= longColumn {
			text, _ := json.Marshal(x) // of texts
			return fmt.Sprintf("%d values, %x", len(x), sha256.Sum256(text))
		}
	case map[string]any:
		for k := range x {
			x[k] = nineDigits(x[k])
		}
	}
	return v
}
