package logbook

import (
	"context"
	"database/sql"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strings"

	"github.com/jackc/pgx/v5/stdlib"

	"zincroad/core/trace"
)

// copyStream writes a recording's readings in PostgreSQL's binary COPY format
// (PostgreSQL 15 documentation, COPY, "Binary Format"): a signature, then for each
// row the number of fields and each field's length and bytes, -1 for no value.
// It is read by the driver; a million rows go through without a value being boxed.
type copyStream struct {
	recording int64
	t         []float64
	columns   [][]float64
	n         int
	told      func(readings int) // of each chunk
	buf       []byte
	off       int
	ended     bool
}

// signature, no flags, no header extension.
const copyHeader = "PGCOPY\n\xff\r\n\x00" + "\x00\x00\x00\x00" + "\x00\x00\x00\x00"

const copyChunk = 1 << 16

func newCopyStream(recording int64, rec *trace.Recording, names []string, told func(int)) *copyStream {
	s := &copyStream{recording: recording, t: rec.T, told: told,
		buf: append(make([]byte, 0, copyChunk+512), copyHeader...)}
	for _, n := range names {
		s.columns = append(s.columns, rec.Columns[trace.Channel(n)])
	}
	return s
}

// Read gives the next bytes of the stream.
func (s *copyStream) Read(p []byte) (int, error) {
	if s.off == len(s.buf) {
		if s.ended {
			return 0, io.EOF
		}
		s.fill()
	}
	n := copy(p, s.buf[s.off:])
	s.off += n
	return n, nil
}

// fill writes rows until the chunk is full, and the trailer after the last one.
func (s *copyStream) fill() {
	b, before := s.buf[:0], s.n
	for ; s.n < len(s.t) && len(b) < copyChunk; s.n++ {
		b = appendRow(b, s.recording, s.n, s.t, s.columns, s.n)
	}
	if s.n == len(s.t) {
		b = binary.BigEndian.AppendUint16(b, math.MaxUint16)
		s.ended = true
	}
	s.buf, s.off = b, 0
	s.told(s.n - before)
}

// appendRow writes row i of some columns as reading n of a recording.
func appendRow(b []byte, recording int64, n int, t []float64, columns [][]float64, i int) []byte {
	be := binary.BigEndian
	b = be.AppendUint16(b, uint16(3+len(columns)))
	b = be.AppendUint64(be.AppendUint32(b, 8), uint64(recording))
	b = be.AppendUint32(be.AppendUint32(b, 4), uint32(n))
	b = be.AppendUint64(be.AppendUint32(b, 8), math.Float64bits(t[i]))
	for _, col := range columns {
		v := col[i]
		if math.IsNaN(v) {
			b = be.AppendUint32(b, math.MaxUint32)
			continue
		}
		b = be.AppendUint64(be.AppendUint32(b, 8), math.Float64bits(v))
	}
	return b
}

// partOf gives the part of the table that a recording's readings belong to, and what copies into it.
func partOf(ctx context.Context, conn *sql.Conn, id int64, names []string) (query string, err error) {
	var part string
	err = conn.QueryRowContext(ctx, `SELECT 'readings_' || n FROM generate_series(0, 7) n
		WHERE satisfies_hash_partition('readings'::regclass, 8, n, $1::bigint)`, id).Scan(&part)
	return fmt.Sprintf("COPY %s (recording_id, n, %s) FROM STDIN BINARY", part,
		strings.Join(append([]string{"t_s"}, names...), ", ")), err
}

// copyReadings writes a recording's readings by COPY on the connection of the
// transaction that stored the recording, straight into the part of the table that the
// recording belongs to: finding it once saves a fifth of a long import.
func copyReadings(ctx context.Context, conn *sql.Conn, id int64, rec *trace.Recording, told func(int)) error {
	names := columnsOf(rec)
	query, err := partOf(ctx, conn, id, names)
	if err != nil {
		return err
	}
	return conn.Raw(func(driver any) error {
		stream := newCopyStream(id, rec, names, told)
		tag, err := driver.(*stdlib.Conn).Conn().PgConn().CopyFrom(ctx, stream, query)
		if err == nil && tag.RowsAffected() != int64(rec.Len()) {
			err = fmt.Errorf("%d of %d readings arrived", tag.RowsAffected(), rec.Len())
		}
		return err
	})
}
