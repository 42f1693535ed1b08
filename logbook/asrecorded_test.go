package logbook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A run in which nothing was put right says the same as it was recorded, also where car and stall are known by what
// other runs taught alone: that counts for both.
func TestAsRecordedWhereNothingWasPutRight(t *testing.T) {
	b, _, exec := withSQL(t)
	exec("UPDATE cars SET envelope = NULL, gentle_envelope = NULL, max_kw = NULL, max_a = NULL")
	exec("UPDATE stalls SET rated_kw = NULL, max_a = NULL")
	exec("UPDATE runs SET revision = revision + 1")
	require.NoError(t, b.Rework(ctx, nil))
	exec("UPDATE runs SET revision = revision + 1")
	require.NoError(t, b.Rework(ctx, nil))
	alone := 0
	for id := range int64(20) {
		row, err := b.Run(ctx, id+1)
		require.NoError(t, err)
		if len(row.Recordings) > 1 {
			continue // their clocks are lined up
		}
		is, err := b.Results(ctx, row)
		require.NoError(t, err)
		was, err := b.AsRecorded(ctx, row)
		require.NoError(t, err)
		assert.Equal(t, is.Head().Ceilings, was.Head().Ceilings, "run %d", row.ID)
		alone++
	}
	assert.Positive(t, alone)
}
