package sheet

import (
	"bytes"
	"encoding/csv"
	"math"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
)

// What goes out as Parquet comes back to the last digit, holes too.
func TestParquetThereAndBack(t *testing.T) {
	nan := math.NaN()
	rec := &trace.Recording{Side: trace.CarSide, T: make([]float64, 2500),
		Columns: map[trace.Channel][]float64{trace.SoC: make([]float64, 2500), trace.Power: make([]float64, 2500)}}
	for i := range rec.T {
		rec.T[i], rec.Columns[trace.SoC][i], rec.Columns[trace.Power][i] = float64(i)/3, 10+float64(i)/31, nan
		if i%7 == 0 {
			rec.Columns[trace.Power][i] = 100 / (1 + float64(i))
		}
	}
	var out bytes.Buffer
	require.NoError(t, WriteParquet(&out, rec))
	text, err := Parquet(bytes.NewReader(out.Bytes()), int64(out.Len()), "readings.parquet", 1<<20)
	require.NoError(t, err)
	rows, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 2501)
	at := map[string]int{}
	for k, name := range rows[0] {
		at[name] = k
	}
	for i, row := range rows[1:] {
		for name, want := range map[string]float64{"t_s": rec.T[i], "soc_pct": rec.Columns[trace.SoC][i],
			"power_kw": rec.Columns[trace.Power][i]} {
			cell := row[at[name]]
			if math.IsNaN(want) {
				assert.Empty(t, cell)
				continue
			}
			got, err := strconv.ParseFloat(cell, 64)
			require.NoError(t, err)
			assert.Equal(t, want, got, "%s of reading %d", name, i)
		}
	}
	require.NoError(t, WriteParquet(&out, &trace.Recording{}), "no reading at all")
}
