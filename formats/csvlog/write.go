package csvlog

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"strconv"

	"zincroad/core/trace"
)

// Write writes a recording as Zinc Road's own CSV: t_s and the channels it has, in
// the order of trace.Channels, every number with as many digits as it takes to
// read the same number back, empty for no value.
func Write(w io.Writer, rec *trace.Recording) error {
	b := bufio.NewWriter(w)
	b.WriteString("t_s")
	var columns [][]float64
	for _, in := range trace.Channels {
		if col := rec.Columns[in.Channel]; col != nil {
			b.WriteString("," + string(in.Channel))
			columns = append(columns, col)
		}
	}
	b.WriteByte('\n')
	var buf []byte
	for i, t := range rec.T {
		buf = strconv.AppendFloat(buf[:0], t, 'f', -1, 64)
		for _, col := range columns {
			buf = append(buf, ',')
			if !math.IsNaN(col[i]) {
				buf = strconv.AppendFloat(buf, col[i], 'f', -1, 64)
			}
		}
		buf = append(buf, '\n')
		if _, err := b.Write(buf); err != nil {
			return fmt.Errorf("writing readings: %w", err)
		}
	}
	return b.Flush()
}
