package details

import (
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// What is stored fills the form, and the form unchanged stores the same.
func TestDetailsSurviveTheForm(t *testing.T) {
	carID, stallID := int64(3), int64(4)
	at := ui.NewFields(url.Values{"at": {"2026-02-03T18:20:07"}}).Moment("at", time.UTC)
	row := &logbook.Run{
		Title:             "Cold soak",
		StartedAt:         at,
		Timezone:          "Europe/Lisbon",
		CarID:             &carID,
		StallID:           &stallID,
		MethodName:        "10-80 stop",
		FromPct:           run.N(10),
		ToPct:             run.N(80),
		Clock:             "power",
		MethodClimate:     "off",
		AmbientC:          run.N(-3.5),
		BatteryC:          run.N(0),
		Preconditioned:    "car",
		PreconditionedMin: run.N(32),
		Profile:           "gentle",
		Climate:           "on",
		Weather:           "sleet",
	}
	var again logbook.Run
	f := ui.NewFields(Values(row))
	Read(f, &again)
	require.True(t, f.OK(), f.Errors)
	assert.Equal(t, *row, again)

	f = ui.NewFields(url.Values{"from_pct": {"80"}, "to_pct": {"10"}, "software": {"2.4"}})
	Read(f, &again)
	assert.Contains(t, f.Errors["to_pct"], "expected more than the start, 80")
	assert.Contains(t, f.Errors["software"], "Choose the car")
}

// A start that nobody changed stays what it was, though the form shows it to the second, and in an hour that comes
// twice; one that was changed is what was typed, and another zone makes another time of it.
func TestAStartThatNobodyChanged(t *testing.T) {
	for _, at := range []time.Time{
		time.Date(2026, 2, 3, 18, 20, 7, 654_321_000, time.UTC),
		time.Date(2026, 2, 3, 18, 20, 0, 0, time.UTC),
		time.Date(2026, 10, 25, 0, 30, 12, 0, time.UTC), // 1:30 in summer time
		time.Date(2026, 10, 25, 1, 30, 12, 0, time.UTC), // and an hour later
	} {
		row := &logbook.Run{StartedAt: &at, Timezone: "Europe/Lisbon"}
		shown := Values(row)
		for _, text := range []string{shown.Get("started_at"), strings.TrimSuffix(shown.Get("started_at"), ":00")} {
			again := *row
			shown.Set("started_at", text)
			Read(ui.NewFields(shown), &again)
			assert.True(t, again.StartedAt.Equal(at), "%s: %s", text, again.StartedAt)
		}
		again := *row
		shown.Set("started_at", "2026-02-03T19:00:00")
		Read(ui.NewFields(shown), &again)
		assert.Equal(t, "2026-02-03T19:00:00Z", again.StartedAt.Format(time.RFC3339Nano))

		again = *row
		shown = Values(row)
		shown.Set("timezone", "Europe/Paris")
		Read(ui.NewFields(shown), &again)
		assert.Equal(t, shown.Get("started_at"), Values(&again).Get("started_at"), "what the clock showed there")
		assert.True(t, again.StartedAt.Before(at), "which is earlier")
	}
}
