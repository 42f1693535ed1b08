package logbook_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/logbook"
)

// large is a table as SaveLarge takes it, out of memory.
func large(t *testing.T, text string) *intake.Large {
	t.Helper()
	l, err := csvlog.Guess(strings.NewReader(text), int64(len(text)), "log.csv")
	require.NoError(t, err)
	return &intake.Large{Name: "log.csv", Layout: l, Side: trace.CarSide,
		Open: func() (io.ReadCloser, error) { return io.NopCloser(strings.NewReader(text)), nil }}
}

func longTable(rows int) string {
	var b strings.Builder
	b.WriteString("t_s,soc_pct,power_kw,battery_temp_min_c\n")
	for i := range rows {
		fmt.Fprintf(&b, "%d,%.3f,%d,\n", i, 10+float64(i)/2000, 100+i%9)
	}
	return b.String()
}

// A table that is streamed in is the same run as one that is held: readings, file, twin.
func TestALargeTableIsStoredAsItIsRead(t *testing.T) {
	ctx := context.Background()
	book := server.Book(t)
	text := longTable(100_000) + "bad,1,2,3\n"
	print, err := logbook.FingerprintOf(strings.NewReader(text))
	require.NoError(t, err)
	held := 0
	id, rows, table, err := book.SaveLarge(ctx, large(t, text), print, func(n int) { held += n })
	require.NoError(t, err)
	assert.Equal(t, 100_000, rows)
	assert.Equal(t, rows, held)
	require.Len(t, table.Faults, 1)
	assert.Equal(t, 100_002, table.Faults[0].Line)

	row, err := book.Run(ctx, id)
	require.NoError(t, err)
	full, err := book.Load(ctx, row)
	require.NoError(t, err)
	in, err := intake.Bytes("log.csv", []byte(text), intake.Choices{})
	require.NoError(t, err)
	assert.Equal(t, in.Run.Recordings[0].T, full.Recordings[0].T)
	assert.Equal(t, in.Run.Recordings[0].Columns[trace.SoC], full.Recordings[0].Columns[trace.SoC])
	file, err := book.File(ctx, &row.Recordings[0])
	require.NoError(t, err)
	assert.Equal(t, "log.csv", file.Name)
	assert.True(t, file.Canonical)
	var content bytes.Buffer
	require.NoError(t, file.Write(&content))
	assert.True(t, bytes.Equal([]byte(text), content.Bytes()), "the file as it came")
	twin, found, err := book.Twin(ctx, in.Files)
	require.NoError(t, err)
	assert.True(t, found)
	assert.Equal(t, id, twin.ID, "the same file held is its twin")
}

// One that breaks off, that holds no row, or that is stopped leaves nothing.
func TestALargeTableThatFailsLeavesNothing(t *testing.T) {
	book := server.Book(t)
	text := longTable(100_000)
	broken := large(t, text)
	broken.Open = func() (io.ReadCloser, error) {
		return io.NopCloser(io.MultiReader(strings.NewReader(text[:1<<20]), &failing{})), nil
	}
	_, _, _, err := book.SaveLarge(context.Background(), broken, "a", func(int) {})
	require.ErrorContains(t, err, "the disk is gone")

	empty := large(t, text)
	empty.Open = func() (io.ReadCloser, error) {
		return io.NopCloser(strings.NewReader("t_s,soc_pct,power_kw,battery_temp_min_c\nx,y,z,\n")), nil
	}
	_, _, _, err = book.SaveLarge(context.Background(), empty, "b", func(int) {})
	require.ErrorIs(t, err, csvlog.ErrNotALog)

	ctx, stop := context.WithCancel(context.Background())
	_, _, _, err = book.SaveLarge(ctx, large(t, text), "c", func(int) { stop() })
	require.Error(t, err)

	list, err := book.CameIn(context.Background(), 9)
	require.NoError(t, err)
	assert.Empty(t, list)
}

// failing is a reader that breaks.
type failing struct{}

func (*failing) Read([]byte) (int, error) { return 0, errors.New("the disk is gone") }
