package ui

import (
	"bytes"
	"math"
	"net/http"
	"regexp"
	"strconv"
	"strings"

	"zincroad/core/units"
	"zincroad/core/words"
)

// What is kept and worked out is in °C and km. Pages are made in these, and what a
// reader sees is put into the reader's own units on its way out: in texts wherever a
// number stands before its unit, in fields by the unit that they name. Charts are drawn
// from converted values.

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

// SetUnits keeps the reader's units.
func (s *Pages) SetUnits(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	p := units.People{Fahrenheit: f.Word("temperature", []string{"c", "f"}) == "f",
		Miles: f.Word("distance", []string{"km", "mi"}) == "mi"}
	http.SetCookie(w, &http.Cookie{Name: "units", Value: MeasuresName(p), Path: "/", MaxAge: 365 * 86400, HttpOnly: true,
		SameSite: http.SameSiteLaxMode})
	Back(w, r, "/")
}

const (
	// the second number of a range: 10–20, 21 to 27, 310 of 353
	secondText = `(?:(–| to | and | of | → )([−-]?\d+(?:[.,]\d+)?))?`
	numberText = `([−-]?(?:\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d+(?:[.,]\d+)?))`
	// between a number and its unit: spaces, the end of a bold number, the tag around the unit.
	betweenText = `((?:</b>|</tspan>)?(?:[ \x{a0}]|&nbsp;)*(?:<span class="unit">|</span><span class="of">)?)`
)

var (
	thousands   = regexp.MustCompile(`^-?\d{1,3}(,\d{3})+(\.\d+)?$`)
	scripts     = regexp.MustCompile(`(?s)<script.*?</script>`)
	temperature = regexp.MustCompile(numberText + secondText + betweenText + `(°C)`)
	distance    = regexp.MustCompile(numberText + secondText + betweenText + `(Wh/km|km/h|km)\b`)
	// A unit without a number only where it names a field's, a column's or a figure's:
	// in a list of units to choose from it says what a file is in.
	unitAlone  = regexp.MustCompile(`(class="unit">|class="of">|SoC kW )(°C|Wh/km|km/h|km)`)
	unitField  = regexp.MustCompile(`(__unit" value=")(°C|Wh/km|km/h|km)"`)
	fieldTag   = regexp.MustCompile(`<input [^>]*data-unit="(°C|km/h|km|Wh/km)"[^>]*>`)
	fieldValue = regexp.MustCompile(` (value|placeholder|min|max)="` + numberText + `"`)
)

// Localised puts a page into a reader's units.
func Localised(page []byte, p units.People) []byte {
	if p == (units.People{}) {
		return page
	}
	var out bytes.Buffer
	at := 0
	for _, span := range scripts.FindAllIndex(page, -1) {
		out.Write(LocalisedText(page[at:span[0]], p))
		out.Write(page[span[0]:span[1]]) // data of charts are converted where they are made
		at = span[1]
	}
	out.Write(LocalisedText(page[at:], p))
	return out.Bytes()
}

// LocalisedText puts the figures of a text into a reader's units.
func LocalisedText(text []byte, p units.People) []byte {
	text = fieldTag.ReplaceAllFunc(text, func(tag []byte) []byte {
		kept := string(fieldTag.FindSubmatch(tag)[1])
		return fieldValue.ReplaceAllFunc(tag, func(attr []byte) []byte {
			m := fieldValue.FindSubmatch(attr)
			if string(m[1]) == "value" && bytes.Contains(tag, []byte(" data-typed")) {
				return attr // as the reader typed it
			}
			return []byte(" " + string(m[1]) + `="` + inField(string(m[2]), kept, p) + `"`)
		})
	})
	number := func(of *regexp.Regexp) func([]byte) []byte {
		return func(found []byte) []byte {
			m := of.FindSubmatch(found)
			kept := string(m[5])
			out := shown(string(m[1]), kept, p)
			if len(m[3]) > 0 {
				out += string(m[2]) + shown(string(m[3]), kept, p)
			}
			return []byte(out + string(m[4]) + p.Name(kept))
		}
	}
	alone := func(of *regexp.Regexp, behind string) func([]byte) []byte {
		return func(found []byte) []byte {
			m := of.FindSubmatch(found)
			return []byte(string(m[1]) + p.Name(string(m[2])) + behind)
		}
	}
	text = temperature.ReplaceAllFunc(text, number(temperature))
	text = distance.ReplaceAllFunc(text, number(distance))
	text = unitAlone.ReplaceAllFunc(text, alone(unitAlone, ""))
	return unitField.ReplaceAllFunc(text, alone(unitField, `"`))
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

// shown converts a number as it stands, keeping its decimals.
func shown(number, kept string, p units.People) string {
	plain := strings.ReplaceAll(number, "−", "-")
	if thousands.MatchString(plain) {
		plain = strings.ReplaceAll(plain, ",", "")
	}
	plain = strings.ReplaceAll(plain, ",", ".")
	v, err := strconv.ParseFloat(plain, 64)
	if err != nil {
		return number
	}
	decimals := 0
	if i := strings.IndexByte(plain, '.'); i >= 0 {
		decimals = len(plain) - i - 1
	}
	return words.Fixed(p.Show(kept, v), decimals)
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
