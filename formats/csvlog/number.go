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
	"": true, "-": true, "--": true, "---": true, "nan": true, "null": true, "n/a": true, "na": true,
	"none": true, "nil": true, "?": true, "—": true, "–": true, ".": true, "n.a.": true, "k.a.": true, "s/o": true,
	"inf": true, "-inf": true, "+inf": true, "infinity": true, "-infinity": true, "undefined": true, "-nan": true,
	"nan(ind)": true, "-nan(ind)": true, "1.#qnan": true, "-1.#ind": true, "unavailable": true, "unknown": true,
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
	if noValue[strings.ToLower(s)] || strings.HasPrefix(s, "#") { // #DIV/0!, #WERT!, whatever the language
		return math.NaN(), true
	}
	s = strings.NewReplacer("−", "-", "\u00a0", "", "\u202f", "", " ", "", "'", "", "’", "").Replace(s)
	end := len(s)
	for end > 0 && !(s[end-1] >= '0' && s[end-1] <= '9' || s[end-1] == '.' || s[end-1] == ',') {
		end--
	}
	if len(s)-end > 5 || !isUnit(s[end:]) {
		return 0, false
	}
	s = s[:end]
	if !comma && strings.Contains(s, ",") {
		if !grouped(s, ',', '.') {
			return 0, false
		}
		s = strings.ReplaceAll(s, ",", "")
	}
	if comma {
		if strings.Contains(s, ".") && !grouped(s, '.', ',') {
			return 0, false
		}
		if strings.Count(s, ",") > 1 {
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

// grouped tells whether a number's whole part is written in groups of three digits with a mark
// between them.
func grouped(s string, mark, point byte) bool {
	whole, _, _ := strings.Cut(strings.TrimLeft(s, "+-"), string(point))
	groups := strings.Split(whole, string(mark))
	if len(groups) < 2 || len(groups[0]) == 0 || len(groups[0]) > 3 || strings.Contains(s[len(s)-1:], string(mark)) {
		return false
	}
	for _, g := range groups[1:] {
		if len(g) != 3 {
			return false
		}
	}
	return !strings.Contains(strings.TrimPrefix(s[strings.IndexByte(s, groups[0][0]):], whole), string(mark))
}

// The decimal marks.
const (
	pointMark = "."
	commaMark = ","
)

// decimalMark tells which mark stands before the decimals of a column's cells; empty where they
// do not show it. A mark with three digits behind it may be either: then it is what makes the
// values run smoothly with those that have no mark.
func decimalMark(cells []string) string {
	votes := map[string]int{}
	open := map[string]int{}
	large := false // a whole number of four digits and more without a mark
	for _, cell := range cells {
		body := strings.TrimFunc(cell, func(r rune) bool { return !unicode.IsDigit(r) })
		comma, point := strings.Count(body, commaMark), strings.Count(body, pointMark)
		switch {
		case comma == 0 && point == 0:
			large = large || len(body) >= 4 && strings.Trim(body, "0123456789") == ""
		case comma > 0 && point > 0:
			if strings.LastIndex(body, commaMark) > strings.LastIndex(body, pointMark) {
				votes[commaMark]++
			} else {
				votes[pointMark]++
			}
		case comma > 1:
			votes[pointMark]++
		case point > 1:
			votes[commaMark]++
		case comma == 1:
			judge(body, commaMark, votes, open)
		case point == 1:
			judge(body, pointMark, votes, open)
		}
	}
	if c, p := votes[commaMark], votes[pointMark]; c != p {
		if c > p {
			return commaMark
		}
		return pointMark
	}
	if (open[commaMark] > 0) == (open[pointMark] > 0) {
		return ""
	}
	mark, other := commaMark, pointMark
	if open[pointMark] > 0 {
		mark, other = pointMark, commaMark
	}
	if large {
		return mark // thousands are not grouped in this column
	}
	if asDecimal, asGroup, both := roughness(cells, mark == commaMark); both && asGroup < asDecimal/2 {
		return other
	} else if both && asDecimal < asGroup/2 {
		return mark
	}
	return ""
}

// judge counts what one cell with one mark says: anything but three digits behind it makes it a
// decimal mark, as does a zero before it; three digits leave it open.
func judge(body, mark string, votes, open map[string]int) {
	whole, rest, _ := strings.Cut(body, mark)
	if len(rest) != 3 || len(whole) > 3 || whole == "" || whole[0] == '0' {
		votes[mark]++
		return
	}
	open[mark]++
}

// roughness is how much the values of cells leap from one to the next, against their range, with the mark
// taken as decimal and as a thousands mark; both is false where too few cells are there to say, or all of
// them have the mark.
func roughness(cells []string, comma bool) (asDecimal, asGroup float64, both bool) {
	jump := func(decimalComma bool) (float64, bool) {
		low, high, sum, last, n := math.Inf(1), math.Inf(-1), 0.0, math.NaN(), 0
		for _, c := range cells {
			v, ok := parseNumber([]byte(c), decimalComma)
			if !ok || math.IsNaN(v) {
				continue
			}
			low, high = math.Min(low, v), math.Max(high, v)
			if !math.IsNaN(last) {
				sum += (v - last) * (v - last) // squared: one leap weighs more than many steps
			}
			last = v
			n++
		}
		return sum / math.Max(1e-12, (high-low)*(high-low)), n >= 4 && high > low
	}
	a, ok1 := jump(comma)
	b, ok2 := jump(!comma)
	mixed := false
	for _, c := range cells {
		mixed = mixed || strings.ContainsAny(c, "0123456789") && !strings.ContainsAny(c, ",.")
	}
	return a, b, ok1 && ok2 && mixed
}
