package logbook_test

import (
	"database/sql"
	"io/fs"
	"path/filepath"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/cluster"
	"zincroad/logbook/logbooktest"
)

// A logbook of before there were crews comes up as it was, with its password where it had one; a crew begins on it and
// has everything; its backup puts it back to what it was, and the crew can begin again.
func TestALogbookOfBeforeCrews(t *testing.T) {
	for name, word := range map[string]string{"without a password": "", "with one": "$argon2id$the hash"} {
		t.Run(name, func(t *testing.T) {
			url := server.URLFrom(t, demoBook)
			db, err := sql.Open("pgx", url)
			require.NoError(t, err)
			defer db.Close()
			steps, err := fs.Sub(logbook.Migrations, "migrations")
			require.NoError(t, err)
			p, err := goose.NewProvider(goose.DialectPostgres, db, steps)
			require.NoError(t, err)
			_, err = p.DownTo(ctx, 39)
			require.NoError(t, err)
			if word != "" {
				_, err = db.Exec("INSERT INTO password (hash) VALUES ($1)", word)
				require.NoError(t, err)
			}
			_, err = db.Exec("INSERT INTO tokens (name, hash, role, ends_at) VALUES ('the van', 'x', 'tester', now() + '1 day')")
			require.NoError(t, err)

			file := filepath.Join(t.TempDir(), "before.backup")
			open := func() *logbook.Book {
				b, err := logbook.Open(ctx, url, logbooktest.Quiet())
				require.NoError(t, err)
				return b
			}
			begin := func(b *logbook.Book) {
				at, err := b.Door(ctx)
				require.NoError(t, err)
				assert.Equal(t, logbook.Door{Hash: word}, at)
				runs, err := b.Count(ctx)
				require.NoError(t, err)
				assert.EqualValues(t, 20, runs)
				ada, err := b.AddPerson(ctx, "Ada", logbook.Keeper, "h")
				require.NoError(t, err)
				list, _, _, err := b.Road(logbook.By(ctx, ada.Actor()), logbook.RoadFilter{By: "Ada"})
				require.NoError(t, err)
				assert.Len(t, list, 20, "everything is hers")
				tokens, err := b.Tokens(ctx)
				require.NoError(t, err)
				assert.Equal(t, ada.ID, tokens[0].MadeBy)
				at, err = b.Door(ctx)
				require.NoError(t, err)
				assert.True(t, at.Crew)
				changes, err := b.Changes(ctx, 1)
				require.NoError(t, err)
				for _, c := range changes {
					assert.Equal(t, logbook.Owner, c.Actor, "that a crew begins is no change of a run")
				}
				require.NoError(t, b.Close())
			}
			b := open()
			require.NoError(t, cluster.Dump(ctx, url, file, func(string) {}))
			begin(b)
			require.NoError(t, cluster.Load(ctx, url, file, func(string) {}))
			begin(open())
		})
	}
}
