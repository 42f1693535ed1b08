package web_test

import (
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A cold pack and one that is warm at plug-in: the page says the answer first, keeps what was typed, and says by how
// much the change is quicker, as its two times have it.
func TestWhatToDoWithACharge(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	const plan = "/prepare/decide?car=1&stall=1&now=40&from=10&to=80&outside=2&battery=4&way=steady"
	plain := spaced(get(h, plan).Body.String())
	assert.Regexp(t, `<h1[^>]*> ?Were the next stops as cold as this one, unplug at \d\d %; with a pack that is warm by then, at \d\d %\.`,
		plain)
	assert.Regexp(t, `<h1[^>]*> ?On a way with more stops like this one, unplug at \d\d %\.`,
		spaced(get(h, strings.NewReplacer("now=40", "now=10&km=0", "battery=4", "battery=30").Replace(plan)).Body.String()))
	assert.NotContains(t, plain, "with the change")
	assert.Contains(t, plain, `name="stop" value="5"`, "what stands in is shown")

	warm := spaced(get(h, plan+"&if_battery=30").Body.String())
	m := regexp.MustCompile(`As planned (\d+) min \(\d+ to \d+\); with the change (\d+) min \(\d+ to \d+\), (\d+) min shorter`).
		FindStringSubmatch(warm)
	require.NotNil(t, m)
	n := func(i int) float64 {
		v, err := strconv.ParseFloat(m[i], 64)
		require.NoError(t, err)
		return v
	}
	assert.InDelta(t, n(1)-n(2), n(3), 1, "each is rounded on its own")
	assert.Greater(t, n(3), 3.0, "from 4 to 30 °C")

	wrong := spaced(get(h, plan+"&if_to=300&stop=7").Body.String())
	assert.Contains(t, wrong, `value="300"`)
	assert.Contains(t, wrong, `name="stop" value="7"`)
	assert.NotContains(t, wrong, "with the change")

	for figure, says := range map[string]string{"unplug": "s a point", "window": "5–55 %", "gentle": "gentle: ",
		"detour": "quicker; with 88 % of its label"} {
		how := spaced(get(h, "/prepare/decide/how/"+figure+plan[len("/prepare/decide"):]).Body.String())
		assert.Contains(t, how, says, figure)
		assert.Contains(t, plain, "/prepare/decide/how/"+figure+"?", figure)
	}
	assert.Equal(t, http.StatusNotFound, get(h, "/prepare/decide/how/luck").Code)
	assert.Contains(t, spaced(get(h, "/prepare?car=1&stall=1&now=40&from=10&to=80&outside=2").Body.String()), "/prepare/decide?")
}
