package csvlog

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"runtime"
	"slices"
	"sync"
)

// blockBytes is how much text is read in one go by one of several at once, and blocksEach how many of them each takes
// before those behind are begun: few enough to stay near the processor until they are read, and enough that none waits
// long for the others to finish.
const (
	blockBytes = 1 << 18
	blocksEach = 4
)

// block is a stretch of whole lines. Its rows go straight into the reader's columns, behind as many as there would be
// if every line before it were one: written there by several at once, and moved only where some lines were none.
type block struct {
	reader        // its columns alone, a part of the whole table's
	text   []byte // empty: there was no more
	from   int    // the row of the whole table that its first would be
	lines  int
	plain  bool // all of its lines were taken by fast
}

// take reads the rows of a block, as long as fast takes them.
func (b *block) take() {
	for i := range b.cells {
		b.cells[i].still = stillness{}
	}
	for pos := 0; pos < len(b.text); {
		if pos = b.fast(b.text, pos); pos == 0 {
			b.plain = false
			return
		}
		if b.n++; b.n == tellingRows {
			b.finish()
		}
	}
	for i := range b.cells {
		b.fill(i)
	}
	b.plain = true
}

// tellingRows are the first rows of a block, by which it is told which columns are steady.
const tellingRows = 64

// finish finds the cells beside each other whose columns said nothing new, or once.
func (b *block) finish() {
	first := -1
	for i := range b.cells {
		k := &b.cells[i]
		changes := 0
		for r := 1; r < tellingRows && k.out != nil; r++ {
			if v, above := k.out[r], k.out[r-1]; v != above && (v == v || above == above) {
				changes++
			}
		}
		if k.out == nil || changes > 1 {
			first = -1
			continue
		}
		if first < 0 {
			first = i
		}
		b.cells[first].still.cells++
	}
}

// place makes room for the lines of all blocks, and gives each its part of the columns.
func (p *reader) place(blocks []*block) {
	from := p.n
	for _, b := range blocks {
		b.from, b.lines, b.n = from, bytes.Count(b.text, []byte{'\n'}), 0
		from += b.lines
	}
	if from > len(p.at) {
		p.grow(from - len(p.at))
	}
	for _, b := range blocks {
		b.at = p.at[b.from : b.from+b.lines]
		for i := range p.cells {
			if k := &p.cells[i]; k.channel != "" {
				b.cells[i].out = k.out[b.from : b.from+b.lines]
			} else if k.time {
				b.cells[i].out = b.at
			}
		}
	}
}

// feed fills blocks with whole lines.
type feed struct {
	from io.Reader
	rest []byte // the beginning of a line whose end has not been read
	err  error  // io.EOF at the end
}

func (f *feed) fill(blocks []*block) {
	for _, b := range blocks {
		b.text = append(b.text[:0], f.rest...)
		f.rest = f.rest[:0]
		if f.err == nil {
			b.text, f.err = fill(b.text, f.from)
		}
		if end := bytes.LastIndexByte(b.text, '\n') + 1; f.err == nil && end > 0 {
			f.rest = append(f.rest, b.text[end:]...)
			b.text = b.text[:end]
		}
	}
}

// Read gives what stands behind the blocks.
func (f *feed) Read(p []byte) (int, error) {
	if len(f.rest) > 0 {
		n := copy(p, f.rest)
		f.rest = f.rest[n:]
		return n, nil
	}
	if f.err != nil {
		return 0, f.err
	}
	return f.from.Read(p)
}

// inBlocks goes through the rows as run does, several blocks at once, while those behind them are filled.
// Blocks of nothing but plain rows, as a logger writes them by the million, are taken as they are; any other is
// gone through again by run, in its place, for what is odd about it depends on the lines before it.
func (p *reader) inBlocks(r io.Reader, o Options) error {
	o.Rows = 0
	several := func() []*block {
		blocks := make([]*block, blocksEach*runtime.GOMAXPROCS(0))
		for i := range blocks {
			blocks[i] = &block{reader: *newReader(p.layout, o), text: make([]byte, 0, blockBytes+1<<16)}
		}
		return blocks
	}
	now, next, f := several(), several(), &feed{from: r}
	f.fill(now)
	for more := true; more; now, next = next, now {
		more = f.err == nil
		p.place(now)
		var all sync.WaitGroup
		for _, b := range now {
			all.Go(b.take)
		}
		if more {
			f.fill(next)
		}
		all.Wait()
		for i, b := range now {
			if b.plain && p.line+1 >= p.layout.dataLine() { // what stands above the readings are none, plain as they look
				p.add(b)
				continue
			}
			open := more && len(b.text) > 0 && b.text[len(b.text)-1] != '\n' // one line, longer than a block
			if open || bytes.IndexByte(b.text, '"') >= 0 {                   // a quoted field may go on in the next block
				behind := now[i:]
				if more {
					behind = slices.Concat(behind, next)
				}
				var parts []io.Reader
				for _, later := range behind {
					parts = append(parts, bytes.NewReader(later.text))
				}
				return p.run(bufio.NewReaderSize(io.MultiReader(append(parts, f)...), 1<<18))
			}
			lines := p.line + b.lines
			if err := p.run(bufio.NewReaderSize(bytes.NewReader(b.text), 1<<18)); err != nil {
				return err
			}
			p.line = lines // run counts the end as a line
		}
	}
	if errors.Is(f.err, io.EOF) {
		return nil
	}
	return f.err
}

// fill reads on until a block is full. The error is io.EOF at the end.
func fill(text []byte, r io.Reader) ([]byte, error) {
	for len(text) < blockBytes {
		n, err := r.Read(text[len(text):blockBytes])
		text = text[:len(text)+n]
		if err != nil {
			return text, err
		}
	}
	return text, nil
}

// add takes over the rows of a block.
func (p *reader) add(b *block) {
	if b.n == 0 {
		return
	}
	if p.n < b.from { // the row by row reading of a block before this one took fewer than it has lines
		copy(p.at[p.n:], b.at)
		for i := range p.cells {
			if k := &p.cells[i]; k.channel != "" {
				copy(k.out[p.n:], b.cells[i].out)
			}
		}
	}
	p.took(p.line + 1)
	p.n += b.n - 1
	p.line += b.n
}
