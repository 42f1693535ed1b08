package trip

import (
	"errors"
	"math"
)

// Point is a place that a track leads over; HeightM is NaN where it was not recorded.
type Point struct{ LatDeg, LonDeg, HeightM float64 }

// Track is a way over the land, thinned out: its kilometres, where each lies, and how high. It is without heights
// (nil) where none were recorded.
type Track struct {
	Km      []float64 `json:"km"` // from 0 on
	LatDeg  []float64 `json:"lat"`
	LonDeg  []float64 `json:"lon"`
	HeightM []float64 `json:"height_m,omitempty"`
}

// The errors of a track that leads nowhere.
var (
	ErrTrackShort  = errors.New("a track of at least two places that lie apart was expected")
	ErrTrackPlaces = errors.New("a track's places are degrees north from -90 to 90 and east from -180 to 180")
)

const (
	earthKm = 6371.0088 // mean radius of the earth (IUGG)
	// A receiver's heights are off by several metres, and wander: their mean over half a kilometre is used, else a flat
	// road would climb without end (common practice, no source for the half).
	nodeKm    = 0.5
	mostNodes = 2000
)

// NewTrack measures the way over places, along great circles of a sphere.
func NewTrack(points []Point) (*Track, error) {
	at := make([]float64, len(points))
	for i, p := range points {
		if !(math.Abs(p.LatDeg) <= 90 && math.Abs(p.LonDeg) <= 180) {
			return nil, ErrTrackPlaces
		}
		if i > 0 {
			at[i] = at[i-1] + apartKm(points[i-1], p)
		}
	}
	if len(points) < 2 || at[len(at)-1] < 0.01 {
		return nil, ErrTrackShort
	}
	total := at[len(at)-1]
	n := int(math.Ceil(total/math.Max(nodeKm, total/mostNodes))) + 1
	t := &Track{}
	next := 0
	for i := range n {
		km := total * float64(i) / float64(n-1)
		for next < len(points)-2 && at[next+1] < km {
			next++
		}
		a, b := points[next], points[next+1]
		x := 0.0
		if d := at[next+1] - at[next]; d > 0 {
			x = (km - at[next]) / d
		}
		t.Km = append(t.Km, km)
		t.LatDeg = append(t.LatDeg, a.LatDeg+(b.LatDeg-a.LatDeg)*x)
		t.LonDeg = append(t.LonDeg, a.LonDeg+eastOf(a.LonDeg, b.LonDeg)*x)
	}
	t.HeightM = heights(points, at, t.Km)
	return t, nil
}

// heights are the means of the recorded heights around each kilometre, joined linearly over those without; nil: none
// were recorded.
func heights(points []Point, at, km []float64) []float64 {
	var x, h []float64
	for i, p := range points {
		if !math.IsNaN(p.HeightM) {
			x, h = append(x, at[i]), append(h, p.HeightM)
		}
	}
	if len(x) == 0 {
		return nil
	}
	half := (km[1] - km[0]) / 2
	out := make([]float64, len(km))
	first := 0
	for i, k := range km {
		for first < len(x) && x[first] < k-half {
			first++
		}
		sum, n := 0.0, 0
		for j := first; j < len(x) && x[j] <= k+half; j++ {
			sum, n = sum+h[j], n+1
		}
		if n > 0 {
			out[i] = sum / float64(n)
			continue
		}
		before, after := max(first-1, 0), min(first, len(x)-1)
		out[i] = h[before]
		if d := x[after] - x[before]; d > 0 {
			out[i] += (h[after] - h[before]) * (k - x[before]) / d
		}
	}
	return out
}

// apartKm is how far apart two places are (the haversine formula; Sinnott 1984).
func apartKm(a, b Point) float64 {
	const rad = math.Pi / 180
	north, east := (b.LatDeg-a.LatDeg)*rad/2, (b.LonDeg-a.LonDeg)*rad/2
	h := math.Pow(math.Sin(north), 2) + math.Cos(a.LatDeg*rad)*math.Cos(b.LatDeg*rad)*math.Pow(math.Sin(east), 2)
	return 2 * earthKm * math.Asin(math.Min(1, math.Sqrt(h)))
}

// eastOf is how far east one longitude lies of another, the shorter way round, degrees.
func eastOf(from, to float64) float64 { return math.Remainder(to-from, 360) }

// LengthKm is how long the track is.
func (t *Track) LengthKm() float64 { return t.Km[len(t.Km)-1] }

// ClimbM is how much it climbs in all.
func (t *Track) ClimbM() float64 {
	up := 0.0
	for i := 1; i < len(t.HeightM); i++ {
		up += math.Max(0, t.HeightM[i]-t.HeightM[i-1])
	}
	return up
}

// Nearest is where along the track a place is passed closest, and how far aside it lies, as the crow flies.
func (t *Track) Nearest(latDeg, lonDeg float64) (atKm, asideKm float64) {
	const perDeg = earthKm * math.Pi / 180
	asideKm = math.Inf(1)
	east := perDeg * math.Cos(latDeg*math.Pi/180)
	place := func(i int) (x, y float64) { return eastOf(lonDeg, t.LonDeg[i]) * east, (t.LatDeg[i] - latDeg) * perDeg }
	for i := 1; i < len(t.Km); i++ { // on a plane that touches the earth at the place
		ax, ay := place(i - 1)
		bx, by := place(i)
		dx, dy := bx-ax, by-ay
		along := 0.0
		if d := dx*dx + dy*dy; d > 0 {
			along = math.Max(0, math.Min(1, -(ax*dx+ay*dy)/d))
		}
		if aside := math.Hypot(ax+along*dx, ay+along*dy); aside < asideKm {
			asideKm, atKm = aside, t.Km[i-1]+(t.Km[i]-t.Km[i-1])*along
		}
	}
	return atKm, asideKm
}

// roundabout is how much longer a road is than the way of the crow (1.2 to 1.5 by country: Ballou, Rahardja and Sakai,
// Transportation Research A 36, 2002; from memory).
const roundabout = 1.3

// Aside places a site that lies beside the track: where one turns off, and the detour there and back.
func (t *Track) Aside(latDeg, lonDeg float64) (atKm, detourKm float64) {
	atKm, aside := t.Nearest(latDeg, lonDeg)
	return atKm, 2 * roundabout * aside
}
