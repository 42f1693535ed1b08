package logbook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// A bench is kept with its runs in their order, knows of runs of its cars that came later, and can be
// put aside and brought back; a run that goes from the list goes from the bench, and comes back with it.
func TestBenchesAreKept(t *testing.T) {
	b, _, exec := withSQL(t)
	k := &logbook.Bench{Name: "Cold against warm", View: "axis=time", Runs: []int64{3, 1, 2}}
	require.NoError(t, b.KeepBench(ctx, k))
	other := &logbook.Bench{Name: "ash at two stalls", Runs: []int64{4}}
	require.NoError(t, b.KeepBench(ctx, other))
	list, err := b.Benches(ctx)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "ash at two stalls", list[0].Name, "by name")
	assert.Equal(t, []int64{3, 1, 2}, list[1].Runs)
	assert.Equal(t, "axis=time", list[1].View)
	assert.Zero(t, list[1].Newer, "nothing came since")

	// Of two runs that came since, one is of a car that lies on the bench.
	exec("UPDATE runs SET car_id = (SELECT car_id FROM runs WHERE id = 3), software_id = NULL, created_at = now() + " +
		"interval '1 minute' WHERE id = 5")
	exec("UPDATE runs SET car_id = NULL, software_id = NULL, created_at = now() + interval '1 minute' WHERE id = 6")
	got, err := b.Bench(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, got.Newer)
	newer, err := b.NewerRuns(ctx, k.ID, 10)
	require.NoError(t, err)
	require.Len(t, newer, 1)
	assert.EqualValues(t, 5, newer[0].ID)

	// Kept again with it, it is no longer new; the name is another.
	got.Name, got.Runs = "Cold, warm, and once more", []int64{3, 1, 2, 5}
	require.NoError(t, b.KeepBench(ctx, got))
	got, err = b.Bench(ctx, k.ID)
	require.NoError(t, err)
	assert.Zero(t, got.Newer)
	assert.Equal(t, "Cold, warm, and once more", got.Name)

	exec("UPDATE runs SET deleted_at = now() WHERE id = 1")
	got, err = b.Bench(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, []int64{3, 2, 5}, got.Runs)
	exec("UPDATE runs SET deleted_at = NULL WHERE id = 1")

	require.NoError(t, b.DeleteBench(ctx, k.ID))
	_, err = b.Bench(ctx, k.ID)
	require.ErrorIs(t, err, logbook.ErrNotFound)
	require.ErrorIs(t, b.KeepBench(ctx, got), logbook.ErrNotFound)
	require.NoError(t, b.RestoreBench(ctx, k.ID))
	got, err = b.Bench(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, []int64{3, 1, 2, 5}, got.Runs)
	require.ErrorIs(t, b.DeleteBench(ctx, 99), logbook.ErrNotFound)
	require.ErrorIs(t, b.KeepBench(ctx, &logbook.Bench{Runs: []int64{1}}), logbook.ErrRefused, "without a name")
	require.ErrorIs(t, b.KeepBench(ctx, &logbook.Bench{Name: "x", Runs: []int64{999}}), logbook.ErrInUse)
}
