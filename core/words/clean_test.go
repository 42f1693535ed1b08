package words

import (
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	_ "zincroad/internal/sampled"
)

// What anybody can send becomes a line, or a text, and nothing else.
func TestLineAndProse(t *testing.T) {
	assert.Equal(t, "Larch  52", Line("\ufeff Larch\r\n52\x00\x07 "))
	assert.Equal(t, "data: forged", Line("\rdata: forged\u2028"))
	assert.Equal(t, "Tamarack 78", Line("Tama\xffrack\u202e 78"))
	assert.Equal(t, "one\ntwo\n\tthree", Prose("one\r\ntwo\r\tthree\x1b"))
	assert.Equal(t, "Straße · 24 °C", Line("Straße · 24 °C"))
	rapid.Check(t, func(rt *rapid.T) {
		raw := string(rapid.SliceOf(rapid.Byte()).Draw(rt, "bytes")) + rapid.String().Draw(rt, "text")
		line, prose := Line(raw), Prose(raw)
		for _, s := range []string{line, prose} {
			if !utf8.ValidString(s) || s != strings.TrimSpace(s) {
				rt.Fatalf("%q", s)
			}
		}
		if strings.ContainsFunc(line, unicode.IsControl) {
			rt.Fatalf("%q", line)
		}
		if strings.ContainsFunc(prose, func(r rune) bool { return unicode.IsControl(r) && r != '\n' && r != '\t' }) {
			rt.Fatalf("%q", prose)
		}
		if Line(line) != line || Prose(prose) != prose {
			rt.Fatal("cleaning twice is cleaning once")
		}
	})
}

// Texts that a spreadsheet would work out are marked as texts; numbers, also below zero, are not.
func TestCell(t *testing.T) {
	for in, want := range map[string]string{
		"=1+1": "'=1+1", "+cmd|' /C calc'!A0": "'+cmd|' /C calc'!A0", "-2+3": "'-2+3", "@SUM(A1)": "'@SUM(A1)",
		"\tx": "'\tx", "-2.5": "-2.5", "+0:12": "+0:12", "Larch": "Larch", "": "", "-": "'-",
	} {
		assert.Equal(t, want, Cell(in), in)
	}
}
