package road

import (
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The road's address and its filter say the same.
func TestRoadAddress(t *testing.T) {
	v, err := url.ParseQuery(
		"car=Larch 52&stall=Weigh House 2&pre=none&ambient=cold&q= night  frost &group=car&sort=peak&after=40",
	)
	require.NoError(t, err)
	q := readRoadQuery(v)
	f := q.filter()
	assert.Equal(t, 0.0, *f.AmbientFrom)
	assert.Equal(t, 10.0, *f.AmbientBelow)
	assert.Equal(t, "night  frost", f.Text)
	again, err := url.ParseQuery(strings.TrimPrefix(q.address(40), "/?"))
	require.NoError(t, err)
	assert.Equal(t, q, readRoadQuery(again))
	assert.False(t, readRoadQuery(url.Values{"after": {"-5"}, "sort": {"peak"}}).Filtered())
	assert.Zero(t, readRoadQuery(url.Values{"after": {"-5"}}).After)
}
