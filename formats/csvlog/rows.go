package csvlog

import (
	"bytes"
	"math"
	"slices"
	"strconv"
	"time"

	"zincroad/core/trace"
)

// row takes one row, or reports why it cannot. A cell that holds no value of its channel is left out and reported; a
// row that has nothing else is none.
func (p *reader) row(fields [][]byte, line int) {
	if p.layout.Long != nil {
		p.longRow(fields, line)
		return
	}
	if blank(fields) {
		return
	}
	if width := len(fields); width != len(p.cells) {
		if fields = p.fit(fields, line); fields == nil {
			return
		}
		defer func(n int) {
			if p.n > n {
				p.least = min(p.least, width)
			}
		}(p.n)
	}
	at, ok := p.timeOf(fields, line)
	if !ok {
		return
	}
	p.room()
	values := 0
	var bad []string
	for i := range p.cells {
		k := &p.cells[i]
		if k.channel == "" {
			continue
		}
		v, why := k.value(fields[i])
		if why != "" {
			bad = append(bad, why)
		} else if !math.IsNaN(v) {
			values++
		}
		k.out[p.n] = v
	}
	for _, why := range bad {
		p.fault(line, "%s", why)
	}
	if len(bad) > 0 && values == 0 {
		return
	}
	p.at[p.n] = at
	p.took(line)
}

// timeOf gives the time of a row; false where it has none, which is reported.
func (p *reader) timeOf(fields [][]byte, line int) (at float64, ok bool) {
	at = math.NaN()
	for i := range p.cells {
		k := &p.cells[i]
		if !k.time {
			continue
		}
		var date []byte
		if p.date >= 0 {
			date = fields[p.date]
		}
		if at, ok = p.times.parse(fields[i], date); ok {
			continue
		}
		if p.isHeader(fields) {
			p.fault(line, "the names of the columns again, no reading")
		} else {
			p.fault(line, "%s: %q is no time, expected %s", k.header, clip(fields[i]), p.layout.Time)
		}
		return at, false
	}
	return at, true
}

// fit makes a row of another length as long as the header: what is missing at its end is empty, and so must be what
// stands behind the last column. Nil for a row that is no reading, which is reported.
func (p *reader) fit(fields [][]byte, line int) [][]byte {
	switch n := len(fields); {
	case n > len(p.cells) && !blank(fields[len(p.cells):]):
		p.fault(line, "%d fields, expected %d", n, len(p.cells))
		return nil
	case n > len(p.cells):
		return fields[:len(p.cells)]
	case n < p.least && p.open:
		p.fault(line, "the last line was cut off while it was written: %d of %d fields", n, len(p.cells))
		return nil
	}
	for i := range fields {
		if k := &p.cells[i]; !k.time && !k.date && len(bytes.TrimSpace(fields[i])) > 0 {
			return append(fields, make([][]byte, len(p.cells)-len(fields))...)
		}
	}
	p.fault(line, "%q is no reading", clip(bytes.Join(fields, []byte{p.delim})))
	return nil
}

// isHeader tells whether a row names the columns again.
func (p *reader) isHeader(fields [][]byte) bool {
	for i, h := range p.header {
		if !bytes.Equal(bytes.TrimSpace(fields[i]), h) {
			return false
		}
	}
	return true
}

func blank(fields [][]byte) bool {
	for _, f := range fields {
		if len(bytes.TrimSpace(f)) > 0 {
			return false
		}
	}
	return true
}

// leaveOut drops the rows whose time is none of the log's own, and says so: one of
// them would make an hour of ten years.
func (p *reader) leaveOut() {
	out := trace.Outlying(p.at[:p.n])
	if len(out) == 0 {
		return
	}
	for _, i := range out {
		p.fault(p.lineOf(i), "the time, %s s into the log, is far outside its rhythm",
			strconv.FormatFloat(p.at[i], 'g', 6, 64))
	}
	first := out[0] == 0 && p.times.followed
	drop := func(col []float64) {
		n, k := 0, 0
		for i, v := range col[:p.n] {
			if k < len(out) && out[k] == i {
				k++
				continue
			}
			col[n] = v
			n++
		}
	}
	for i := range p.cells {
		if c := &p.cells[i]; c.channel != "" {
			drop(c.out)
		}
	}
	drop(p.at)
	if p.n -= len(out); first && p.n > 0 { // times counted from a row that is left out
		by := p.at[0]
		for i := range p.at[:p.n] {
			p.at[i] -= by
		}
		p.times.origin = p.times.origin.Add(time.Duration(by * float64(time.Second)))
	}
	slices.SortStableFunc(p.table.Faults, func(a, b Fault) int { return a.Line - b.Line })
}
