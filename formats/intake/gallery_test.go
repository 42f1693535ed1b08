package intake

import (
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
)

// wanted is what must come out of one file of the gallery.
type wanted struct {
	Channels []string          `json:"channels"`
	Sides    map[string]string `json:"sides"`
	Side     string            `json:"side"`
	Started  string            `json:"started"`
	LeftOut  []int             `json:"left_out"` // lines
	Order    []int             `json:"order"`    // of the session's rows in the file
	Unsure   bool              `json:"unsure"`
	Refused  string            `json:"refused"`
}

// gallerySession is the session that every file of the gallery tells.
var gallerySession = map[string]func(i int) float64{
	"soc": func(i int) float64 { return 10 + 0.5*float64(i) },
	"power": func(i int) float64 {
		return []float64{0, 40, 80, 120, 150, 150, 149.5, 149, 148.5, 148, 147.5, 147}[i]
	},
	"voltage":   func(i int) float64 { return 380 + 0.5*float64(i) },
	"current":   func(i int) float64 { return gallerySession0("power", i) * 1000 / gallerySession0("voltage", i) },
	"temp_min":  func(i int) float64 { return 21 + 0.5*float64(i) },
	"ambient":   func(i int) float64 { return 21 + 0.5*float64(i) },
	"energy":    func(i int) float64 { return 7.4 + 0.033*float64(i) },
	"requested": func(i int) float64 { return gallerySession0("power", i) + 5 },
}

func gallerySession0(name string, i int) float64 {
	if name == "voltage" {
		return 380 + 0.5*float64(i)
	}
	return []float64{0, 40, 80, 120, 150, 150, 149.5, 149, 148.5, 148, 147.5, 147}[i]
}

var galleryChannels = map[string]trace.Channel{"soc": trace.SoC, "power": trace.Power, "voltage": trace.Voltage,
	"current": trace.Current, "temp_min": trace.BatteryTempMin, "ambient": trace.AmbientTemp, "energy": trace.Energy,
	"requested": trace.RequestedPower}

// Every file of the gallery tells the same session in another shape, or is refused in one
// sentence. gallery.py says what each of them is.
func TestGallery(t *testing.T) {
	folder := filepath.Join("..", "testdata")
	text, err := os.ReadFile(filepath.Join(folder, "gallery.json"))
	require.NoError(t, err)
	var all map[string]wanted
	require.NoError(t, json.Unmarshal(text, &all))
	files, err := filepath.Glob(filepath.Join(folder, "gallery", "*"))
	require.NoError(t, err)
	require.Len(t, files, len(all), "each file has its entry, and each entry its file")
	require.GreaterOrEqual(t, len(all), 60)
	for name, want := range all {
		t.Run(name, func(t *testing.T) {
			b, err := Path(filepath.Join(folder, "gallery", name), Choices{})
			if want.Refused != "" {
				require.Error(t, err)
				faults := Refusal(filepath.Join(folder, "gallery", name), err)
				require.Len(t, faults, 1)
				assert.Equal(t, want.Refused, filepath.Base(faults[0].File)+strings.TrimPrefix(faults[0].Error(), faults[0].File))
				return
			}
			require.NoError(t, err)
			want.check(t, b)
		})
	}
}

func (want wanted) check(t *testing.T, b *Bundle) {
	t.Helper()
	sides := want.Sides
	if sides == nil {
		side := want.Side
		if side == "" {
			side = "car"
		}
		sides = map[string]string{side: strings.Join(want.Channels, " ")}
	}
	require.Len(t, b.Run.Recordings, len(sides))
	for _, rec := range b.Run.Recordings {
		list, ok := sides[string(rec.Side)]
		require.True(t, ok, "a recording of the %s", rec.Side)
		want.recording(t, rec, strings.Fields(list))
	}
	if want.Started != "" {
		assert.Equal(t, want.Started, b.Run.StartedAt.UTC().Format(time.RFC3339))
	}
	var lines []int
	for _, f := range b.Faults {
		lines = append(lines, f.Line)
		assert.NotEmpty(t, f.Reason)
	}
	assert.Equal(t, want.LeftOut, lines, "lines that were left out: %v", b.Faults)
	assert.Equal(t, len(want.LeftOut), b.LeftOut)
	if b.Layout != nil {
		assert.Equal(t, want.Unsure, b.Layout.DateUnsure)
	}
}

func (want wanted) recording(t *testing.T, rec *trace.Recording, list []string) {
	t.Helper()
	order := want.Order
	if order == nil {
		for i := range 12 {
			order = append(order, i)
		}
	}
	require.Len(t, rec.T, len(order))
	for k, i := range order {
		assert.InDelta(t, 10*float64(i), rec.T[k]-rec.T[indexOf(order, 0)], 0.002, "time of row %d", k)
	}
	assert.Len(t, rec.Columns, len(list), "channels")
	for _, entry := range list {
		name, factor := entry, 1.0
		if n, f, ok := strings.Cut(entry, "@"); ok {
			name = n
			factor, _ = strconv.ParseFloat(f, 64)
		}
		within := 0.011 // two decimals are written
		if n, rough := strings.CutSuffix(name, "~"); rough {
			name, within = n, 0.5
		}
		name, holes := strings.CutSuffix(name, "?")
		col := rec.Columns[galleryChannels[name]]
		require.Len(t, col, len(order), name)
		for k, i := range order {
			if v := gallerySession[name](i) * factor; name == "current" {
				assert.InDelta(t, v, col[k], 0.051, "%s of row %d", name, k)
			} else if !holes || !math.IsNaN(col[k]) {
				assert.InDelta(t, v, col[k], within, "%s of row %d", name, k)
			}
		}
	}
}

func indexOf(list []int, v int) int {
	for i, x := range list {
		if x == v {
			return i
		}
	}
	return 0
}
