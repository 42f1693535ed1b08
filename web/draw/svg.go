// Package draw makes the SVG of strips and curves from numbers that core worked
// out. Its pictures carry classes for the page's colours; Standalone gives them
// their own, for files.
package draw

import (
	_ "embed"
	"fmt"
	"html"
	"math"
	"strconv"
	"strings"

	"zincroad/core/words"
)

// canvas collects the elements of one picture.
type canvas struct {
	strings.Builder
	w, h float64
}

// escaped is a text as a picture can hold it: names come from anywhere, and one character that is none in XML
// would leave a file that nothing opens.
func escaped(s string) string { return html.EscapeString(words.Line(s)) }

// farOff is further than any picture reaches.
const farOff = 1e5

// num writes a coordinate with a tenth of a pixel. What is no number, or lies further off than any picture
// reaches, stands at its edge: one value from a broken logger spoils itself and not the picture.
func num(v float64) string {
	if v = math.Max(-farOff, math.Min(farOff, v)); math.IsNaN(v) {
		v = 0
	}
	return strconv.FormatFloat(math.Round(v*10)/10, 'f', -1, 64)
}

func (c *canvas) open(class, title, attrs string) {
	fmt.Fprintf(
		c,
		`<svg class="%s" viewBox="0 0 %s %s" xmlns="http://www.w3.org/2000/svg" role="img" aria-label="%s" %s>`,
		class,
		num(c.w),
		num(c.h),
		escaped(title),
		attrs,
	)
}

func (c *canvas) line(class string, x1, y1, x2, y2 float64) {
	c.WriteString(
		`<line class="` + class + `" x1="` + num(x1) + `" y1="` + num(y1) + `" x2="` + num(x2) + `" y2="` + num(y2) + `"/>`,
	)
}

func (c *canvas) rect(class string, x, y, w, h, radius float64) {
	fmt.Fprintf(
		c,
		`<rect class="%s" x="%s" y="%s" width="%s" height="%s" rx="%s"/>`,
		class,
		num(x),
		num(y),
		num(math.Max(0, w)),
		num(h),
		num(radius),
	)
}

// text writes words; anchor is start, middle or end.
func (c *canvas) text(class, anchor string, x, y float64, s string) {
	c.WriteString(
		`<text class="` + class + `" text-anchor="` + anchor + `" x="` + num(x) + `" y="` + num(y) + `">` +
			escaped(s) + `</text>`,
	)
}

// path writes a line through points, broken where a value is NaN.
func path(x, y []float64) string {
	var b strings.Builder
	pen := false
	for i := range x {
		if math.IsNaN(x[i]) || math.IsNaN(y[i]) {
			pen = false
			continue
		}
		if pen {
			b.WriteByte('L')
		} else {
			b.WriteByte('M')
		}
		b.WriteString(num(x[i]))
		b.WriteByte(' ')
		b.WriteString(num(y[i]))
		pen = true
	}
	return b.String()
}

// leastStep is less than any display shows.
const leastStep = 1e-9

// ticks gives round values from lo to hi, at most n of them; none where no axis can have such ends.
func ticks(lo, hi float64, n int) []float64 {
	raw := (hi - lo) / float64(n)
	if n < 1 || !(raw > leastStep) || !(raw < 1e12) || math.Abs(lo)/raw > 1e9 { // no axis has such ends
		return nil
	}
	size := math.Pow(10, math.Floor(math.Log10(raw)))
	for _, m := range []float64{1, 2, 5, 10} {
		if size*m >= raw {
			size *= m
			break
		}
	}
	var out []float64
	for v := math.Ceil(lo/size-1e-9) * size; v <= hi+size*1e-9; v += size {
		out = append(out, math.Round(v/size)*size)
	}
	return out
}

// niceTop gives a round upper end for an axis from zero.
func niceTop(v float64) float64 {
	if !(v > 4*leastStep) || !(v < 1e12) {
		return 1
	}
	t := ticks(0, v*1.02, 4)
	step := t[1] - t[0]
	return math.Ceil(v*1.02/step-1e-9) * step
}

//go:embed standalone.css
var standaloneCSS string

// linesCSS is of pictures in files and, by way of app.css, of pages.
//
//go:embed lines.css
var linesCSS string

// Standalone makes a picture that needs no page: with its own colours, a white
// ground, a caption above it and, where it is given, the font.
func Standalone(svg, caption string, woff2 []byte) string {
	start := strings.Index(svg, `viewBox="0 0 `)
	if start < 0 {
		return svg
	}
	start += len(`viewBox="0 0 `)
	end := start + strings.IndexByte(svg[start:], '"')
	var w, h float64
	if _, err := fmt.Sscan(svg[start:end], &w, &h); err != nil {
		return svg
	}
	const top = 30.0
	head := fmt.Sprintf(`0 %s %s %s" width="%s" height="%s`, num(-top), num(w), num(h+top), num(w), num(h+top))
	out := svg[:start-len("0 0 ")] + head + svg[end:]
	body := strings.IndexByte(out, '>') + 1
	// A long caption is set smaller: a letter is about half as wide as high.
	size := math.Min(14, (w-16)/(0.5*float64(len([]rune(caption))+1)))
	ground := fmt.Sprintf(
		`<style>%s</style><rect class="ground" x="0" y="%s" width="%s" height="%s"/>`+
			`<text class="caption" font-size="%s" x="8" y="-10">%s</text>`,
		OwnStyle(woff2),
		num(-top),
		num(w),
		num(h+top),
		num(size),
		escaped(caption),
	)
	return out[:body] + ground + out[body:]
}
