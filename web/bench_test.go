package web_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Twenty runs at once: the reference, the fastest and the slowest have lines of their own, the others are drawn
// behind, and nothing is left out of the table. One more than sixty is refused at the door.
func TestBenchOfMany(t *testing.T) {
	h, _ := handler(t, true)
	ids := make([]string, 20)
	for i := range ids {
		ids[i] = fmt.Sprint(i + 1)
	}
	body := get(h, "/bench?runs="+strings.Join(ids, ",")).Body.String()
	assert.Equal(t, 20, strings.Count(body, `class="swatch"`), "each is listed")
	curves := body[strings.Index(body, `class="curves"`):]
	curves = curves[:strings.Index(curves, "</svg>")]
	assert.Equal(t, 17, strings.Count(curves, `class="series crowd"`))
	for _, style := range []string{"run-0", "run-1", "run-2"} {
		assert.Contains(t, curves, "series "+style)
	}
	assert.NotContains(t, curves, "series run-3")
	assert.Contains(t, body, "17 further runs are drawn behind")
	for i := len(ids); i < 61; i++ {
		ids = append(ids, fmt.Sprint(i+1))
	}
	assert.Equal(t, http.StatusOK, get(h, "/bench?runs="+strings.Join(ids, ",")).Code)
	w := post(h, "/bench/keep", url.Values{"runs": {strings.Join(ids, ",")}, "name": {"all of them"}})
	assert.Equal(t, http.StatusBadRequest, w.Code)
}
