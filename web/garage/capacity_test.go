package garage

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"zincroad/logbook"
	"zincroad/web/ui"
)

func carRun(id int64, day int, low, kwh, high float64) logbook.CarCapacity {
	at := time.Date(2026, 1, day, 0, 0, 0, 0, time.UTC)
	return logbook.CarCapacity{ID: id, StartedAt: at, UsableKWh: kwh, UsableLow: low, UsableHigh: &high, Software: "2.3"}
}

// Against the odometer are only those that note it.
func TestCapacityOverTime(t *testing.T) {
	alone := capacityOf("Tamarack", []logbook.CarCapacity{carRun(1, 1, 76, 78, 80)}, ui.Reader{})
	assert.Empty(t, alone.Said)
	assert.NotEmpty(t, alone.ByDate)
	runs := []logbook.CarCapacity{carRun(1, 1, 76, 78, 80), carRun(3, 9, 75, 77, 79), carRun(4, 12, 74, 76, 78)}
	got := capacityOf("Tamarack", runs, ui.Reader{})
	assert.Contains(t, got.Said[0].Kept(), "76 kWh by the last run")
	assert.Contains(t, got.Said[1].Kept(), "in the first of 3 runs")
	assert.Contains(t, got.ByDate, "run 3: 77.0 kWh, 75.0 to 79.0")
	assert.Contains(t, got.ByDate, "12 Jan 2026")
	assert.Empty(t, got.ByOdometer)

	near, far := 18_400.0, 31_250.0
	runs[0].OdometerKM, runs[2].OdometerKM = &near, &far
	got = capacityOf("Tamarack", runs, ui.Reader{})
	assert.Contains(t, got.ByOdometer, "18400 km")
	assert.Contains(t, got.ByOdometer, "31250 km")
	assert.NotContains(t, got.ByOdometer, "run 3:", "it does not say where its odometer stood")
	assert.Contains(t, got.ByDate, "run 3:")
}
