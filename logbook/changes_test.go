package logbook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/logbook"
)

// Whoever changes a run's words, a mark or a clock is noted with what was before; what is worked out is nobody's.
func TestWhoChangedWhat(t *testing.T) {
	b := server.BookFrom(t, demoBook)
	row, err := b.Run(ctx, 2)
	require.NoError(t, err)
	was, err := b.Changes(ctx, 2)
	require.NoError(t, err)
	title, outside := row.Title, row.AmbientC

	row.Title, row.AmbientC = "Again", run.N(4.5)
	require.NoError(t, b.SaveDetails(logbook.By(ctx, logbook.Actor{Name: "the night shift"}), row))
	m := logbook.Mark{RunID: 2, TS: 300, Kind: run.Neighbour}
	require.NoError(t, b.SaveMark(ctx, &m))
	_, err = b.DeleteMark(ctx, 2, m.ID)
	require.NoError(t, err)
	require.NoError(t, b.Rework(ctx, nil))

	list, err := b.Changes(ctx, 2)
	require.NoError(t, err)
	list = list[:len(list)-len(was)]
	require.Len(t, list, 3, "%+v", list)
	assert.Equal(t, "the night shift", list[2].Actor)
	assert.Equal(t, logbook.Noted{"title": "Again", "ambient_c": 4.5}, list[2].After)
	assert.Equal(t, title, list[2].Before["title"])
	assert.Equal(t, logbook.Owner, list[1].Actor, "the next one's connection works for the owner again")
	assert.Nil(t, list[1].Before)
	assert.Nil(t, list[0].After)
	assert.Equal(t, string(run.Neighbour), list[0].Before["kind"])

	require.NoError(t, b.UndoChange(ctx, 2, list[0].ID))
	require.NoError(t, b.UndoChange(ctx, 2, list[2].ID))
	back, err := b.Run(ctx, 2)
	require.NoError(t, err)
	assert.Equal(t, title, back.Title)
	assert.Equal(t, outside, back.AmbientC)
	found := false
	for _, x := range back.Marks {
		found = found || x.ID == m.ID && x.TS == 300
	}
	assert.True(t, found, "the mark is back under its number")
	assert.ErrorIs(t, b.UndoChange(ctx, 1, list[2].ID), logbook.ErrNotFound, "of another run")
	now, err := b.Changes(ctx, 2)
	require.NoError(t, err)
	assert.Equal(t, len(was)+5, len(now), "undoing is a change too")
}
