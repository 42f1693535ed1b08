package tripfile

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trip"
	"zincroad/formats/runfolder"
)

const way = `{"format": "zincroad-trip/1",
 "car": {"name": "Alder", "usable_kwh": 60, "consumption_wh_per_km": 180}, "learned": "alder.json",
 "distance_km": 400, "ambient_c": 2, "weigh": "money", "minute_worth": 0.2,
 "sites": [{"name": "Weir Mill", "at_km": 180, "detour_km": 4, "overhead_min": 0,
   "stall": {"rated_kw": 150, "max_a": 500}, "tariff": {"currency": "EUR", "per_kwh": 0.49}},
  {"name": "Slate Quarry", "at_km": 300, "stall": {"rated_kw": 50, "tariff": {"currency": "EUR", "per_kwh": 0.39}}}]}`

func TestReadsATrip(t *testing.T) {
	got, learned, err := Read([]byte(way), "way.json", nil)
	require.NoError(t, err)
	assert.Equal(t, "alder.json", learned)
	assert.Equal(t, trip.Money, got.Weigh)
	assert.Equal(t, 110.0, got.SpeedKmh)
	assert.Equal(t, 10.0, got.BatteryC, "8 K over the air")
	assert.Nil(t, got.BatteryAtStopsC)
	require.Len(t, got.Sites, 2)
	assert.Equal(t, 0.49, *got.Sites[0].Stall.Tariff.PerKWh)
	assert.Equal(t, 0.39, *got.Sites[1].Stall.Tariff.PerKWh)
	assert.Zero(t, got.Sites[0].OverheadMin)
	assert.Equal(t, 5.0, got.Sites[1].OverheadMin)
	plans, err := trip.Find(got)
	require.NoError(t, err)
	assert.Equal(t, "cheapest", plans.Plans[0].Name)
}

// What is wrong is said with the file and the place, and nothing panics.
func TestWrongTripsAreRefused(t *testing.T) {
	for doc, says := range map[string]string{
		`{`:                            "unexpected end",
		`{"format": "zincroad-run/1"}`: `expected "zincroad-trip/1"`,
		"{\"format\": \"zincroad-trip/1\",\n \"distance_km\": \"far\"}":      "way.json:2",
		`{"format": "zincroad-trip/1", "car": {"usable_kwh": -3}}`:           "usable_kwh",
		`{"format": "zincroad-trip/1", "sites": [{"stall": {"max_a": -1}}]}`: "site 1",
		`{"format": "zincroad-trip/1", "sites": [{"stall": 7}]}`:             "stall",
		`{"format": "zincroad-trip/1", "track": "way.gpx"}`:                  "files are not read here",
		`{"format": "zincroad-trip/1", "track": {"type": "Point"}}`:          "track: a GPX file",
	} {
		_, _, err := Read([]byte(doc), "way.json", nil)
		var fault *runfolder.FaultError
		require.True(t, errors.As(err, &fault), "%s: %v", doc, err)
		assert.Contains(t, fault.Faults[0].Error(), says, doc)
	}
}

// A track gives the way its length, and a site with its place lies where the track passes it: half a degree of the
// equator (55.6 km) on, 0.01 degrees (1.112 km) aside, there and back on roads a third longer.
func TestATrackPlacesTheSites(t *testing.T) {
	doc := `{"format": "zincroad-trip/1", "car": {"usable_kwh": 60, "consumption_wh_per_km": 180}, "track": "way.json",
	 "mass_kg": 1900, "weather": {"headwind_kmh": 10, "rain": true},
	 "sites": [{"name": "Weir Mill", "lat": 0.01, "lon": 0.5}, {"name": "Slate Quarry", "at_km": 20, "lat": 0, "lon": 0.9}]}`
	got, _, err := Read([]byte(doc), "trip.json", func(path string) ([]byte, error) {
		assert.Equal(t, "way.json", path)
		return []byte(`{"type": "LineString", "coordinates": [[0, 0, 10], [1, 0, 20]]}`), nil
	})
	require.NoError(t, err)
	assert.InDelta(t, 111.195, got.DistanceKm, 0.001)
	assert.InDelta(t, 55.6, got.Sites[0].AtKm, 0.05)
	assert.InDelta(t, 2*1.3*1.112, got.Sites[0].DetourKm, 0.01)
	assert.Equal(t, 20.0, got.Sites[1].AtKm)
	assert.Equal(t, &trip.Weather{HeadwindKmh: 10, Rain: true}, got.Weather)
	assert.Equal(t, 1900.0, got.MassKg)
	assert.NotNil(t, got.Track.HeightM)
}
