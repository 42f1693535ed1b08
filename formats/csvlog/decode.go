package csvlog

import (
	"bytes"
	"io"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// The encodings that are told apart.
const (
	utf8Text    = "utf-8"
	utf16Text   = "utf-16"
	utf16LEText = "utf-16le" // without a byte-order mark
	utf16BEText = "utf-16be"
	windowsText = "windows-1252"
)

// sniff tells a text's encoding from its beginning: a UTF-16 byte-order mark,
// valid UTF-8, else the Western one-byte code that spreadsheets write.
func sniff(head []byte) string {
	switch {
	case bytes.HasPrefix(head, []byte{0xff, 0xfe}), bytes.HasPrefix(head, []byte{0xfe, 0xff}):
		return utf16Text
	case bareUTF16(head, 1):
		return utf16LEText
	case bareUTF16(head, 0):
		return utf16BEText
	case utf8.Valid(trimPartial(head)):
		return utf8Text
	}
	return windowsText
}

// wide tells the encodings of two bytes a character.
func wide(encoding string) bool {
	return encoding == utf16Text || encoding == utf16LEText || encoding == utf16BEText
}

// bareUTF16 tells UTF-16 without a mark: nearly every second byte, from one on, is zero, and
// hardly any of the others.
func bareUTF16(head []byte, from int) bool {
	zero, other := 0, 0
	n := min(len(head), 4096) &^ 1
	for i := 0; i < n; i += 2 {
		if head[i+from] == 0 {
			zero++
		}
		if head[i+1-from] == 0 {
			other++
		}
	}
	return n >= 8 && zero > n/2*9/10 && other == 0
}

// trimPartial leaves out a character that the end of the sample cuts in two.
func trimPartial(b []byte) []byte {
	for i := 1; i <= 3 && i <= len(b); i++ {
		if utf8.RuneStart(b[len(b)-i]) {
			if !utf8.FullRune(b[len(b)-i:]) {
				return b[:len(b)-i]
			}
			break
		}
	}
	return b
}

// decode gives the text as UTF-8 without a byte-order mark.
func decode(r io.Reader, encoding string) io.Reader {
	switch encoding {
	case utf16Text:
		return transform.NewReader(r, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder())
	case utf16LEText:
		return transform.NewReader(r, unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewDecoder())
	case utf16BEText:
		return transform.NewReader(r, unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM).NewDecoder())
	case windowsText:
		return transform.NewReader(r, charmap.Windows1252.NewDecoder())
	}
	return transform.NewReader(r, unicode.BOMOverride(transform.Nop))
}

// onlyCR tells a text whose lines end with a carriage return alone.
func onlyCR(head []byte) bool {
	return bytes.IndexByte(head, '\r') >= 0 && bytes.IndexByte(head, '\n') < 0
}

// text gives a table's text as UTF-8, its lines ended by line feeds.
func (l *Layout) text(r io.Reader) io.Reader {
	out := decode(r, l.Encoding)
	if l.CR {
		return &feeds{out}
	}
	return out
}

// feeds makes line feeds of carriage returns.
type feeds struct{ r io.Reader }

// Read gives the text.
func (f *feeds) Read(p []byte) (int, error) {
	n, err := f.r.Read(p)
	for i, b := range p[:n] {
		if b == '\r' {
			p[i] = '\n'
		}
	}
	return n, err
}
