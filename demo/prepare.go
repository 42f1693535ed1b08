package demo

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/trip"
)

// Where the sites are, by road from the workshop in Wend Bridge and from each other.
var places = []struct {
	site   string
	baseKm float64
	roads  map[string]float64
}{
	{"Fulling Mill", 18, nil},
	{"Old Tannery", 14, map[string]float64{"Fulling Mill": 6}},
	{"Weigh House", 27, map[string]float64{"Fulling Mill": 11, "Old Tannery": 16}},
	{"Copse Lane Quarry", 31, map[string]float64{"Fulling Mill": 22, "Old Tannery": 19, "Weigh House": 9}},
}

// overTheMoor is the way from Wend Bridge to the coast, where the book vans go for their new shelves: along the valley,
// over the moor at 940 m, down through hills to the sea. It lies on no map: its places are out on the ocean.
func overTheMoor() (*trip.Track, error) {
	const lengthKm, perDeg = 620.0, 111.2
	var points []trip.Point
	for km := 0.0; km <= lengthKm; km += 0.25 {
		bend := 0.12 * math.Sin(km/41)
		hill := 940 * math.Exp(-math.Pow((km-265)/48, 2)) // the moor
		for _, h := range []struct{ at, wide, high float64 }{{120, 22, 210}, {395, 25, 320}, {470, 18, 260}, {545, 20, 140}} {
			hill += h.high * math.Exp(-math.Pow((km-h.at)/h.wide, 2))
		}
		low := 190 * math.Max(0, 1-km/600) // the valley lies higher than the sea
		points = append(points, trip.Point{LatDeg: 44 + bend, LonDeg: -40 + km/(perDeg*math.Cos(44*math.Pi/180)),
			HeightM: low + hill + 9*math.Sin(km/1.7)})
	}
	return trip.NewTrack(points)
}

// anyVersion is a car of which any software will do.
func anyVersion(c run.Car) *run.Car { return &c }

func version(c run.Car, software string) *run.Car {
	c = with(c, software)
	return &c
}

// The runs that the workshop wants: the new software cold and warm, the big van
// that nobody has run from low, and every car once at the quarry.
var wanted = []struct {
	car     *run.Car
	stall   *run.Stall
	pre     string
	from    run.Number
	repeats int
}{
	{version(tamarack, "2.4"), &fulling3, "car", n(10), 3},
	{version(tamarack, "2.4"), &fulling3, "none", n(10), 3},
	{version(tamarack, "2.4"), &tannery2, "car", n(10), 2},
	{anyVersion(rowan), &fulling1, "car", n(10), 2},
	{anyVersion(osier), &weigh4, "", n(10), 2},
	{anyVersion(osier), nil, "none", nil, 2},
	{anyVersion(hornbeam), nil, "", n(10), 2},
	{nil, &copse1, "none", nil, 3},
}

// The plans that the workshop has kept.
var plans = []struct {
	title   string
	car     *run.Car
	stall   *run.Stall
	choices map[string]string
}{
	{
		"Tamarack, cold repeat",
		version(tamarack, "2.4"),
		&fulling3,
		map[string]string{"method": "cold", "now": "34", "outside": "3", "battery": "5", "when": "plug", "at": "18:30"},
	},
	{
		"Osier, warm, third repeat",
		version(osier, "1.9"),
		&weigh4,
		map[string]string{
			"method":  "stop",
			"now":     "58",
			"outside": "7",
			"battery": "9",
			"when":    "leave",
			"at":      "16:45",
		},
	},
}
