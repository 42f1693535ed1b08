package run_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
)

func TestClaimsAreReadAsTheyAreWritten(t *testing.T) {
	list, err := run.ParseClaims("10-80 in 24 min, from 25 °C: brochure\n\npeak 195 kW\n 5–80% 31,5\n")
	require.NoError(t, err)
	require.Len(t, list, 3)
	assert.Equal(
		t,
		run.Claim{Kind: "window", FromPct: run.N(10), ToPct: run.N(80), Minutes: run.N(24), BatteryC: run.N(25),
			Note: "brochure"},
		list[0],
	)
	assert.Equal(t, run.Claim{Kind: "peak", KW: run.N(195)}, list[1])
	assert.Equal(t, 31.5, *list[2].Minutes)
	for _, c := range list {
		again, err := run.ParseClaims(c.String())
		require.NoError(t, err)
		assert.Equal(t, []run.Claim{c}, again)
	}
	assert.True(t, list[0].Same(run.Claim{Kind: "window", FromPct: run.N(10), ToPct: run.N(80), Minutes: run.N(24),
		BatteryC: run.N(25)}))
	list, err = run.ParseClaims("10-80 in 24 min, from 77 °F")
	require.NoError(t, err)
	assert.InDelta(t, 25, *list[0].BatteryC, 1e-9)
	for text, says := range map[string]string{
		"fast":            "line 1: expected a claim such as",
		"\n80-10 in 20":   "line 2: expected a window that climbs",
		"10-80 in 0 min":  "line 1: expected a number above 0",
		"peak 0":          "line 1: expected a number above 0",
		"10-180 in 4 min": "line 1: expected a window that climbs, up to 100",
	} {
		_, err := run.ParseClaims(text)
		assert.ErrorContains(t, err, says, text)
	}
}
