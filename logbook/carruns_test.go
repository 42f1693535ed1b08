package logbook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A car's runs are the latest ones, oldest first, with how many there are in all; only those that cover enough of the
// pack say its capacity.
func TestTheLatestRunsOfACar(t *testing.T) {
	b := server.BookFrom(t, demoBook)
	every, all, err := b.CarRuns(t.Context(), 1, 1000)
	require.NoError(t, err)
	require.Len(t, every, all)
	require.Greater(t, all, 3)
	latest, still, err := b.CarRuns(t.Context(), 1, 2)
	require.NoError(t, err)
	assert.Equal(t, all, still)
	assert.Equal(t, every[all-2:], latest)
	var speak []int64
	for _, r := range every {
		if r.UsableKWh != nil {
			speak = append(speak, r.ID)
		}
	}
	capacities, err := b.CarCapacities(t.Context(), 1)
	require.NoError(t, err)
	var said []int64
	for _, c := range capacities {
		said = append(said, c.ID)
		assert.Less(t, c.UsableLow, c.UsableKWh, "run %d", c.ID)
	}
	assert.Equal(t, speak, said)
}
