package report

import (
	"bytes"
	"encoding/xml"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/bench"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// charged is a run that took so much from 10 to 80 % of 60 kWh, at a stall of that power.
func charged(title string, kw float64) *run.Run {
	car := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	for soc, t := 10.0, 0.0; soc < 81; t += 10 {
		car.T = append(car.T, t)
		car.Columns[trace.SoC] = append(car.Columns[trace.SoC], soc)
		car.Columns[trace.Power] = append(car.Columns[trace.Power], kw)
		soc += kw * 10 / 36 / 60
	}
	return &run.Run{Title: title, Car: &run.Car{Name: "Alder", UsableKWh: run.N(60)},
		Stall:      &run.Stall{RatedKW: run.N(kw)},
		Conditions: &run.Condition{Preconditioned: "none"}, Recordings: []*trace.Recording{car}}
}

func written(t *testing.T, runs ...*run.Run) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, Write(&b, bench.SubjectsOf(runs)))
	return b.String()
}

// The page says the verdict first, how it was tested and what nobody noted; it asks nothing of anybody: no script, no
// address of another place, and what a tester wrote stays a text.
func TestReportIsWholeInItself(t *testing.T) {
	page := written(t, charged(`warm <script>alert(1)</script>`, 50))
	for _, says := range []string{"<h1>10–80 % in 50 min", "Not preconditioned.",
		"Not noted: the software, the temperature outside, the stall", "stall&#39;s power", "<svg"} {
		assert.True(t, strings.Contains(page, says), says)
	}
	assert.False(t, strings.Contains(page, "<script"))
	for _, link := range regexp.MustCompile(`(?:src|href|url)\s*[=(]\s*["']?([^"')\s>]+)`).FindAllStringSubmatch(page,
		-1) {
		assert.True(t, strings.HasPrefix(link[1], "#") || strings.HasPrefix(link[1], "data:"), link[0])
	}
	assert.Less(t, len(page), 400_000)
	for _, picture := range regexp.MustCompile(`(?s)<svg.*?</svg>`).FindAllString(page, -1) {
		require.NoError(t, xml.Unmarshal([]byte(picture), new(struct{})))
	}
}

// Several runs are laid side by side first; the same runs make the same page.
func TestReportOfSeveral(t *testing.T) {
	page := written(t, charged("slow", 50), charged("quick", 100))
	heading := regexp.MustCompile(`<h1>(.*)</h1>`).FindStringSubmatch(page)
	require.NotNil(t, heading)
	assert.Regexp(t, `10–80 % took 50 min .* in “slow”, 25 min .* shorter in “quick”`, heading[1])
	assert.True(t, page == written(t, charged("slow", 50), charged("quick", 100)))
}
