package web_test

import (
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every curl line of docs/api.md does what it says, in their order, against the program with its demo: none is refused.
func TestTheCurlLinesOfTheDocs(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	srv := httptest.NewServer(h)
	t.Cleanup(srv.Close)
	dir := t.TempDir()
	log := "t_s,soc_pct,power_kw\n0,10,90\n600,31,88\n1200,50,70\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "log.csv"), []byte(log), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "trip.json"), []byte(`{"format": "zincroad-trip/1",
		"car": {"usable_kwh": 60, "consumption_wh_per_km": 180}, "distance_km": 200}`), 0o600))
	text, err := os.ReadFile("../docs/api.md")
	require.NoError(t, err)
	ran := 0
	for _, line := range regexp.MustCompile(`(?m)^    (curl .*)$`).FindAllStringSubmatch(string(text), -1) {
		script := `A="$1"; curl() { command curl -sS --fail-with-body "$@"; }; set -e; ` + line[1]
		c := exec.CommandContext(t.Context(), "bash", "-c", script, "docs", srv.URL+"/api/v1")
		c.Dir = dir
		out, err := c.CombinedOutput()
		if strings.Contains(line[1], "/live/readings") {
			assert.Contains(t, string(out), "under way", "run 7 of the demo has ended: %s", line[1])
		} else {
			assert.NoError(t, err, "%s\n%s", line[1], out)
		}
		ran++
	}
	assert.Greater(t, ran, 15)
}
