package demo

import (
	"flag"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/formats/intake"
)

var update = flag.Bool("update", false, "write docs/samples anew")

const samplesDir = "../docs/samples"

// The samples in the tree are the ones that the scenario makes.
func TestSamplesAreUpToDate(t *testing.T) {
	want, err := Samples()
	require.NoError(t, err)
	require.Len(t, want, 4)
	for name, content := range want {
		path := filepath.Join(samplesDir, name)
		if *update {
			require.NoError(t, os.MkdirAll(samplesDir, 0o755))
			require.NoError(t, os.WriteFile(path, content, 0o644))
			if name == "run-folder.zip" { // the one that an empty logbook offers
				require.NoError(t, os.WriteFile(filepath.Join("..", "web", "desk", "sample", name), content, 0o644))
			}
		}
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, content, got, "%s: run go test ./demo -update", name)
	}
}

func TestSamplesAreReadWithoutAFault(t *testing.T) {
	kinds := map[string]intake.Kind{"run-folder.zip": intake.FolderKind, "zincroad.csv": intake.TableKind,
		"spreadsheet.csv": intake.TableKind, "screen-notes.txt": intake.TypedKind}
	for name, kind := range kinds {
		b, err := intake.Path(filepath.Join(samplesDir, name), intake.Choices{})
		require.NoError(t, err, name)
		assert.Equal(t, kind, b.Kind, name)
		assert.Empty(t, b.Faults, name)
		assert.NotEmpty(t, curve.Read(b.Run, curve.Options{}).Posts, name)
	}
}

// A spreadsheet with semicolons, decimal commas, Fahrenheit, watts and negative
// amps says the same as its twin in Zinc Road's own headers.
func TestSpreadsheetGivesThePostsOfItsTwin(t *testing.T) {
	read := func(name string) *curve.Reading {
		b, err := intake.Path(filepath.Join(samplesDir, name), intake.Choices{})
		require.NoError(t, err)
		return curve.Read(b.Run, curve.Options{})
	}
	own, foreign := read("zincroad.csv"), read("spreadsheet.csv")
	require.NotEmpty(t, own.Posts)
	require.Len(t, foreign.Posts, len(own.Posts))
	for i, p := range own.Posts {
		assert.Equal(t, [2]float64{p.SoCPct, p.TS}, [2]float64{foreign.Posts[i].SoCPct, foreign.Posts[i].TS})
		assert.InEpsilon(t, *p.PowerKW, *foreign.Posts[i].PowerKW, 1e-6, "written to a watt")
	}
	require.Len(t, foreign.Windows, len(own.Windows))
	for i, w := range own.Windows {
		assert.InEpsilon(t, *w.EnergyKWh, *foreign.Windows[i].EnergyKWh, 1e-5)
	}
	require.NotNil(t, foreign.Battery)
	assert.InDelta(t, *own.Battery.StartC, *foreign.Battery.StartC, 0.06, "written to a tenth of a degree Fahrenheit")
}

// The scenario shows what the README promises of it.
func TestScenarioHasWhatTheTourShows(t *testing.T) {
	bundles, err := Bundles()
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(bundles), 18)
	cars, chemistries, sites, stalls := map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string]bool{}
	versions := map[string]map[string]bool{}
	replugs, gaps, typed := 0, 0, 0
	low, high := 10000.0, 0.0
	for _, b := range bundles {
		r := b.Run
		cars[r.Car.Name], chemistries[r.Car.Chemistry], sites[r.Stall.Site] = true, true, true
		stalls[r.Stall.Site+" "+r.Stall.Name] = true
		if versions[r.Car.Name] == nil {
			versions[r.Car.Name] = map[string]bool{}
		}
		versions[r.Car.Name][r.Car.Software] = true
		low, high = min(low, *r.Car.PackNominalV), max(high, *r.Car.PackMaxV)
		x := curve.Read(r, curve.Options{})
		require.NotEmpty(t, x.Windows, r.Title)
		if len(x.Legs) > 1 {
			replugs++
		}
		gaps += len(x.Gaps)
		if b.Kind == intake.TypedKind {
			typed++
			assert.Equal(t, 14, r.Recordings[0].Len())
		}
	}
	assert.GreaterOrEqual(t, len(cars), 5)
	assert.True(t, chemistries["LFP"] && chemistries["NMC"])
	assert.Len(t, sites, 4)
	assert.Len(t, stalls, 8)
	assert.LessOrEqual(t, low, 358.0)
	assert.GreaterOrEqual(t, high, 800.0)
	assert.Len(t, versions["Tamarack 78"], 2)
	assert.Equal(t, 1, replugs)
	assert.Equal(t, 1, gaps)
	assert.Equal(t, 1, typed)
}

// Common practice, no source: a cold pack is slower than a warm one at the same
// stall, a 500 V cabinet holds an 800 V car at its converter, 170 A gain power with
// voltage.
func TestScenarioBehavesLikeTheTrade(t *testing.T) {
	window := func(i int) (*curve.Reading, float64) {
		x := curve.Read(entries[i].run(), curve.Options{})
		w, ok := x.Window(10, 80)
		require.True(t, ok, entries[i].title)
		return x, w.TS
	}
	_, cold := window(0)
	_, warm := window(1)
	assert.Greater(t, cold, 1.3*warm)
	converter, slow := window(12)
	_, fast := window(11)
	assert.InDelta(t, 112, converter.Peak.KW, 3)
	assert.Greater(t, slow, fast+8*60)
	amps, _ := window(16)
	assert.Greater(t, *amps.Peak.HeldFromPct, 40.0, "the highest power comes late")
}
