package words

import (
	"strings"
	"unicode"
)

// Line makes one line of words of anything: what is no text (invalid UTF-8, control characters, marks that
// turn the direction of what follows) goes, every kind of break is a space, and there are none at the ends.
func Line(s string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if isBreak(r) {
			return ' '
		}
		return plain(r)
	}, strings.ToValidUTF8(s, "")))
}

// Prose is Line for a text of several lines: each break is a newline, and tabs stay.
func Prose(s string) string {
	s = strings.ReplaceAll(strings.ToValidUTF8(s, ""), "\r\n", "\n")
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		switch {
		case r == '\t':
			return r
		case isBreak(r):
			return '\n'
		}
		return plain(r)
	}, s))
}

// isBreak tells whether a character begins a new line, or leaps along one.
func isBreak(r rune) bool {
	switch r {
	case '\n', '\r', '\t', '\v', '\f', '\u0085', '\u2028', '\u2029':
		return true
	}
	return false
}

// plain drops a character that is no part of a text.
func plain(r rune) rune {
	turns := r >= '\u202a' && r <= '\u202e' || r >= '\u2066' && r <= '\u2069'
	if unicode.IsControl(r) || turns || r == '\ufeff' || r == unicode.ReplacementChar {
		return -1
	}
	return r
}

// Cell makes a text safe to stand in a table that a spreadsheet opens: one that would be taken for a formula
// gets an apostrophe in front. A number stays one.
func Cell(s string) string {
	if s == "" || !strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return s
	}
	if rest := s[1:]; rest != "" && s[0] != '=' && strings.Trim(rest, "0123456789.,:") == "" {
		return s
	}
	return "'" + s
}
