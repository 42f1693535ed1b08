package demo

import "zincroad/core/run"

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
