// Package words writes figures the way testers say them.
package words

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Clock writes seconds as minutes and seconds, "24:30", rounded to the second;
// negative times carry a minus, hours are not split off (a tester says "at 72
// minutes").
func Clock(s float64) string {
	n := int(math.Round(math.Abs(s)))
	sign := ""
	if s < 0 && n > 0 {
		sign = "−"
	}
	return fmt.Sprintf("%s%d:%02d", sign, n/60, n%60)
}

// Duration writes seconds in words, "24 min 30 s", "45 s", "6 min".
func Duration(s float64) string {
	n := int(math.Round(math.Abs(s)))
	switch {
	case n < 60:
		return fmt.Sprintf("%d s", n)
	case n%60 == 0:
		return fmt.Sprintf("%d min", n/60)
	}
	return fmt.Sprintf("%d min %02d s", n/60, n%60)
}

// Hours writes a longer time in hours and minutes, "5 h 10 min", "40 min".
func Hours(s float64) string {
	n := int(math.Round(math.Abs(s) / 60))
	if n < 60 {
		return fmt.Sprintf("%d min", n)
	}
	if n%60 == 0 {
		return fmt.Sprintf("%d h", n/60)
	}
	return fmt.Sprintf("%d h %02d min", n/60, n%60)
}

// Figure writes a number with the given decimals at most, without trailing zeros
// and with a true minus sign.
func Figure(v float64, decimals int) string {
	p := math.Pow(10, float64(decimals))
	r := math.Round(v*p) / p
	if r == 0 {
		return "0"
	}
	s := strconv.FormatFloat(math.Abs(r), 'f', -1, 64)
	if r < 0 {
		return "−" + s
	}
	return s
}

// Fixed writes a number with exactly the given decimals.
func Fixed(v float64, decimals int) string {
	s := strconv.FormatFloat(math.Abs(v), 'f', decimals, 64)
	if v < 0 && s != strconv.FormatFloat(0, 'f', decimals, 64) {
		return "−" + s
	}
	return s
}

// SignedClock is Clock with a plus sign in front of what is above zero.
func SignedClock(s float64) string {
	if math.Round(s) > 0 {
		return "+" + Clock(s)
	}
	return Clock(s)
}

// Percent and Degrees write a figure with its unit so that no line breaks within it: "12 %"
// with one decimal where it has one, "21 °C" in whole degrees.
func Percent(v float64) string { return Figure(v, 1) + "\u00a0%" }

// Degrees is described at Percent.
func Degrees(v float64) string { return Figure(v, 0) + "\u00a0°C" }

// Window writes a window, "10–80 %".
func Window(fromPct, toPct float64) string {
	return Figure(fromPct, 1) + "–" + Figure(toPct, 1) + " %"
}

// Plural gives a word for so many of a thing: "attempt", "attempts".
func Plural(n int, word string) string {
	if n == 1 {
		return word
	}
	return word + "s"
}

// ParseClock reads h:mm:ss, m:ss or, where two parts mean hours and minutes, h:mm,
// and gives seconds. The last part may have decimals; all but the first must be
// under 60; a minus stands before the whole. False for anything else.
func ParseClock(s string, hours bool) (float64, bool) {
	sign := 1.0
	if rest, ok := strings.CutPrefix(strings.Replace(s, "−", "-", 1), "-"); ok {
		s, sign = rest, -1
	}
	parts := strings.Split(strings.Replace(s, ",", ".", 1), ":")
	if len(parts) < 2 || len(parts) > 3 {
		return 0, false
	}
	total := 0.0
	for i, part := range parts {
		v, err := strconv.ParseFloat(part, 64)
		if err != nil || v < 0 || !(part[0] >= '0' && part[0] <= '9') || i > 0 && v >= 60 ||
			i < len(parts)-1 && v != math.Trunc(v) {
			return 0, false
		}
		total = total*60 + v
	}
	if hours && len(parts) == 2 {
		total *= 60
	}
	return sign * total, true
}
