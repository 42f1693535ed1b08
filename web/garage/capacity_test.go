package garage

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"zincroad/logbook"
)

func carRun(id int64, day int, low, kwh, high float64) logbook.CarRun {
	at := time.Date(2026, 1, day, 0, 0, 0, 0, time.UTC)
	return logbook.CarRun{ID: id, StartedAt: &at, UsableKWh: &kwh, UsableLow: &low, UsableHigh: &high, Software: "2.3"}
}

// A change is one only where the intervals do not touch; runs that say nothing of capacity are left
// out, and one alone shows no change.
func TestCapacityOverTime(t *testing.T) {
	_, said := capacityOf("Tamarack", []logbook.CarRun{carRun(1, 1, 76, 78, 80)})
	assert.Empty(t, said)
	svg, said := capacityOf("Tamarack", []logbook.CarRun{carRun(1, 1, 76, 78, 80), {ID: 2}, carRun(3, 9, 75, 77, 79)})
	assert.Contains(t, said, "no change that the readings could show")
	assert.Contains(t, svg, "run 3: 77.0 kWh, 75.0 to 79.0")
	_, said = capacityOf("Tamarack", []logbook.CarRun{carRun(1, 1, 76, 78, 80), carRun(3, 9, 71, 73, 75)})
	assert.Contains(t, said, "less by more")
	_, said = capacityOf("Tamarack", []logbook.CarRun{carRun(1, 1, 76, 78, 80), carRun(3, 9, 81, 83, 85)})
	assert.Contains(t, said, "more by more")
}
