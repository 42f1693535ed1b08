package trace

import (
	"math"
)

// aheadBlock is how many readings are asked of at once.
const aheadBlock = 256

// bounds are the lowest and the highest of some values.
type bounds struct{ low, high float64 }

var noBounds = bounds{math.Inf(1), math.Inf(-1)}

func (e *bounds) add(v float64) {
	if v < e.low {
		e.low = v
	}
	if v > e.high {
		e.high = v
	}
}

// Ahead lists the readings of which something is true by their value and by the lowest and the highest value of those
// after each, as far as a span of time ahead. A reading with none after it in the span is not asked of. What is asked
// may only become truer as the lowest falls and the highest rises, and where it is true of a value, it must be true of
// the lowest or of the highest of any values among which that is ("a quarter above the lowest", "10 away from either").
//
// So it is asked of blocks of readings first, by the lowest and highest value of the block and of all blocks that the
// span can reach. Of a quiet log nearly every block is passed over.
func (s Series) Ahead(spanS float64, is func(v, lowest, highest float64) bool) []int {
	n := len(s.T)
	blocks := make([]bounds, (n+aheadBlock-1)/aheadBlock)
	for b := range blocks {
		e := noBounds
		for _, v := range s.V[b*aheadBlock : min(n, (b+1)*aheadBlock)] {
			e.add(v)
		}
		blocks[b] = e
	}
	var found []int
	from, reach := -1, 0 // the readings from that on which have to be asked of; the block that a span reaches
	for b := range blocks {
		end := min(n, (b+1)*aheadBlock)
		for reach+1 < len(blocks) && s.T[(reach+1)*aheadBlock] <= s.T[end-1]+spanS {
			reach++
		}
		all := noBounds
		for _, e := range blocks[b : reach+1] {
			all.low, all.high = min(all.low, e.low), max(all.high, e.high)
		}
		may := is(blocks[b].low, all.low, all.high) || is(blocks[b].high, all.low, all.high)
		if may && from < 0 {
			from = b * aheadBlock
		}
		if from >= 0 && (!may || end == n) {
			to := b * aheadBlock
			if may {
				to = end
			}
			found = s.ahead(found, from, to, spanS, is)
			from = -1
		}
	}
	return found
}

// ahead asks of each of the readings [from, to), and adds those of which it is true to what was found.
//
// What lies ahead is a queue: readings come in at its far end and leave at its near one. It is kept as two heaps. Of
// the far one, what is lowest and highest is known as it grows. Of the near one each reading knows what is from itself
// to the end of the heap, so that it stays right as readings leave. When the near one is used up, the far one is turned
// over into it, from its end; every reading is turned once.
func (s Series) ahead(found []int, from, to int, spanS float64, is func(v, lowest, highest float64) bool) []int {
	var near []bounds // of the readings from nearest on
	nearest, next, far := from+1, from+1, noBounds
	for i := from; i < to; i++ {
		for ; next < len(s.T) && s.T[next] <= s.T[i]+spanS; next++ {
			far.add(s.V[next])
		}
		first := i + 1
		if first >= next { // nothing within the span
			continue
		}
		if first >= nearest+len(near) {
			nearest, near = first, append(near[:0], make([]bounds, next-first)...)
			far = noBounds
			for k := next - 1; k >= first; k-- {
				far.add(s.V[k])
				near[k-first] = far
			}
			far = noBounds
		}
		e := near[first-nearest]
		if is(s.V[i], min(e.low, far.low), max(e.high, far.high)) {
			found = append(found, i)
		}
	}
	return found
}
