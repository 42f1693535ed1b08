package logbook_test

import (
	"context"
	"database/sql"
	"fmt"
	"math"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// The database takes both ends of every field's range and nothing beyond, whatever part
// of the program asks.
func TestRangesOfTheDatabaseAreThoseOfTheFields(t *testing.T) {
	url := server.URL(t)
	book, err := logbook.Open(context.Background(), url, logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	for _, q := range []string{
		"INSERT INTO cars (name) VALUES ('Alder')", "INSERT INTO sites (name) VALUES ('Mill')", "INSERT INTO " +
			"stalls (site_id, name) SELECT id, '1' FROM sites",
		"INSERT INTO adapters (name) VALUES ('Bobbin')", "INSERT INTO runs (fingerprint) VALUES ('x')",
		"INSERT INTO recordings (run_id, position, name, side, readings, channels) SELECT id, 0, 'a.csv', " +
			"'car', 0, '' FROM runs",
		"INSERT INTO marks (run_id, t_s, kind) SELECT id, 0, 'note' FROM runs",
	} {
		_, err := db.Exec(q)
		require.NoError(t, err, q)
	}
	compared := 0
	for _, f := range run.Fields {
		if f.Table == "" {
			continue
		}
		compared++
		set := func(v float64) error {
			_, err := db.Exec(fmt.Sprintf("UPDATE %s SET %s = $1", f.Table, f.Column), v)
			return err
		}
		beyond := math.Max(1, f.Max/1000)
		assert.Error(t, set(f.Min-beyond), "%s below %g", f.Path, f.Min)
		assert.Error(t, set(f.Max+beyond), "%s above %g", f.Path, f.Max)
		assert.NoError(t, set((f.Min+f.Max)/2), f.Path)
		if f.Column != "from_pct" && f.Column != "to_pct" && f.Column != "min_v" && f.Column != "max_v" {
			// these must be in order as well
			assert.NoError(t, set(f.Min), "%s at %g", f.Path, f.Min)
			assert.NoError(t, set(f.Max), "%s at %g", f.Path, f.Max)
		}
		_, err := db.Exec(fmt.Sprintf("UPDATE %s SET %s = DEFAULT", f.Table, f.Column))
		if err != nil { // a mark's time has none
			require.NoError(t, set(0))
		}
	}
	assert.Greater(t, compared, 25)
}

// What a channel and a condition say of the same thing has the same range.
func TestRangesOfChannelsAndConditions(t *testing.T) {
	for path, channel := range map[string]trace.Channel{
		"conditions.ambient_c": trace.AmbientTemp, "conditions.battery_c": trace.BatteryTemp, "method.to_pct": trace.SoC,
		"car.heater_kw": trace.HeaterPower, "stall.rated_kw": trace.RequestedPower, "stall.max_a": trace.RequestedAmps, "car.pack_max_v": trace.Voltage,
	} {
		in, ok := trace.Describe(channel)
		require.True(t, ok)
		f := run.MustField(path)
		assert.Equal(t, [2]float64{f.Min, f.Max}, [2]float64{in.Min, in.Max}, "%s and %s", path, channel)
	}
}

// Every channel has a column, and every column of readings beside the reading's own place
// and time is a channel's.
func TestChannelsAreColumns(t *testing.T) {
	db, err := sql.Open("pgx", server.URL(t))
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.Query(`SELECT column_name FROM information_schema.columns WHERE table_name = 'readings'
		AND column_name NOT IN ('recording_id', 'n', 't_s', 'heard_s')`)
	require.NoError(t, err)
	defer rows.Close()
	var columns, channels []string
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		if name != "crew_id" {
			columns = append(columns, name)
		}
	}
	require.NoError(t, rows.Err())
	for _, in := range trace.Channels {
		channels = append(channels, string(in.Channel))
	}
	assert.ElementsMatch(t, channels, columns)
}
