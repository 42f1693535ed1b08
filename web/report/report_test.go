package report

import (
	"bytes"
	"encoding/csv"
	"encoding/xml"
	"regexp"
	stdslices "slices"
	"strings"
	"testing"
	"time"

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
	require.NoError(t, Write(&b, bench.SubjectsOf(runs), Cover{}))
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

// An author's words keep their emphasis, lists and links; nothing in them is fetched, run, or passed on.
func TestWordsAreMadeSafe(t *testing.T) {
	said, err := Said("# A night\n\n*wet* [log](https://example.org/log) ![x](https://example.org/x.png)\n\n" +
		"<script>alert(1)</script><img src=x onerror=alert(1)> [bad](javascript:alert(1)) <iframe src=x></iframe>")
	require.NoError(t, err)
	assert.Contains(t, string(said), "<em>wet</em>")
	assert.Contains(t, string(said), `<a href="https://example.org/log" rel="nofollow noreferrer">log</a>`)
	for _, never := range []string{"<script", "<img", "javascript:", "<iframe", "onerror"} {
		assert.NotContains(t, string(said), never)
	}
}

// A table as CSV and as Markdown has the same cells, whatever a title says: a bar in it makes no column.
func TestTheTable(t *testing.T) {
	c, err := Make(Subjects(bench.SubjectsOf([]*run.Run{charged("wet | *cold*", 50)})))
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(c.CSV)).ReadAll()
	require.NoError(t, err)
	at := stdslices.IndexFunc(rows, func(r []string) bool { return r[7] == "10" && r[8] == "80" })
	require.Positive(t, at)
	assert.Equal(t, []string{"wet | *cold*", "Alder", "", "", "", "plug", "car", "10", "80", "50.40", "42.00", "50.0"}, rows[at])
	md, err := MarkdownOf(c.CSV)
	require.NoError(t, err)
	assert.Contains(t, md, `| wet \| \*cold\* | Alder |  |`)
	for line := range strings.Lines(md) {
		assert.Equal(t, 13, strings.Count(strings.ReplaceAll(line, `\|`, ""), "|"))
	}
}

// The same runs have the same hash; another figure, another word of theirs or other data has another.
func TestTheHash(t *testing.T) {
	of := func(kw float64) *Content {
		c, err := Make(Subjects(bench.SubjectsOf([]*run.Run{charged("wet", kw)})))
		require.NoError(t, err)
		return c
	}
	assert.Equal(t, HashOf(of(50), []byte("log")), HashOf(of(50), []byte("log")))
	assert.NotEqual(t, HashOf(of(50), []byte("log")), HashOf(of(51), []byte("log")))
	assert.NotEqual(t, HashOf(of(50), []byte("log")), HashOf(of(50), []byte("lag")))
}

// A part that is left out is gone, the verdict and the cautions stay; where a run did not keep to its method it is said.
func TestPartsAndDepartures(t *testing.T) {
	r := charged("late", 50)
	r.Method = &run.Method{Name: "5 to 90", FromPct: run.N(5), ToPct: run.N(90)}
	list := Subjects(bench.SubjectsOf([]*run.Run{r}))
	whole, err := Make(list)
	require.NoError(t, err)
	assert.Contains(t, whole.HTML, "It began at 10 %, not at 5.")
	assert.Contains(t, whole.HTML, "It ended at 81 %, not at 90.")
	assert.Contains(t, whole.HTML, "only the car&#39;s side was read")
	assert.Contains(t, whole.HTML, "from plug-in, the car&#39;s side")
	r.StartedAt, r.Timezone = time.Date(2026, 2, 3, 23, 30, 0, 0, time.UTC), "Europe/Berlin"
	abroad, err := Make(Subjects(bench.SubjectsOf([]*run.Run{r})))
	require.NoError(t, err)
	assert.Contains(t, abroad.HTML, "4 February 2026", "the day where it was charged")
	for part, says := range map[string]string{PartHeld: "The letters stand", PartPosts: "Posts: when", PartWindows: ">energy, kWh<",
		PartFigures: "How each figure"} {
		assert.Contains(t, whole.HTML, says)
		less, err := Make(list, part)
		require.NoError(t, err)
		assert.NotContains(t, less.HTML, says)
		assert.Contains(t, less.HTML, "What to mind")
	}
}
