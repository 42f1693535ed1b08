package trackfile

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const gpxWay = `<?xml version="1.0"?>
<gpx version="1.1" creator="a receiver" xmlns="http://www.topografix.com/GPX/1/1">
 <wpt lat="10" lon="10"><name>not on the way</name></wpt>
 <trk><name>Wend Valley</name>
  <trkseg><trkpt lat="50.0" lon="9.0"><ele>100</ele><time>2026-02-01T10:00:00Z</time></trkpt>
   <trkpt lat="50.1" lon="9.0"><ele>150</ele></trkpt></trkseg>
  <trkseg><trkpt lat="50.2" lon="9.0"><ele>200</ele></trkpt></trkseg>
 </trk>
 <rte><rtept lat="1" lon="1"/></rte>
</gpx>`

// The same way in each of the shapes that GPX 1.1 and GeoJSON (RFC 7946) have: 0.2 degrees of a meridian are 22.239 km
// on a sphere of 6371.0088 km.
func TestReadsEachShape(t *testing.T) {
	line := `[[9,50,100],[9,50.1,150],[9,50.2,200]]`
	for name, doc := range map[string]string{
		"track":       gpxWay,
		"with a mark": "\ufeff" + gpxWay,
		"route": `<gpx><rte><rtept lat="50" lon="9"><ele>100</ele></rtept>` +
			`<rtept lat="50.2" lon="9"><ele>200</ele></rtept></rte></gpx>`,
		"line": `{"type":"LineString","coordinates":` + line + `}`,
		"feature": `{"type":"Feature","properties":{"type":"Point"},"geometry":` +
			`{"type":"LineString","coordinates":` + line + `}}`,
		"features": `{"type":"FeatureCollection","features":[{"type":"Feature","geometry":null},` +
			`{"type":"Feature","geometry":{"type":"Point","coordinates":[1,1]}},` +
			`{"type":"Feature","geometry":{"type":"MultiLineString","coordinates":[` + line + `]}}]}`,
		"collection": `{"type":"GeometryCollection","geometries":[{"type":"LineString","coordinates":` + line + `}]}`,
	} {
		track, err := Read([]byte(doc))
		require.NoError(t, err, name)
		assert.InDelta(t, 22.239, track.LengthKm(), 0.001, name)
		require.NotEmpty(t, track.HeightM, name)
		assert.InDelta(t, 100, track.ClimbM(), 6, name)
	}
	track, err := Read([]byte(`{"type":"LineString","coordinates":[[9,50],[9,51]]}`))
	require.NoError(t, err)
	assert.Nil(t, track.HeightM)
}

func TestWrongTracksAreRefused(t *testing.T) {
	for doc, says := range map[string]string{
		"":                                     "was expected",
		"kilometres: 12":                       "was expected",
		"<gpx></gpx>":                          "was expected",
		`{"type":"Point","coordinates":[1,1]}`: "was expected",
		`{"type":"LineString","coordinates":[[1]]}`:           "position 1",
		`{"type":"LineString","coordinates":"far"}`:           "coordinates",
		`{"type":"LineString","coordinates":[[1,1]]}`:         "at least two places",
		`{"type":"LineString","coordinates":[[200,1],[1,1]]}`: "degrees",
		`{"type":`:   "cannot be read",
		gpxWay[:300]: "breaks off",
		"<gpx>\n<trk><trkseg>\n<trkpt lat=\"x\" lon=\"1\"/></trkseg></trk></gpx>": "line 3",
		strings.Repeat(`{"type":"GeometryCollection","geometries":[`, 50):         "cannot be read",
	} {
		_, err := Read([]byte(doc))
		require.Error(t, err, doc)
		assert.Contains(t, err.Error(), says, doc)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(gpxWay)
	f.Add(`{"type":"LineString","coordinates":[[9,50,100],[9,50.1,150]]}`)
	f.Fuzz(func(t *testing.T, doc string) {
		track, err := Read([]byte(doc))
		if err == nil {
			assert.GreaterOrEqual(t, len(track.Km), 2)
		}
	})
}
