package details

import (
	"net/url"
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
