package logbook_test

import (
	"context"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// ofNobody are tables of the program itself: no row of them is a crew's.
var ofNobody = []string{"ceremonies", "clocks", "crews", "demo_loading", "goose_db_version", "password", "pulse",
	"sessions"}

// Every table, as another crew of the same server finds it: nothing is seen, changed or removed, nothing is put into
// the first crew's, and parts of readings are not read past the whole.
func TestCrewsSeeNothingOfEachOther(t *testing.T) {
	url := server.URLFrom(t, demoBook)
	b, err := logbook.Open(t.Context(), url, logbooktest.Quiet())
	require.NoError(t, err)
	t.Cleanup(func() { _ = b.Close() })
	other, err := b.NewCrew(t.Context(), "the other workshop")
	require.NoError(t, err)
	_, err = b.NewCrew(t.Context(), "the other workshop")
	require.ErrorIs(t, err, logbook.ErrTaken)
	c, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close(context.Background()) })
	list := func(query string) (names []string) {
		rows, err := c.Query(t.Context(), query)
		require.NoError(t, err)
		names, err = pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		return names
	}
	const tables = `SELECT c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE n.nspname = 'public' AND c.relkind IN ('r', 'p') AND `
	all := list(tables + "NOT c.relispartition ORDER BY 1")
	guarded := list(tables + `c.relrowsecurity ORDER BY 1`)
	for _, name := range all {
		assert.NotEqual(t, slices.Contains(ofNobody, name), slices.Contains(guarded, name), name)
	}
	require.Greater(t, len(guarded), 30)
	parts := list(tables + "c.relispartition ORDER BY 1")
	require.NotEmpty(t, parts)
	filled := 0
	count := func(name string) (n int64) {
		require.NoError(t, c.QueryRow(t.Context(), "SELECT count(*) FROM "+name).Scan(&n))
		return n
	}
	for _, name := range guarded {
		if count(name) > 0 {
			filled++
		}
	}
	require.Greater(t, filled, 15, "the demo has something in most tables")

	do := func(query string) (int64, error) {
		tx, err := c.Begin(t.Context())
		require.NoError(t, err)
		defer func() { _ = tx.Rollback(t.Context()) }()
		_, err = tx.Exec(t.Context(), fmt.Sprintf("SET LOCAL ROLE zincroad_crew; SET LOCAL zincroad.crew = '%d'", other))
		require.NoError(t, err)
		tag, err := tx.Exec(t.Context(), query)
		return tag.RowsAffected(), err
	}
	for _, name := range guarded {
		for _, query := range []string{"SELECT FROM %s", "UPDATE %s SET crew_id = crew_id", "DELETE FROM %s"} {
			n, err := do(fmt.Sprintf(query, name))
			require.NoError(t, err, "%s of %s", query, name)
			assert.Zero(t, n, "%s of %s", query, name)
		}
	}
	for _, query := range []string{"INSERT INTO cars (name, crew_id) VALUES ('Yew', 1)",
		"INSERT INTO marks (run_id, t_s, kind) VALUES (1, 0, 'note')",
		"INSERT INTO readings (recording_id, n, t_s, crew_id) VALUES (1, 99999999, 0, 1)"} {
		_, err := do(query)
		require.Error(t, err, query)
	}
	for _, name := range parts {
		_, err := do("SELECT FROM " + name)
		require.Error(t, err, name)
	}
}

// Two crews have a car of the same name, each sees its own runs, a run's readings stay with its crew whoever stores
// them, and the background works out those of all.
func TestCrewsWorkBesideEachOther(t *testing.T) {
	b := server.BookFrom(t, demoBook)
	other, err := b.NewCrew(t.Context(), "the other workshop")
	require.NoError(t, err)
	there := logbook.InCrew(t.Context(), other)
	cars, err := b.Cars(t.Context())
	require.NoError(t, err)
	theirs := &logbook.Car{Name: cars[0].Name}
	require.NoError(t, b.SaveCar(there, theirs))
	_, err = b.Car(t.Context(), theirs.ID)
	require.ErrorIs(t, err, logbook.ErrNotFound)
	_, err = b.Run(there, 1)
	require.ErrorIs(t, err, logbook.ErrNotFound)
	_, total, _, err := b.Road(there, logbook.RoadFilter{})
	require.NoError(t, err)
	assert.Zero(t, total)

	_, err = b.AddPerson(there, "Eve", logbook.Tester, "h")
	require.ErrorIs(t, err, logbook.ErrRefused, "each begins with a keeper")
	eve, err := b.AddPerson(there, "Eve", logbook.Keeper, "h")
	require.NoError(t, err)
	assert.Equal(t, other, eve.Actor().Crew)
	people, err := b.People(t.Context())
	require.NoError(t, err)
	assert.Empty(t, people, "the first crew has nobody yet")
	row, err := b.Run(t.Context(), 1)
	require.NoError(t, err)
	assert.Nil(t, row.OwnerID, "what the first has is not hers")

	asEve := logbook.By(t.Context(), eve.Actor())
	now := time.Now()
	id, err := b.StartLive(asEve, &logbook.Run{Title: "hers", StartedAt: &now, Timezone: "UTC", CarID: &theirs.ID})
	require.NoError(t, err)
	everywhere := logbook.Everywhere(t.Context()) // as what records without anybody at the page
	require.NoError(t, b.Type(everywhere, id, trace.StallSide, "k", "12 40", "", logbook.Sample{TS: 1,
		Values: map[trace.Channel]float64{trace.SoC: 12, trace.Power: 40}}))
	_, err = b.Run(t.Context(), id)
	require.ErrorIs(t, err, logbook.ErrNotFound)
	live, err := b.LiveRuns(asEve)
	require.NoError(t, err)
	require.Len(t, live, 1)
	require.NoError(t, b.EndLive(asEve, id))
	require.NoError(t, b.Rework(t.Context(), nil))
	row, err = b.Run(asEve, id)
	require.NoError(t, err)
	full, err := b.Load(asEve, row)
	require.NoError(t, err)
	require.Len(t, full.Recordings, 1)
	assert.Len(t, full.Recordings[0].T, 1)
	changes, err := b.Changes(asEve, id)
	require.NoError(t, err)
	for _, c := range changes {
		assert.Equal(t, "Eve", c.Actor)
	}
}
