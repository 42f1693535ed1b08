package logbook

import (
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/trace"
)

// errPacked is what packed numbers that cannot be read come to.
var errPacked = errors.New("not packed here")

// packedReader takes what was packed off the front of bytes; short says that there was less than was
// asked for.
type packedReader struct {
	rest  []byte
	short bool
}

// number is an IEEE 754 single, the lowest byte first.
func (r *packedReader) number() float64 {
	if len(r.rest) < 4 {
		r.short = true
		return 0
	}
	v := math.Float32frombits(binary.LittleEndian.Uint32(r.rest))
	r.rest = r.rest[4:]
	return float64(v)
}

func (r *packedReader) numbers(n uint64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = r.number()
	}
	return out
}

func (r *packedReader) octet() byte {
	if len(r.rest) < 1 {
		r.short = true
		return 0
	}
	v := r.rest[0]
	r.rest = r.rest[1:]
	return v
}

// count gives the length of a list whose elements take so many bytes each.
func (r *packedReader) count(size uint64) uint64 {
	n, used := binary.Uvarint(r.rest)
	if used <= 0 || n > uint64(len(r.rest)-used)/size {
		r.short = true
		return 0
	}
	r.rest = r.rest[used:]
	return n
}

func (r *packedReader) text() string {
	n := r.count(1)
	s := string(r.rest[:n])
	r.rest = r.rest[n:]
	return s
}

func appendNumbers(b []byte, v ...float64) []byte {
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(x)))
	}
	return b
}

func appendText(b []byte, s string) []byte {
	return append(binary.AppendUvarint(b, uint64(len(s))), s...)
}

// curvesFormat is the first byte of packed curves.
const curvesFormat = 1

// packCurves writes the thinned-out curves of a run's sides, and what is of no side, as strips are packed: format; the
// number of sides; of each its name, the times, the number of channels, of each its name and as many numbers (NaN: not
// read), and from and to of gaps.
func packCurves(curves map[trace.Side]trace.Reduced) []byte {
	b := []byte{curvesFormat}
	b = binary.AppendUvarint(b, uint64(len(curves)))
	for _, side := range []trace.Side{trace.CarSide, trace.StallSide, curve.OfRun} {
		red, ok := curves[side]
		if !ok {
			continue
		}
		b = appendText(b, string(side))
		b = appendNumbers(binary.AppendUvarint(b, uint64(len(red.T))), red.T...)
		b = binary.AppendUvarint(b, uint64(len(red.Columns)))
		for _, channel := range slices.Sorted(maps.Keys(red.Columns)) { // some are worked out, beside trace.Channels
			b = appendNumbers(appendText(b, string(channel)), red.Columns[channel]...)
		}
		b = binary.AppendUvarint(b, uint64(len(red.Gaps)))
		for _, g := range red.Gaps {
			b = appendNumbers(b, g.From, g.To)
		}
	}
	return b
}

// unpackCurves reads what packCurves wrote. It fails with errPacked for anything else.
func unpackCurves(b []byte) (map[trace.Side]trace.Reduced, error) {
	if len(b) < 1 || b[0] != curvesFormat {
		return nil, fmt.Errorf("%d bytes: %w", len(b), errPacked)
	}
	r := packedReader{rest: b[1:]}
	out := map[trace.Side]trace.Reduced{}
	for range r.count(1) {
		side := trace.Side(r.text())
		red := trace.Reduced{Columns: map[trace.Channel]trace.Floats{}}
		n := r.count(4)
		red.T = r.numbers(n)
		for range r.count(1) {
			channel := trace.Channel(r.text())
			if uint64(len(r.rest)) < 4*n {
				r.short = true
				break
			}
			red.Columns[channel] = r.numbers(n)
		}
		for range r.count(8) {
			red.Gaps = append(red.Gaps, trace.Span{From: r.number(), To: r.number()})
		}
		out[side] = red
	}
	if r.short || len(r.rest) > 0 {
		return nil, fmt.Errorf("%d bytes: %w", len(b), errPacked)
	}
	return out, nil
}
