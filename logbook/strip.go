package logbook

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/trace"
)

// Strip is what the logbook's small strips are drawn from. Times are in seconds from
// clock zero, powers in kW.
type Strip struct {
	Side  trace.Side
	T     []float64
	KW    []float64 // as long as T; NaN: nothing flows or was read
	Posts []curve.Post
	Gaps  []trace.Span

	WindowFrom float64
	WindowTo   float64

	Held []Held // what held the power down, in order of time

	// What stands with the run rather than in the packed strip.
	BatteryC *float64
	Said     Headline
}

// Held is a stretch with one cause that held the power down.
type Held struct {
	FromS, ToS float64
	Cause      limit.Cause
}

// Strips gives the strips of runs. One that was not worked out yet, or cannot be read, is not among them.
func (b *ResultStore) Strips(ctx context.Context, runs []int64) (map[int64]Strip, error) {
	out := map[int64]Strip{}
	if len(runs) == 0 {
		return out, nil
	}
	var rows []struct {
		RunID int64
		Strip []byte
	}
	err := b.db.WithContext(ctx).Raw("SELECT run_id, strip FROM results WHERE run_id IN ?", runs).Scan(&rows).Error
	if err != nil {
		return nil, mapped("reading strips", err)
	}
	for _, r := range rows {
		s, err := unpackStrip(r.Strip)
		if err != nil {
			b.log.Error("a strip that cannot be read", "run", r.RunID, "error", err)
			continue
		}
		out[r.RunID] = s
	}
	return out, nil
}

// stripFormat is the first byte of a packed strip.
const stripFormat = 2

// pack writes the strip in a tenth of the bytes that JSON takes, with numbers as
// IEEE 754 singles: a time is right to a hundredth of a second up to a day and a half.
// Layout: format, side (0 car, 1 stall), window from and to, then three lists, each
// with its length before it: time and power; state of charge, time and power of posts
// (NaN: not read); from and to of gaps; and the stretches that were held, each with its cause as a
// byte: its place in ceiling.Signs.
func (s *Strip) pack() []byte {
	b := make([]byte, 0, 16+8*len(s.T)+12*len(s.Posts)+8*len(s.Gaps))
	b = append(b, stripFormat, 0)
	if s.Side == trace.StallSide {
		b[1] = 1
	}
	put := func(v ...float64) { b = appendNumbers(b, v...) }
	put(s.WindowFrom, s.WindowTo)
	b = binary.AppendUvarint(b, uint64(len(s.T)))
	for i, t := range s.T {
		put(t, s.KW[i])
	}
	b = binary.AppendUvarint(b, uint64(len(s.Posts)))
	for _, p := range s.Posts {
		kw := math.NaN()
		if p.PowerKW != nil {
			kw = *p.PowerKW
		}
		put(p.SoCPct, p.TS, kw)
	}
	b = binary.AppendUvarint(b, uint64(len(s.Gaps)))
	for _, g := range s.Gaps {
		put(g.From, g.To)
	}
	b = binary.AppendUvarint(b, uint64(len(s.Held)))
	for _, h := range s.Held {
		put(h.FromS, h.ToS)
		b = append(b, byte(slices.IndexFunc(limit.Signs, func(x limit.Sign) bool { return x.Cause == h.Cause })))
	}
	return b
}

// unpackStrip reads what pack wrote. It fails with errPacked for anything else.
func unpackStrip(b []byte) (Strip, error) {
	var s Strip
	if len(b) < 2 || b[0] != stripFormat || b[1] > 1 {
		return s, fmt.Errorf("%d bytes: %w", len(b), errPacked)
	}
	s.Side = trace.CarSide
	if b[1] == 1 {
		s.Side = trace.StallSide
	}
	r := packedReader{rest: b[2:]}
	s.WindowFrom, s.WindowTo = r.number(), r.number()
	for range r.count(8) {
		s.T = append(s.T, r.number())
		s.KW = append(s.KW, r.number())
	}
	for range r.count(12) {
		p := curve.Post{SoCPct: r.number(), TS: r.number()}
		if kw := r.number(); !math.IsNaN(kw) {
			p.PowerKW = &kw
		}
		s.Posts = append(s.Posts, p)
	}
	for range r.count(8) {
		s.Gaps = append(s.Gaps, trace.Span{From: r.number(), To: r.number()})
	}
	for range r.count(9) {
		h := Held{FromS: r.number(), ToS: r.number(), Cause: limit.Unknown}
		if i := r.octet(); int(i) < len(limit.Signs) {
			h.Cause = limit.Signs[i].Cause
		}
		s.Held = append(s.Held, h)
	}
	if r.short || len(r.rest) > 0 {
		return Strip{}, fmt.Errorf("%d bytes: %w", len(b), errPacked)
	}
	return s, nil
}
