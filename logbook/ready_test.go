package logbook_test

import (
	"context"
	"database/sql"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// A logbook says what keeps it from its work: tables of another program, a database that takes no writes, one
// that is gone. An older program leaves a newer one's database alone.
func TestReady(t *testing.T) {
	b, url, exec := withSQL(t)
	require.NoError(t, b.Ready(ctx))

	exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, true)")
	err := b.Ready(ctx)
	require.ErrorIs(t, err, logbook.ErrNewer)
	assert.Equal(t, "the database belongs to a newer Zinc Road", logbook.NotReady(err))
	_, err = logbook.Open(ctx, url, logbooktest.Quiet())
	require.ErrorIs(t, err, logbook.ErrNewer)
	assert.Contains(t, err.Error(), "step 9999")
	exec("DELETE FROM goose_db_version WHERE version_id = 9999")

	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("ALTER TABLE pulse RENAME TO gone") // refuses the write, as a full disk does
	require.NoError(t, err)
	require.ErrorIs(t, b.Ready(ctx), logbook.ErrReadOnly)
	_, err = db.Exec("ALTER TABLE gone RENAME TO pulse")
	require.NoError(t, err)
	require.NoError(t, b.Ready(ctx))

	require.NoError(t, b.Close())
	require.ErrorIs(t, b.Ready(ctx), logbook.ErrAway)
	assert.Equal(t, "the database does not answer", logbook.NotReady(b.Ready(ctx)))
}

// While the disk is full a run's figures are shown though they cannot be kept, and the background does not work the
// same ones out over and over: it says why and waits.
func TestNoRoomForResults(t *testing.T) {
	b := server.Book(t)
	id, err := b.Save(ctx, bundle(t, 2))
	require.NoError(t, err)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	b.SetFull(true)
	res, err := b.Results(ctx, row)
	require.NoError(t, err)
	assert.NotEmpty(t, res.Head().Posts)
	rows, _, _, err := b.Road(ctx, logbook.RoadFilter{Limit: 10})
	require.NoError(t, err, "the list stands, though a run waits")
	require.Len(t, rows, 1)
	within, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	require.ErrorIs(t, b.Rework(within, nil), logbook.ErrNoRoom)
	require.ErrorIs(t, b.Ready(ctx), logbook.ErrFull)
	_, err = b.Save(ctx, bundle(t, 3))
	require.ErrorIs(t, err, logbook.ErrNoRoom)
	b.SetFull(false)
	require.NoError(t, b.Rework(within, nil))
	require.NoError(t, b.Ready(ctx))
}
