package sheet

import (
	"fmt"
	"io"
	"math"

	"github.com/parquet-go/parquet-go"

	"zincroad/core/trace"
)

// parquetBatch is how many rows are handed over at once.
const parquetBatch = 1024

// WriteParquet writes a recording's readings as a Parquet file: t_s and a column of doubles for each channel, null
// where it was not read.
func WriteParquet(w io.Writer, rec *trace.Recording) error {
	const timeColumn = "t_s"
	group := parquet.Group{timeColumn: parquet.Leaf(parquet.DoubleType)}
	for c := range rec.Columns {
		group[string(c)] = parquet.Optional(parquet.Leaf(parquet.DoubleType))
	}
	schema := parquet.NewSchema("readings", group)
	out := parquet.NewGenericWriter[any](w, schema)
	columns := schema.Columns()
	rows := make([]parquet.Row, 0, parquetBatch)
	flush := func() error {
		_, err := out.WriteRows(rows)
		rows = rows[:0]
		return err
	}
	for i, t := range rec.T {
		row := make(parquet.Row, len(columns))
		for k, path := range columns {
			if path[0] == timeColumn {
				row[k] = parquet.DoubleValue(t).Level(0, 0, k)
				continue
			}
			if v := rec.Columns[trace.Channel(path[0])][i]; math.IsNaN(v) {
				row[k] = parquet.NullValue().Level(0, 0, k)
			} else {
				row[k] = parquet.DoubleValue(v).Level(0, 1, k)
			}
		}
		if rows = append(rows, row); len(rows) == parquetBatch {
			if err := flush(); err != nil {
				return fmt.Errorf("writing Parquet: %w", err)
			}
		}
	}
	if err := flush(); err != nil {
		return fmt.Errorf("writing Parquet: %w", err)
	}
	if err := out.Close(); err != nil {
		return fmt.Errorf("writing Parquet: %w", err)
	}
	return nil
}
