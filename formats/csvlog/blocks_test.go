package csvlog

import (
	"fmt"
	"math"
	"math/rand/v2"
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
	const rows = 120_000 // about 3 MB: a dozen blocks
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
		// as text, for no value is unlike itself
		assert.True(t, fmt.Sprint(*one) == fmt.Sprint(*several), "%s: %d rows, %d left out, %v; in blocks %d, %d, %v",
			name, len(one.T), one.LeftOut, one.Faults, len(several.T), several.LeftOut, several.Faults)
	}
}

// Columns that stand still for long are known again by their text: whatever they change to, and wherever, comes out as
// row by row.
func TestSteadyColumnsAreReadAsOthers(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for _, end := range []string{"\n", "\r\n"} {
		var text strings.Builder
		text.WriteString("t_s,soc_pct,power_kw,heater_kw,ambient_c,battery_temp_max_c" + end)
		at := []string{"20", "150.5", "0.0", "-4.5", "31.125"}
		for i := range 120_000 {
			if r.IntN(300) == 0 {
				k := r.IntN(len(at))
				at[k] = [][]string{{"20", "20.5", "", "21.0000001"}, {"150.5", "150.50", "-0.5", "15"}, {"0.0", "0", "0.00", "4.4"},
					{"-4.5", "-4.50", "4.5", "-12.345678"}, {"31.125", "31", "", "3"}}[k][r.IntN(4)]
			}
			fmt.Fprintf(&text, "%d,%s%s", i, strings.Join(at, ","), end)
		}
		l, err := Guess(strings.NewReader(text.String()), int64(text.Len()), "long.csv")
		require.NoError(t, err)
		one, err := Read(strings.NewReader(text.String()), l, Options{File: "long.csv"})
		require.NoError(t, err)
		several, err := Read(strings.NewReader(text.String()), l, Options{File: "long.csv", Rows: 120_000})
		require.NoError(t, err)
		require.Len(t, several.T, 120_000)
		rows := []byte(text.String()[strings.IndexByte(text.String(), '\n')+1:])
		b := &block{reader: *newReader(l, Options{Rows: 120_000}), text: rows, lines: 120_000}
		b.take()
		assert.True(t, b.plain, "none of it is left to the slow way")
		assert.Equal(t, 5, b.cells[1].still.cells, "what stands still is known again together")
		require.Len(t, one.Columns, 5)
		for channel, column := range one.Columns {
			for i, v := range column {
				if w := several.Columns[channel][i]; v != w && !(math.IsNaN(v) && math.IsNaN(w)) {
					require.Fail(t, "another value", "%s, row %d: %g in blocks, %g by rows", channel, i, w, v)
				}
			}
		}
	}
}

// Whatever rows a table is made of, and whatever stands between them, blocks give what one row after another does.
func FuzzBlocksGiveWhatRowsGive(f *testing.F) {
	f.Add("1.5,20,3.25\n", "2.5,20,3.5\n", "3.5,,-3.5\n")
	f.Add("1,20.00,0.0\r\n", "2,20.00,0.0\r\n", "x,,\n")
	f.Fuzz(func(t *testing.T, often, seldom, odd string) {
		if len(often)+len(seldom)+len(odd) > 200 || !strings.HasSuffix(often, "\n") || !strings.HasSuffix(seldom, "\n") {
			return
		}
		var text strings.Builder
		text.WriteString("t_s,soc_pct,power_kw\n")
		for i := range 300 {
			text.WriteString(often)
			if i%7 == 0 {
				text.WriteString(seldom)
			}
			if i%97 == 96 {
				text.WriteString(odd)
			}
		}
		l, err := Guess(strings.NewReader(text.String()), int64(text.Len()), "long.csv")
		if err != nil {
			return
		}
		one, oneErr := Read(strings.NewReader(text.String()), l, Options{File: "long.csv"})
		several, severalErr := Read(strings.NewReader(text.String()), l, Options{File: "long.csv", Rows: manyRows + 1})
		require.Equal(t, oneErr, severalErr)
		// As text, since what is no value is like no other.
		require.Equal(t, fmt.Sprint(one), fmt.Sprint(several))
	})
}
