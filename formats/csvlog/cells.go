package csvlog

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"

	"zincroad/core/trace"
)

// cellKind says what to do with one column's cells.
type cellKind struct {
	header   string
	time     bool
	date     bool
	comma    bool
	channel  trace.Channel
	min, max float64
	shift    float64
	factor   float64
	plain    bool      // shift 0, factor 1
	out      []float64 // the channel's column

	form  mould     // of its last cell
	still stillness // of this and the cells behind it
}

func (p *reader) split(line []byte) [][]byte {
	p.fields = p.fields[:0]
	if p.delim == ' ' {
		p.fields = append(p.fields, bytes.Fields(line)...)
		return p.fields
	}
	for {
		i := bytes.IndexByte(line, p.delim)
		if i < 0 {
			p.fields = append(p.fields, line)
			return p.fields
		}
		p.fields = append(p.fields, line[:i])
		line = line[i+1:]
	}
}

// fast reads the row of plain decimals that begins at a place of a text of whole lines into row n, and gives where the
// next begins; took counts it. It gives up, with 0, on anything that row must judge.
func (p *reader) fast(text []byte, pos int) int {
	if n := len(text); pos == n || text[n-1] != '\n' {
		return 0
	}
	for i := 0; i < len(p.cells); {
		k := &p.cells[i]
		if n := k.still.cells; n > 0 {
			if end := pos + len(k.still.text); end > pos && end <= len(text) && string(text[pos:end]) == k.still.text {
				pos = end
			} else if pos = p.stir(i, text, pos); pos == 0 {
				return 0
			}
			i += n
			continue
		}
		if end := pos + k.form.long; end > pos && end >= 8 && end <= len(text) {
			if v, ok := k.form.number(binary.LittleEndian.Uint64(text[end-8:])); ok {
				if !k.plain {
					v = (v + k.shift) * k.factor
				}
				if v < k.min || v > k.max {
					return 0
				}
				k.out[p.n] = v
				pos = end
				i++
				continue
			}
		}
		if pos = p.cell(i, text, pos); pos == 0 {
			return 0
		}
		i++
	}
	return pos
}

// cell reads one cell of a row as fast does, a byte at a time.
func (p *reader) cell(i int, text []byte, pos int) int {
	k, start := &p.cells[i], pos
	neg := text[pos] == '-'
	if neg {
		pos++
	}
	mantissa, begin := uint64(0), pos
	for ; text[pos]-'0' <= 9; pos++ {
		mantissa = mantissa*10 + uint64(text[pos]-'0')
	}
	digits, fraction := pos-begin, 0
	if text[pos] == '.' {
		pos++
		begin = pos
		for ; text[pos]-'0' <= 9; pos++ {
			mantissa = mantissa*10 + uint64(text[pos]-'0')
		}
		fraction = pos - begin
		digits += fraction
	}
	end := p.delim
	if i == len(p.cells)-1 {
		if end = '\n'; text[pos] == '\r' {
			pos++
		}
	}
	if text[pos] != end || digits > 15 {
		return 0
	}
	pos++
	v := float64(mantissa)
	if digits == 0 {
		if neg || fraction > 0 || k.time {
			return 0
		}
		v = math.NaN()
	} else if fraction > 0 {
		v /= powersOfTen[fraction]
	}
	if neg {
		v = -v
	}
	if k.out == nil {
		return pos
	}
	if !k.plain {
		v = (v + k.shift) * k.factor
	}
	if v < k.min || v > k.max {
		return 0
	}
	k.out[p.n] = v
	k.form = mouldOf(text, start, pos-start)
	return pos
}

// stillness is some cells beside each other that mostly say what those of the row above say (temperatures, volts, what
// is off): they are known again by their text, and their columns filled when it changes.
type stillness struct {
	cells int    // how many they are; 0: these are none
	text  string // what they said last
	from  int    // the first row that is not filled
}

// stir reads cells that stood still and say something else now, from the ith on.
func (p *reader) stir(i int, text []byte, pos int) int {
	p.fill(i)
	still, start := &p.cells[i].still, pos
	for k := i; k < i+still.cells; k++ {
		if pos = p.cell(k, text, pos); pos == 0 {
			return 0
		}
	}
	still.text, still.from = string(text[start:pos]), p.n+1
	return pos
}

// fill writes what cells that stand still said last into the rows that they said it in.
func (p *reader) fill(i int) {
	still := &p.cells[i].still
	if still.from == 0 || still.from >= p.n {
		return
	}
	for k := i; k < i+still.cells; k++ {
		out := p.cells[k].out[still.from-1 : p.n]
		for r := range out {
			out[r] = out[0]
		}
	}
	still.from = p.n
}

// value gives what a cell says in the channel's kept unit: NaN for no value, and why where it holds none of the
// channel.
func (k *cellKind) value(cell []byte) (v float64, why string) {
	v, ok := parseNumber(cell, k.comma)
	if !ok {
		return math.NaN(), fmt.Sprintf("%s: %q is no number", k.header, clip(cell))
	}
	if !k.plain {
		v = (v + k.shift) * k.factor
	}
	if v < k.min || v > k.max {
		in, _ := trace.Describe(k.channel)
		return math.NaN(), fmt.Sprintf("%s: %s, expected %g to %g %s", k.header, clip(cell), k.min, k.max, in.Unit)
	}
	return v, ""
}

// clip shortens a cell for a message.
func clip(cell []byte) string {
	s := strings.ToValidUTF8(string(bytes.TrimSpace(cell)), "?")
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}
