package logbook_test

import (
	"database/sql"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// A session that nobody used for a week is over, and one that is used goes on from then.
func TestIdleSessionEnds(t *testing.T) {
	url := server.URL(t)
	b, err := logbook.Open(ctx, url, logbooktest.Quiet())
	require.NoError(t, err)
	defer b.Close()
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	s := logbook.Sessions{Store: b.AccessStore}
	require.NoError(t, s.CommitCtx(ctx, "a", []byte("in"), time.Now().Add(720*time.Hour)))
	lastUsed := func(ago string) {
		_, err := db.Exec("UPDATE sessions SET used_at = now() - $1::interval", ago)
		require.NoError(t, err)
	}
	found := func() bool {
		_, ok, err := s.FindCtx(ctx, "a")
		require.NoError(t, err)
		return ok
	}
	lastUsed("6 days")
	require.True(t, found())
	var idle time.Duration
	require.NoError(t, db.QueryRow("SELECT (extract(epoch FROM now() - used_at) * 1e9)::bigint FROM sessions").Scan(&idle))
	assert.Less(t, idle, time.Hour, "it was used just now")
	lastUsed("8 days")
	assert.False(t, found())
}
