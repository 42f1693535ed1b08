package ui

import (
	"math"
	"net/http"
	"strconv"
	"strings"

	"zincroad/core/units"
	"zincroad/core/words"
)

// What is kept and worked out is in °C and km. A page is written in its reader's units: texts and quantities by say,
// fields by field, units' names by unit, charts from converted values.

// MeasuresOf gives the units that a reader has chosen; they travel in a cookie.
func MeasuresOf(r *http.Request) units.People {
	c, err := r.Cookie("units")
	if err != nil {
		return units.People{}
	}
	return MeasuresNamed(c.Value)
}

// MeasuresNamed reads "f", "mi" or both, as the cookie and a plan's address have them.
func MeasuresNamed(s string) units.People {
	var p units.People
	for _, name := range strings.Split(s, "-") {
		p.Fahrenheit = p.Fahrenheit || name == "f"
		p.Miles = p.Miles || name == "mi"
	}
	return p
}

// MeasuresName is how MeasuresNamed is told these units.
func MeasuresName(p units.People) string {
	var out []string
	if p.Fahrenheit {
		out = append(out, "f")
	}
	if p.Miles {
		out = append(out, "mi")
	}
	return strings.Join(out, "-")
}

// inField converts a number for a field: with a decimal at least, without trailing zeros.
func inField(number, kept string, p units.People) string {
	v, err := strconv.ParseFloat(strings.ReplaceAll(number, "−", "-"), 64)
	if err != nil || p.Name(kept) == kept {
		return number
	}
	decimals := 1
	if i := strings.IndexByte(number, '.'); i >= 0 {
		decimals = max(1, min(3, len(number)-i-1))
	}
	return strings.ReplaceAll(words.Figure(p.Show(kept, v), decimals), "−", "-")
}

// Converted gives a column in the reader's units.
func Converted(v []float64, kept string, p units.People) []float64 {
	if p.Name(kept) == kept {
		return v
	}
	out := make([]float64, len(v))
	for i := range v {
		if out[i] = math.NaN(); !math.IsNaN(v[i]) {
			out[i] = p.Show(kept, v[i])
		}
	}
	return out
}
