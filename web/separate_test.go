package web_test

import (
	"context"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// Every route, as the keeper of another crew on the same server asks it with the first crew's numbers: nothing of
// theirs is shown, and not a bit of theirs is changed.
func TestAnotherCrewComesToNothing(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	other, err := c.book.NewCrew(t.Context(), "the other workshop")
	require.NoError(t, err)
	there := logbook.InCrew(t.Context(), other)
	eve, err := c.book.AddPerson(there, "Eve", logbook.Keeper, quickHash(word+" Eve"))
	require.NoError(t, err)
	token, err := c.book.AddToken(logbook.By(t.Context(), eve.Actor()), "hers", logbook.Keeper, time.Now().Add(time.Hour))
	require.NoError(t, err)
	bo := logbook.By(t.Context(), c.people["Bo"].Actor())
	require.NoError(t, c.book.AddNote(bo, &logbook.Note{RunID: 1, Text: "between us, @Ada"}))

	db, err := pgx.Connect(t.Context(), c.url)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close(context.Background()) })
	texts := func(query string, args ...any) []string {
		rows, err := db.Query(t.Context(), query, args...)
		require.NoError(t, err)
		out, err := pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		return out
	}
	tables := texts(`SELECT c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE n.nspname = 'public' AND c.relrowsecurity ORDER BY 1`)
	prints := func() map[string]string {
		out := map[string]string{}
		for _, name := range tables {
			out[name] = texts(`SELECT coalesce(md5(string_agg(x, '' ORDER BY x)), '') FROM
				(SELECT t::text AS x FROM ` + name + ` t WHERE crew_id = 1) s`)[0]
		}
		return out
	}
	before := prints()

	hers := c.in("Eve")
	asked := 0
	for _, x := range c.all() {
		if x.pattern == "/leave" || x.pattern == "/desk/sample" ||
			strings.HasPrefix(x.pattern, "/static/") || strings.HasPrefix(x.pattern, "/crew/") {
			continue
		}
		path := strings.ReplaceAll(x.pattern, "{figure}", "peak")
		path = parameter.ReplaceAllString(path, "1")
		if x.pattern == "/bench" || strings.HasPrefix(x.pattern, "/bench.") || x.pattern == "/runs.csv" {
			path += "?runs=1,2"
		}
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		r, err := http.NewRequestWithContext(ctx, x.method, c.at+path, strings.NewReader(""))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		if strings.HasPrefix(x.pattern, "/api/") {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		answer, err := hers.Do(r)
		require.NoError(t, err)
		body, err := io.ReadAll(io.LimitReader(answer.Body, 1<<20))
		require.NoError(t, err)
		_ = answer.Body.Close()
		cancel()
		for _, theirs := range []string{"Tamarack", "Larch", "Fulling Mill", "between us", "Ada<", ">Bo<"} {
			assert.False(t, strings.Contains(string(body), theirs), "%s %s has %q", x.method, x.pattern, theirs)
		}
		if strings.HasPrefix(x.pattern, "/runs/{id}") || strings.HasPrefix(x.pattern, "/stall/{id}") {
			assert.GreaterOrEqual(t, answer.StatusCode, 400, "%s %s", x.method, x.pattern)
		}
		asked++
	}
	require.Greater(t, asked, 150)
	for name, was := range before {
		assert.Equal(t, was, prints()[name], "nothing of %s has changed", name)
	}
}
