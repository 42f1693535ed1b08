package csvlog

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"strconv"

	"zincroad/core/trace"
)

// Writer writes readings as Zinc Road's own CSV, row by row: t_s and the channels it was made for, every number with
// as many digits as it takes to read the same number back, empty for no value.
type Writer struct {
	out *bufio.Writer
	row []byte
}

// NewWriter writes the header. Readings come in the order of the channels, which should be that of trace.Channels.
func NewWriter(w io.Writer, channels []trace.Channel) *Writer {
	out := &Writer{out: bufio.NewWriter(w)}
	out.out.WriteString("t_s")
	for _, c := range channels {
		out.out.WriteString("," + string(c))
	}
	out.out.WriteByte('\n')
	return out
}

// Row writes a reading; NaN is no value.
func (w *Writer) Row(t float64, values []float64) error {
	w.row = strconv.AppendFloat(w.row[:0], t, 'f', -1, 64)
	for _, v := range values {
		w.row = append(w.row, ',')
		if !math.IsNaN(v) {
			w.row = strconv.AppendFloat(w.row, v, 'f', -1, 64)
		}
	}
	if _, err := w.out.Write(append(w.row, '\n')); err != nil {
		return fmt.Errorf("writing readings: %w", err)
	}
	return nil
}

// Close writes what is held back.
func (w *Writer) Close() error {
	if err := w.out.Flush(); err != nil {
		return fmt.Errorf("writing readings: %w", err)
	}
	return nil
}

// Write writes a whole recording with the channels it has.
func Write(w io.Writer, rec *trace.Recording) error {
	var channels []trace.Channel
	for _, in := range trace.Channels {
		if rec.Columns[in.Channel] != nil {
			channels = append(channels, in.Channel)
		}
	}
	out := NewWriter(w, channels)
	values := make([]float64, len(channels))
	for i, t := range rec.T {
		for k, c := range channels {
			values[k] = rec.Columns[c][i]
		}
		if err := out.Row(t, values); err != nil {
			return err
		}
	}
	return out.Close()
}
