package draw

import (
	"encoding/base64"
	"fmt"
	"math"
	"regexp"
	"strings"
)

// Shape is how large a card is, and its letters: of the heading, and of the rest; px.
type Shape struct{ W, H, Heading, Text float64 }

// Cards are the shapes that pictures are shared in: beside a link, in a square, on a phone held upright.
var Cards = map[string]Shape{"wide": {1200, 630, 40, 24}, "square": {1080, 1080, 50, 29}, "tall": {1080, 1920, 72, 40}}

// Card is pictures that go alone: with the verdict above them, the conditions below, and whose they are. What there is
// no room for is left out from the end: pictures, then facts.
type Card struct {
	Shape
	Title, Heading string
	Pictures       []string // SVG
	Facts          []string
	Foot           string
}

const (
	cardEdge   = 48.0
	letterToEm = 0.49 // a letter is about half as wide as high
	lineToEm   = 1.2
	mostFacts  = 9 // lines
)

// SVG draws the card with its own styles, and the font where it is given.
func (d Card) SVG(woff2 []byte) string {
	c := &canvas{w: d.W, h: d.H}
	c.open("card", d.Heading, fmt.Sprintf(`width="%s" height="%s"`, num(d.W), num(d.H)))
	fmt.Fprintf(c, `<style>%s</style><rect class="ground" x="0" y="0" width="%s" height="%s"/>`, OwnStyle(woff2), num(d.W),
		num(d.H))
	width := d.W - 2*cardEdge
	y := cardEdge
	if d.Title != "" {
		y += d.Text
		c.sized("second-text", d.Text, cardEdge, y, clipped(d.Title, width, d.Text))
		y += d.Text / 2
	}
	size := d.Shape.Heading
	lines := wrapped(d.Heading, width, size)
	for len(lines) > 4 && size > d.Text {
		size -= 2
		lines = wrapped(d.Heading, width, size)
	}
	for _, line := range lines {
		y += size * lineToEm
		c.sized("caption", size, cardEdge, y, line)
	}
	facts := wrapped(strings.Join(d.Facts, " "), width, d.Text)
	facts = facts[:min(len(facts), mostFacts)]
	foot := d.H - cardEdge
	if d.Foot != "" {
		c.sized("second-text", d.Text, cardEdge, foot, clipped(d.Foot, width, d.Text))
		foot -= d.Text * 2
	}
	factsH := float64(len(facts)) * d.Text * lineToEm
	pictures, heights := thatFit(d.Pictures, width, foot-factsH-y-d.Text)
	gap := foot - factsH - y
	for _, h := range heights {
		gap -= h
	}
	gap /= float64(len(pictures) + 1) // what is left lies evenly between the parts
	for i, p := range pictures {
		c.WriteString(strings.Replace(p, "<svg ", fmt.Sprintf(`<svg x="%s" y="%s" width="%s" height="%s" `, num(cardEdge),
			num(y+gap), num(width), num(heights[i])), 1))
		y += gap + heights[i]
	}
	y += gap
	for _, line := range facts {
		y += d.Text * lineToEm
		c.sized("fact", d.Text, cardEdge, y, line)
	}
	c.WriteString("</svg>")
	return c.String()
}

// viewBox is how large a picture's own plane is.
var viewBox = regexp.MustCompile(`viewBox="0 0 ([0-9.]+) ([0-9.]+)"`)

// leastShrunk is how small a picture may become of what the width allows.
const leastShrunk = 0.6

// thatFit are the pictures that there is room for, each with its height: as wide as the card, or smaller.
func thatFit(pictures []string, width, room float64) (kept []string, heights []float64) {
	total := 0.0
	for _, p := range pictures {
		var w, h float64
		if m := viewBox.FindStringSubmatch(p); m != nil {
			_, _ = fmt.Sscan(m[1]+" "+m[2], &w, &h) // digits and a point
		}
		if !(w > 0 && h > 0) {
			continue
		}
		tall := width * h / w
		if len(kept) > 0 && (total+tall)*leastShrunk > room {
			break
		}
		kept, heights, total = append(kept, p), append(heights, tall), total+tall
	}
	if shrink := math.Max(0, room) / total; shrink < 1 {
		for i := range heights {
			heights[i] *= shrink
		}
	}
	return kept, heights
}

// OwnStyle is how pictures look that stand on no page of the program's own, with the font where it is given.
func OwnStyle(woff2 []byte) string {
	style := standaloneCSS + linesCSS
	if len(woff2) > 0 {
		style = `@font-face{font-family:"Archivo Variable";src:url(data:font/woff2;base64,` +
			base64.StdEncoding.EncodeToString(woff2) +
			`) format("woff2");font-weight:100 900;font-stretch:62% 125%}` + style
	}
	return style
}

// sized writes a line of text in letters of a size.
func (c *canvas) sized(class string, size, x, y float64, s string) {
	fmt.Fprintf(c, `<text class="%s" font-size="%s" x="%s" y="%s">%s</text>`, class, num(size), num(x), num(y), escaped(s))
}

// figureAndUnit is a figure with what must not be torn from it.
var figureAndUnit = regexp.MustCompile(`(\d) (%|min|s|h|°C|°F|kWh|kW|A|V|km|mi)`)

// wrapped breaks a text into lines of a width by what its letters take on average; a figure keeps its unit.
func wrapped(text string, width, size float64) []string {
	most := int(width / (size * letterToEm))
	var lines []string
	line := ""
	for word := range strings.SplitSeq(figureAndUnit.ReplaceAllString(text, "$1\u00a0$2"), " ") {
		switch {
		case word == "":
		case line == "":
			line = word
		case len([]rune(line))+1+len([]rune(word)) <= most:
			line += " " + word
		default:
			lines, line = append(lines, line), word
		}
	}
	if line != "" {
		lines = append(lines, line)
	}
	return lines
}

// clipped is the first line of a text.
func clipped(text string, width, size float64) string {
	if lines := wrapped(text, width, size); len(lines) > 1 {
		return lines[0] + " …"
	}
	return text
}
