package csvlog

import (
	"encoding/binary"
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"
)

// A cell of a known form is the number that strconv makes of it, and a byte that the form does not have is told,
// whichever it is and wherever.
func TestFormsOfCells(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 400 {
		cell := ""
		if r.IntN(4) == 0 {
			cell = "-"
		}
		for range r.IntN(4) {
			cell += string(rune('0' + r.IntN(10)))
		}
		if r.IntN(3) > 0 {
			cell += "."
		}
		for range 1 + r.IntN(7-len(cell)) {
			cell += string(rune('0' + r.IntN(10)))
		}
		text := []byte("1234567," + cell + ",9")
		from, long := 8, len(cell)+1
		m := mouldOf(text, from, long)
		require.Equal(t, long, m.long, cell)
		eight := text[from+long-8:]
		read := func() (float64, bool) { return m.number(binary.LittleEndian.Uint64(eight)) }
		for i := range long {
			was := text[from+i]
			for c := range 256 {
				text[from+i] = byte(c)
				got, ok := read()
				digit := c >= '0' && c <= '9' && was >= '0' && was <= '9'
				if known := digit || byte(c) == was; known != ok {
					require.Failf(t, "form", "%q as %q: %t", text[from:from+long], cell, ok)
				}
				if ok {
					want, err := strconv.ParseFloat(string(text[from:from+long-1]), 64)
					require.NoError(t, err)
					require.Equal(t, want, got, "%q as %q", text[from:from+long], cell)
				}
			}
			text[from+i] = was
		}
	}
}

// What has no form is read a byte at a time: empty cells, long ones, and what stands less than eight bytes into a text.
func TestCellsWithoutAForm(t *testing.T) {
	for _, c := range []struct {
		text      string
		pos, long int
	}{
		{"12345678,,1", 9, 1},
		{"12345678,-,1", 9, 2},
		{"12345678,12.345678,1", 9, 10},
		{"12345678,12\r\n", 9, 4},
		{"12,34,56", 3, 3},
	} {
		require.Zero(t, mouldOf([]byte(c.text), c.pos, c.long).long, c.text)
	}
}
