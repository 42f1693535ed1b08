package logbook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/bench"
)

// The latest runs come first, of the cars that are asked for and no others, so many as are asked for; runs that are
// put aside are none of them. Where no car is asked for, all are.
func TestTheLatestRunsOfCars(t *testing.T) {
	b := server.BookFrom(t, demoBook)
	all, err := b.Comparable(t.Context(), 100)
	require.NoError(t, err)
	require.Len(t, all, 20)
	cars := map[string][]int64{}
	of := map[int64]string{}
	for i, k := range all {
		cars[k.Car] = append(cars[k.Car], k.ID)
		of[k.ID] = k.Car
		if i > 0 {
			assert.False(t, k.StartedAt.After(all[i-1].StartedAt), "run %d", k.ID)
		}
	}
	ids := func(list []bench.Known) (out []int64) {
		for _, k := range list {
			out = append(out, k.ID)
		}
		return out
	}
	require.Greater(t, len(cars), 2)
	a, c := all[0], all[len(all)-1]
	require.NotEqual(t, a.Car, c.Car)
	ofOne, err := b.Comparable(t.Context(), 100, a.ID)
	require.NoError(t, err)
	assert.Equal(t, cars[a.Car], ids(ofOne))
	var both []int64
	for _, k := range all {
		if of[k.ID] == a.Car || of[k.ID] == c.Car {
			both = append(both, k.ID)
		}
	}
	ofTwo, err := b.Comparable(t.Context(), 100, c.ID, a.ID, 4096)
	require.NoError(t, err)
	assert.Equal(t, both, ids(ofTwo))
	few, err := b.Comparable(t.Context(), 3, c.ID, a.ID)
	require.NoError(t, err)
	assert.Equal(t, both[:3], ids(few))
	ofNone, err := b.Comparable(t.Context(), 100, 4096)
	require.NoError(t, err)
	assert.Equal(t, ids(all), ids(ofNone))

	require.NoError(t, b.DeleteRun(t.Context(), a.ID))
	ofOne, err = b.Comparable(t.Context(), 100, a.ID)
	require.NoError(t, err)
	assert.Equal(t, cars[a.Car][1:], ids(ofOne))
}
