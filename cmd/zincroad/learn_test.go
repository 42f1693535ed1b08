package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trip"
	"zincroad/core/vehicle"
)

// warmFolder is a run of a car that takes 150 kW to half full and 2 kW less each point from there, at 28 °C, at a
// stall that has so much.
func warmFolder(t *testing.T, title string, stallKW float64) string {
	t.Helper()
	dir := t.TempDir()
	rows := []string{"t_s,soc_pct,power_kw,current_a,voltage_v,battery_temp_min_c"}
	soc := 10.0
	for at := 20.0; soc < 85; at += 5 {
		kw := math.Min(math.Min(150, 150-2*(soc-50)), stallKW)
		volts := 340 + 0.6*soc
		rows = append(rows, fmt.Sprintf("%.0f,%.2f,%.2f,%.2f,%.1f,28", at, soc, kw, kw*1000/volts, volts))
		soc += kw * 5 / 36 / 75
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "car.csv"), []byte(strings.Join(rows, "\n")), 0o600))
	doc := fmt.Sprintf(`{"format": "zincroad-run/1", "title": %q, "started_at": "2026-02-03T10:00:00Z",
		"car": {"name": "Rowan", "software": "2.0", "chemistry": "NMC", "cells_in_series": 96},
		"stall": {"rated_kw": %g, "max_a": 900}, "marks": [{"t_s": 0, "kind": "plug-in"}],
		"recordings": [{"file": "car.csv", "side": "car"}]}`, title, stallKW)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "run.json"), []byte(doc), 0o600))
	return dir
}

// What three runs taught is 150 kW at 30 % and 90 at 80 %, though the third was held at 60 by its stall; a forecast
// by the runs, or by the file that was made of them, of a car of which nothing is noted takes as long as the car did.
func TestLearnAndForecast(t *testing.T) {
	runs := []string{warmFolder(t, "first", 350), warmFolder(t, "second", 300), warmFolder(t, "weak", 60)}
	out, errOut, status := zincroad(t, append([]string{"learn", "--json"}, runs...)...)
	require.Zero(t, status, errOut)
	var d vehicle.Document
	require.NoError(t, json.Unmarshal([]byte(out), &d))
	assert.Equal(t, vehicle.Format, d.Format)
	assert.Equal(t, "Rowan", d.Car)
	assert.Equal(t, []string{"2.0"}, d.Software)
	assert.Equal(t, "full", d.Profile)
	for _, p := range d.Envelope {
		switch p.SoCPct {
		case 30:
			assert.InDelta(t, 150, p.KW, 8)
			assert.Equal(t, vehicle.Seen, p.Kind)
			assert.Equal(t, 2, p.Runs)
		case 80:
			assert.InDelta(t, 90, p.KW, 5)
		case 100:
			assert.Equal(t, vehicle.Assumed, p.Kind)
		}
	}
	require.NotNil(t, d.Usable)
	assert.InDelta(t, 75, d.Usable.Value, 1)
	require.NotEmpty(t, d.HeldOut)

	learned := filepath.Join(t.TempDir(), "learned.json")
	require.NoError(t, os.WriteFile(learned, []byte(out), 0o600))
	bare := planFile(t, `{"format": "zincroad-run/1", "stall": {"rated_kw": 350, "max_a": 900, "max_v": 920}}`)
	for _, by := range [][]string{{"--learn", learned}, {"--learn", runs[0], "--learn", runs[1], "--learn", runs[2]}} {
		args := append([]string{"forecast", "--run", bare, "--from", "10", "--to", "80", "--battery-c", "28", "--json"},
			by...)
		out, errOut, status := zincroad(t, args...)
		require.Zero(t, status, errOut)
		var f struct {
			Windows []struct {
				From  float64 `json:"from_pct"`
				To    float64 `json:"to_pct"`
				TS    float64 `json:"t_s"`
				LowS  float64 `json:"low_s"`
				HighS float64 `json:"high_s"`
			}
		}
		require.NoError(t, json.Unmarshal([]byte(out), &f))
		found := false
		for _, w := range f.Windows {
			if w.From != 10 || w.To != 80 {
				continue
			}
			found = true
			// 40 points at 150 kW and 30 at 150 to 90, of 75 kWh: 720 + 690 s, and the plug-in
			assert.InDelta(t, 1435, w.TS, 90, "%v", by[:2])
			assert.True(t, w.LowS < w.TS && w.TS < w.HighS)
		}
		assert.True(t, found)
	}
	_, errOut, status = zincroad(t, "forecast", "--run", bare, "--learn", bare)
	assert.Equal(t, 2, status, errOut)
	out, _, status = zincroad(t, append([]string{"learn"}, runs...)...)
	assert.Zero(t, status)
	assert.Contains(t, out, "foretold")
}

// A trip from a file: its plans in the open format, and one line for what is wrong.
func TestTrip(t *testing.T) {
	way := planFile(t, `{"format": "zincroad-trip/1", "car": {"usable_kwh": 60, "consumption_wh_per_km": 200}, "distance_km": 300,
		"speed_kmh": 100, "start_pct": 90, "sites": [{"name": "Weir Mill", "at_km": 200, "stall": {"rated_kw": 150}}]}`)
	out, errOut, status := zincroad(t, "trip", way, "--json")
	require.Zero(t, status, errOut)
	var d trip.Document
	require.NoError(t, json.Unmarshal([]byte(out), &d))
	assert.Equal(t, trip.PlanFormat, d.Format)
	require.NotEmpty(t, d.Plans)
	assert.Equal(t, "Weir Mill", d.Plans[0].Stops[0].Site)
	out, _, _ = zincroad(t, "trip", way)
	assert.Contains(t, out, "Weir Mill")
	_, errOut, status = zincroad(t, "trip", planFile(t, `{"format": "zincroad-trip/1"}`))
	assert.Equal(t, 2, status)
	assert.Contains(t, errOut, "distance_km")
}

// A report of two runs is one file that says first how they differ; where it cannot be written it is said why.
func TestReport(t *testing.T) {
	to := filepath.Join(t.TempDir(), "report.html")
	_, errOut, status := zincroad(t, "report", warmFolder(t, "first", 350), warmFolder(t, "weak", 60), "-o", to)
	require.Zero(t, status, errOut)
	page, err := os.ReadFile(to)
	require.NoError(t, err)
	assert.True(t, regexp.MustCompile(`<h1>\s*10–80 % took .* in “first”`).Match(page))
	words := filepath.Join(t.TempDir(), "words.md")
	require.NoError(t, os.WriteFile(words, []byte("It was **wet**."), 0o600))
	_, errOut, status = zincroad(t, "report", warmFolder(t, "first", 350), "-o", to, "--title", "A night", "--by",
		"The workshop", "--words", words)
	require.Zero(t, status, errOut)
	page, err = os.ReadFile(to)
	require.NoError(t, err)
	for _, says := range []string{"A night, by The workshop", "<strong>wet</strong>", "font-face"} {
		assert.True(t, bytes.Contains(page, []byte(says)), says)
	}
	_, errOut, status = zincroad(t, "report", warmFolder(t, "first", 350), "-o", to, "--words", words+"x")
	assert.Equal(t, 2, status)
	assert.Contains(t, errOut, "--words")
	_, errOut, status = zincroad(t, "report", warmFolder(t, "first", 350), "-o", filepath.Join(to, "inside"))
	assert.Equal(t, 2, status)
	assert.Contains(t, errOut, "-o")
}
