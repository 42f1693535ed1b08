package draw

import (
	"encoding/xml"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every mark is there once with its link and its words, each kind in a shape of its own as far as there are shapes,
// whatever names say; without a mark there is no picture.
func TestDotsAreToldApart(t *testing.T) {
	d := &Dots{Title: "Runs", XName: "coldest cell", XUnit: "°C", YName: "minutes"}
	assert.Empty(t, d.SVG())
	for i := range 14 {
		d.Kinds = append(d.Kinds, DotKind{Name: fmt.Sprintf("Car <%d>", i), Marks: []DotMark{
			{X: float64(i) - 5, Y: 20, Title: "a \"run\"", Href: "/runs/1?a=1&b=2"}, {X: 30, Y: 40, Title: "b", Href: "/runs/2"}}})
	}
	svg := d.SVG()
	require.NoError(t, xml.Unmarshal([]byte(svg), new(struct{})))
	assert.Equal(t, 28, strings.Count(svg, "<a "))
	seen := map[string]bool{}
	for _, s := range shapes {
		seen[fmt.Sprint(s.path, s.filled)] = true
	}
	assert.Len(t, seen, len(shapes))
	d.Kinds = d.Kinds[:1]
	d.Kinds[0].Marks = d.Kinds[0].Marks[:1] // one mark: the axes have a width all the same
	assert.NotContains(t, d.SVG(), "NaN")
}
