package sheet

import (
	"bytes"
	"encoding/binary"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
)

// IsParquet tells a Parquet file from its first bytes.
func IsParquet(head []byte) bool { return bytes.HasPrefix(head, []byte("PAR1")) }

// ParquetColumns are the names of a Parquet file's columns; none where it cannot be read.
func ParquetColumns(r io.ReaderAt, size int64) (names []string) {
	defer func() { // as in Parquet
		if recover() != nil {
			names = nil
		}
	}()
	if !footerFits(r, size) {
		return nil
	}
	f, err := parquet.OpenFile(r, size)
	if err != nil {
		return nil
	}
	for _, l := range leaves(f.Root(), nil) {
		names = append(names, l.name)
	}
	return names
}

// Parquet gives the rows of a Parquet file as CSV of at most so many bytes, else it fails with ErrTooLarge, wrapped.
// Times become RFC 3339 in UTC; a column that holds lists is left out.
func Parquet(r io.ReaderAt, size int64, name string, most int64) (text []byte, err error) {
	// The library checks what it reads by panics in places; a broken file is no fault of ours.
	defer func() {
		if p := recover(); p != nil {
			text, err = nil, fmt.Errorf("%s is no readable Parquet file", name)
		}
	}()
	if !footerFits(r, size) {
		return nil, fmt.Errorf("%s is no readable Parquet file", name)
	}
	f, err := parquet.OpenFile(r, size)
	if err != nil {
		return nil, fmt.Errorf("%s is no readable Parquet file", name)
	}
	if f.NumRows() > maxParquetRows { // a column of one value takes a few bytes for all of them
		return nil, fmt.Errorf("%s %w (%d rows)", name, ErrTooLarge, f.NumRows())
	}
	columns := leaves(f.Root(), nil)
	if len(columns) > maxColumns {
		return nil, fmt.Errorf("%s has %d columns, expected at most %d", name, len(columns), maxColumns)
	}
	most = min(most, maxUnpacked)
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	headers := make([]string, len(columns))
	for i, c := range columns {
		headers[i] = c.name
	}
	if err := w.Write(headers); err != nil {
		return nil, err
	}
	index := map[int]int{} // of the file's columns in ours
	for i, c := range columns {
		index[c.leaf.Index()] = i
	}
	cells := make([]string, len(columns))
	buffer := make([]parquet.Row, 256)
	for _, group := range f.RowGroups() {
		rows := group.Rows()
		for {
			n, err := rows.ReadRows(buffer)
			for _, row := range buffer[:n] {
				clear(cells)
				for _, v := range row {
					if i, ours := index[v.Column()]; ours && !v.IsNull() {
						cells[i] = columns[i].cell(v)
					}
				}
				if err := w.Write(cells); err != nil {
					return nil, err
				}
			}
			if int64(out.Len()) > most {
				_ = rows.Close()
				return nil, fmt.Errorf("%s %w (over %d MB)", name, ErrTooLarge, most>>20)
			}
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				_ = rows.Close()
				return nil, fmt.Errorf("%s breaks off: its rows cannot all be read", name)
			}
		}
		if err := rows.Close(); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

const (
	maxParquetRows = 5_000_000
	maxFooter      = 16 << 20
)

// footerFits tells whether what a Parquet file says of the length of its footer, in the four bytes before the last
// four, can be so: the library makes room for as much as stands there, two gigabytes for a file of twelve bytes.
func footerFits(r io.ReaderAt, size int64) bool {
	const ends = 12 // PAR1 in front; the length and PAR1 behind
	var tail [8]byte
	if size < ends {
		return false
	}
	if _, err := r.ReadAt(tail[:], size-int64(len(tail))); err != nil && !errors.Is(err, io.EOF) {
		return false
	}
	footer := int64(binary.LittleEndian.Uint32(tail[:]))
	return footer <= size-ends && footer <= maxFooter
}

// leaf is a column that holds values.
type leaf struct {
	name  string
	leaf  *parquet.Column
	ticks int64 // of a timestamp, in one second; 0: no timestamp
}

// leaves lists the columns that hold one value a row, those inside others by both names.
func leaves(c *parquet.Column, path []string) []leaf {
	if len(path) > 0 && c.Repeated() {
		return nil
	}
	if c.Leaf() {
		l := leaf{name: strings.Join(path, "."), leaf: c}
		if t := c.Type().LogicalType(); t != nil {
			if stamp, ok := t.Value.(*format.TimestampType); ok && stamp.Unit.Value != nil {
				l.ticks = int64(time.Second / stamp.Unit.Value.Duration())
			}
		}
		if c.Type().Kind() == parquet.Int96 {
			l.ticks = -1
		}
		return []leaf{l}
	}
	var out []leaf
	for _, child := range c.Columns() {
		out = append(out, leaves(child, append(path[:len(path):len(path)], child.Name()))...)
	}
	return out
}

// julianEpoch is the day of 1970-01-01 in the count that 96-bit times use.
const julianEpoch = 2440588

func (l leaf) cell(v parquet.Value) string {
	switch {
	case l.ticks > 0:
		n := v.Int64()
		s, rest := n/l.ticks, n%l.ticks
		return time.Unix(s, rest*(1e9/l.ticks)).UTC().Format(time.RFC3339Nano)
	case l.ticks < 0:
		x := v.Int96()
		nanos := int64(x[1])<<32 | int64(x[0])
		return time.Unix((int64(x[2])-julianEpoch)*86400, nanos).UTC().Format(time.RFC3339Nano)
	}
	switch v.Kind() {
	case parquet.Float:
		return strconv.FormatFloat(float64(v.Float()), 'g', -1, 32)
	case parquet.Double:
		return strconv.FormatFloat(v.Double(), 'g', -1, 64)
	}
	return strings.NewReplacer("\r", " ", "\n", " ").Replace(v.String())
}
