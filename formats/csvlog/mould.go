package csvlog

// mould is the form of a cell as the row above had it: how many digits there are before and behind the point, and what
// ends it. A logger writes rows of one form for long, and a cell of a known form of up to eight bytes is read whole, in
// a few steps for all of its digits, where one byte at a time takes as many steps for each. Bytes are counted from the
// first as the lowest, and the cell's last stands highest.
type mould struct {
	long  int     // how many bytes it has, with what ends it; 0: there is no form
	shape uint64  // its bytes, '0' for each digit
	mask  uint64  // where they stand
	carry uint64  // what lifts a byte that the form does not have into the upper half of it
	whole uint64  // where the digits before the point stand
	part  uint64  // where those behind it do, or all of them where there is no point
	scale float64 // what the digits as one number are divided by, less than 0 behind a minus
}

// mouldOf is the form of the cell of so many bytes, what ends it among them, at a place of a text. One that is longer
// than eight bytes, and one without digits, has none.
func mouldOf(text []byte, pos, long int) mould {
	if long > 8 || pos+long < 8 {
		return mould{}
	}
	m := mould{long: long, scale: 1}
	point, digits := false, 0
	for i := range long {
		c, at := text[pos+i], uint(64-8*long+8*i)
		m.mask |= 0xFF << at
		switch {
		case c-'0' <= 9:
			digits++
			m.shape |= '0' << at
			m.carry |= 0x06 << at
			m.part |= 0xFF << at
			if point {
				m.scale *= 10
			}
			continue
		case c == '.':
			point = true
			m.whole, m.part = m.part, 0
		case c == '-':
			m.scale = -1
		case c == '\r':
			return mould{}
		}
		m.shape |= uint64(c) << at
		m.carry |= 0x0F << at
	}
	if digits == 0 {
		return mould{}
	}
	return m
}

// number reads a cell of this form out of the eight bytes that its last one ends; false: it has another form.
//
// What is left of a byte beside its form is 0 to 9 for a digit and 0 for another; anything else is in the upper half of
// the byte, or is lifted there by carry. The digits are then moved together, and added up in pairs, fours and eights:
// ten times a digit and its neighbour, a hundred times a pair and its neighbour, ten thousand times a four.
func (m *mould) number(eight uint64) (float64, bool) {
	const upper, pairs = 0xF0F0F0F0F0F0F0F0, 0x000000FF000000FF
	x := (eight ^ m.shape) & m.mask
	if (x|(x+m.carry))&upper != 0 {
		return 0, false
	}
	x = x&m.whole<<16 | x&m.part<<8
	x = x*10 + x>>8
	x = ((x&pairs)*(100+1_000_000<<32) + (x>>16&pairs)*(1+10_000<<32)) >> 32
	return float64(int64(x)) / m.scale, true
}
