package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/words"
)

// like is a run at a stall's power with a pack of some warmth, none of it odd.
func like(stallKW, startC float64) Entry {
	return Entry{Run: &run.Run{Car: &run.Car{Name: "Tamarack 78"}, Stall: &run.Stall{RatedKW: &stallKW},
		Conditions: &run.Condition{Preconditioned: "car"}},
		Reading: &curve.Reading{
			Side:    "stall",
			Legs:    make([]curve.Leg, 1),
			Battery: &curve.Battery{StartC: &startC, Coldest: true},
			Pace:    &curve.Pace{},
		}}
}

// What all of the others share and a run does not is odd about it; what they differ in among themselves, or do
// not note, is not. Numbers are apart where they are beyond the nearest of the others.
func TestOdd(t *testing.T) {
	list := []Entry{like(350, 25), like(350, 27), like(350, 26), like(150, 9)}
	others := []int{0, 1, 2}
	assert.Equal(
		t,
		[]string{"stall's power 150 kW, not 350 kW", "battery's temperature at plug-in 9 °C, not 25 to 27 °C"},
		say.AllKept(Odd(list, 3, others)),
	)
	assert.Empty(t, Odd(list, 0, []int{1, 2}), "a repeat")
	list[3] = like(350, 28.5)
	assert.Empty(t, Odd(list, 3, others), "within two kelvin of the nearest")
	list[0].Run.Conditions.Preconditioned, list[3].Run.Conditions.Preconditioned = "driven", "none"
	assert.Empty(t, Odd(list, 3, others), "the others differ in it themselves")
	list[0].Run.Conditions.Preconditioned = "car"
	assert.Equal(t, []string{"preconditioning none, not car"}, say.AllKept(Odd(list, 3, others)))
	list[1].Run.Conditions = nil
	assert.Empty(t, Odd(list, 3, others), "one does not say")
}

// A replug, a gap, and what took time from none of the others.
func TestOddByWhatHappened(t *testing.T) {
	list := []Entry{like(350, 25), like(350, 25), like(350, 25)}
	x := list[2].Reading
	x.Legs = make([]curve.Leg, 3)
	x.Energy.BridgedS = ptr(90)
	x.Pace.FromPct, x.Pace.ToPct = 10, 80
	x.Pace.Lost = []curve.MinutesLost{{Cause: limit.SharedCabinet, Minutes: 2.5}, {Cause: limit.Cold, Minutes: 3},
		{Cause: limit.Ramp, Minutes: 0.4}}
	list[0].Reading.Pace.Lost = []curve.MinutesLost{{Cause: limit.Cold, Minutes: 1}}
	assert.Equal(
		t,
		[]string{
			"plugged in 3 times",
			"1 min 30 s without readings",
			"2 min 30 s of " + words.Window(10, 80) + " lost to shared cabinet",
		},
		say.AllKept(Odd(list, 2, []int{0, 1})),
		"the cold took from another too, the ramp too little",
	)
	list[1].Reading.Legs = make([]curve.Leg, 2)
	assert.NotContains(t, Odd(list, 2, []int{0, 1}), "plugged in 3 times")
}
