package csvlog

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"unicode"
)

// noValue lists what loggers and spreadsheets write where they have no value.
var noValue = map[string]bool{
	"": true, "-": true, "--": true, "nan": true, "null": true, "n/a": true, "na": true,
	"#n/a": true, "none": true, "nil": true, "?": true, "—": true, "–": true,
}

var powersOfTen = [...]float64{1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10,
	1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22}

// parseNumber reads a cell: NaN where it says "no value", false where it is no
// number. A unit behind the number is passed over.
//
// Plain decimals of up to 15 digits are worked out here, exactly: mantissa and
// power of ten are both exact then and one division rounds once. Everything else
// goes to strconv.
func parseNumber(cell []byte, comma bool) (float64, bool) {
	point := byte('.')
	if comma {
		point = ','
	}
	i, neg := 0, false
	if len(cell) > 0 && cell[0] == '-' {
		neg, i = true, 1
	}
	mantissa, digits, fraction, dot := uint64(0), 0, 0, false
	for ; i < len(cell); i++ {
		c := cell[i]
		switch {
		case c >= '0' && c <= '9':
			mantissa = mantissa*10 + uint64(c-'0')
			digits++
			if dot {
				fraction++
			}
			if digits > 15 {
				return parseSlow(cell, comma)
			}
		case c == point && !dot:
			dot = true
		default:
			return parseSlow(cell, comma)
		}
	}
	if digits == 0 {
		return parseSlow(cell, comma)
	}
	v := float64(mantissa)
	if fraction > 0 {
		v /= powersOfTen[fraction]
	}
	if neg {
		v = -v
	}
	return v, true
}

// parseSlow reads what the quick way does not: words for no value, spaces and signs that are not
// ASCII, units behind the number, thousands marks.
func parseSlow(cell []byte, comma bool) (float64, bool) {
	s := string(bytes.TrimSpace(cell))
	if noValue[strings.ToLower(s)] {
		return math.NaN(), true
	}
	s = strings.NewReplacer("−", "-", "\u00a0", "", "\u202f", "", " ", "").Replace(s)
	end := len(s)
	for end > 0 && !(s[end-1] >= '0' && s[end-1] <= '9' || s[end-1] == '.' || s[end-1] == ',') {
		end--
	}
	if len(s)-end > 5 || !isUnit(s[end:]) {
		return 0, false
	}
	s = s[:end]
	if comma {
		if strings.Count(s, ",") > 1 || strings.Contains(s, ".") && strings.LastIndex(s, ".") > strings.Index(s, ",") {
			return 0, false
		}
		s = strings.ReplaceAll(s, ".", "")
		s = strings.ReplaceAll(s, ",", ".")
	}
	if strings.ContainsAny(s, "xXpP_") {
		return 0, false
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, false
	}
	return v, true
}

// isUnit tells whether what stands behind a number can be a unit.
func isUnit(s string) bool {
	for _, r := range s {
		if !unicode.IsLetter(r) && !strings.ContainsRune("%‰°/", r) {
			return false
		}
	}
	return true
}
