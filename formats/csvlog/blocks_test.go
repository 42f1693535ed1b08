package csvlog

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
)

// Numbers above a header that stands far down are no readings, in blocks as row by row.
func TestBlocksBeginWhereReadingsDo(t *testing.T) {
	var text strings.Builder
	const above, rows = 100_000, 60_000
	for i := range above {
		fmt.Fprintf(&text, "%d,50,100,1\n", i)
	}
	text.WriteString("t_s,soc_pct,power_kw,current_a\n")
	for i := range rows {
		fmt.Fprintf(&text, "%d,60,120,300\n", i)
	}
	l := Layout{Delimiter: ",", HeaderLine: above + 1, Time: Seconds}
	for _, c := range []trace.Channel{TimeColumn, trace.SoC, trace.Power, trace.Current} {
		unit := ""
		if in, ok := trace.Describe(c); ok {
			unit = in.Unit
		}
		l.Columns = append(l.Columns, Column{Header: string(c), Channel: c, Unit: unit})
	}
	got, err := Read(strings.NewReader(text.String()), l, Options{File: "long.csv", Rows: above + rows})
	require.NoError(t, err)
	require.Equal(t, rows, len(got.T))
	assert.Equal(t, 60.0, got.Columns[trace.SoC][0])
}

// A long table is read by several at once; what comes out is what one by one gives, whatever stands in it and wherever.
func TestBlocksGiveWhatRowsGive(t *testing.T) {
	const rows = 120_000 // about 3 MB: three blocks
	lines := make([]string, rows)
	for i := range lines {
		lines[i] = fmt.Sprintf("%d.5,%d.25,%d,", i, i%90+5, i%150)
	}
	head := "t_s,soc_pct,power_kw,note\n"
	with := func(change func(l []string)) string {
		l := append([]string{}, lines...)
		change(l)
		return head + strings.Join(l, "\n") + "\n"
	}
	middle := rows / 2
	for name, text := range map[string]string{
		"plain":            with(func([]string) {}),
		"without an end":   strings.TrimSuffix(with(func([]string) {}), "\n"),
		"carriage returns": strings.ReplaceAll(with(func([]string) {}), "\n", "\r\n"),
		"a bad row": with(func(l []string) {
			l[middle], l[rows-1] = "60000,many,3,", "1,2"
		}),
		"the header again, blank lines": with(func(l []string) { l[middle], l[middle+1] = strings.TrimSpace(head), "" }),
		"quotes": with(func(l []string) {
			l[middle] = `60000.5,50,100,"two` + "\n" + `lines, and a ""word"""`
			l[middle+3] = "60003,fifty,1,"
		}),
		"a quote that never ends": with(func(l []string) { l[middle] = `60000.5,50,100,"open` }),
		"a line longer than a block": with(func(l []string) {
			l[10] = "10.5,50,1," + strings.Repeat("x", 2*blockBytes)
			l[20] = "20,fifty,1,"
		}),
		"far outside the rhythm": with(func(l []string) { l[middle] = "9e9,50,1," }),
	} {
		l, err := Guess(strings.NewReader(text), int64(len(text)), "long.csv")
		require.NoError(t, err, name)
		one, err := Read(strings.NewReader(text), l, Options{File: "long.csv"})
		require.NoError(t, err, name)
		several, err := Read(strings.NewReader(text), l, Options{File: "long.csv", Rows: rows})
		require.NoError(t, err, name)
		assert.True(t, len(one.T) > rows/3, name)
		assert.True(
			t,
			assert.ObjectsAreEqual(one, several),
			"%s: %d rows, %d left out, %d repeats %v; in blocks %d, %d, %d %v",
			name,
			len(one.T),
			one.LeftOut,
			one.Repeats,
			one.Faults,
			len(several.T),
			several.LeftOut,
			several.Repeats,
			several.Faults,
		)
	}
}
