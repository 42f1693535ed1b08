package draw

import (
	"encoding/xml"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A card of any shape, with much to say or nothing, is whole, and nothing on it lies outside or on something else.
func TestCardsKeepWithinTheirEdges(t *testing.T) {
	picture := `<svg class="strip" viewBox="0 0 900 240" xmlns="http://www.w3.org/2000/svg"></svg>`
	long := strings.Repeat("10 to 80 % in 32 min, held by the stall's 350 A; ", 30)
	y := regexp.MustCompile(` y="([0-9.-]+)"`)
	for name, shape := range Cards {
		for _, card := range []Card{
			{Shape: shape, Heading: "10–80 % in 32 min", Pictures: []string{picture, picture}, Facts: []string{"2 °C <outside>."}},
			{Shape: shape, Title: long, Heading: long, Pictures: []string{picture}, Facts: []string{long}, Foot: long},
			{Shape: shape},
		} {
			svg := card.SVG(nil)
			require.NoError(t, xml.Unmarshal([]byte(svg), new(struct{})), name)
			for _, m := range y.FindAllStringSubmatch(svg, -1) {
				var at float64
				require.NoError(t, xml.Unmarshal([]byte("<y>"+m[1]+"</y>"), &at))
				assert.LessOrEqual(t, at, shape.H, name)
				assert.GreaterOrEqual(t, at, 0.0, name)
			}
		}
	}
	assert.Equal(t, []string{"it took", "32\u00a0min"}, wrapped("it took 32 min", 10*letterToEm*10, 10), "a figure keeps its unit")
}
