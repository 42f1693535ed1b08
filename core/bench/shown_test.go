package bench

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/units"
)

// logged is a run of the logbook that took so long for 10–80, with a pack at 26 °C on a day of 15 °C at a 350 kW
// stall with software 2.4, but for one change.
func logged(id int64, minutes float64, change func(*Known)) Known {
	k := Known{ID: id, Car: "Tamarack 78", Software: "2.4", Stall: "Mill 3", StallKW: 350, Preconditioned: "none",
		StartC: run.N(26), AmbientC: run.N(15),
		Gist: Gist{Windows: []GistWindow{{FromPct: 10, ToPct: 80, TS: 60 * minutes}}}}
	if change != nil {
		change(&k)
	}
	return k
}

func TestPairsOfTheLogbookShowWhatAConditionComesTo(t *testing.T) {
	on := func(id int64, software string) Entry {
		return Entry{ID: id, Run: &run.Run{Car: &run.Car{Name: "Tamarack 78", Software: software}}}
	}
	software := func(v string) func(*Known) { return func(k *Known) { k.Software = v } }
	known := []Known{
		logged(1, 24, nil),
		logged(2, 30, software("2.3")), // both on the bench
		logged(3, 25, nil),
		logged(4, 27, software("2.3")),
		logged(5, 50, software("2.2")), // another software than those on the bench
		logged(6, 51, func(k *Known) { k.Software, k.StartC = "2.3", run.N(4) }),           // colder too
		logged(7, 52, func(k *Known) { k.Software, k.Climate = "2.3", "on" }),              // climate: the others do not say
		logged(8, 53, func(k *Known) { k.Software, k.Car = "2.3", "Osier 88" }),            // another car
		logged(9, 54, func(k *Known) { k.Software, k.PlugIns = "2.3", 2 }),                 // replugged
		logged(10, 55, func(k *Known) { k.Software, k.Gist.Windows[0].ToPct = "2.3", 70 }), // another window
		logged(11, 56, func(k *Known) { k.Software, k.Stall = "2.3", "" }),                 // nobody knows where
		logged(12, 57, func(k *Known) { k.Stall = "" }),
	}
	differs := []Differs{{Condition: "software", Values: []Value{wordsOf("2.4"), wordsOf("2.3")}}}
	got := shown(known, []Entry{on(1, "2.4"), on(2, "2.3")}, differs, Span{10, 80, true})
	require.Contains(t, got, "software")
	// 1 with 4, 3 with 2 and 3 with 4: 3, 5 and 2 minutes. 1 with 2 is what is to be judged.
	assert.Equal(t, Shown{Pairs: 3, LowS: 120, HighS: 300}, *got["software"])
	assert.Len(t, got, 1)
}

// Temperatures count where they lie about as far apart as those on the bench; a colder day may go with a colder pack,
// but is not shown by it.
func TestPairsAsFarApartAsThoseOnTheBench(t *testing.T) {
	pack := func(c, day float64) func(*Known) {
		return func(k *Known) { k.StartC, k.AmbientC = &c, &day }
	}
	known := []Known{
		logged(1, 24, pack(26, 15)),
		logged(2, 34, pack(6, 2)),     // 20 K below the first: as far as on the bench
		logged(3, 28, pack(18, 15)),   // 8 K, too near; 12 K above the second
		logged(4, 70, pack(-22, -20)), // 48 K below the first, too far; 40 K below the third, 28 K below the second
	}
	e := Entry{Run: &run.Run{Car: &run.Car{Name: "Tamarack 78"}}}
	differs := []Differs{{Condition: "battery_c", Values: []Value{tenthsOf(ptr(25)), tenthsOf(ptr(5))}},
		{Condition: "ambient_c", Values: []Value{tenthsOf(ptr(20)), tenthsOf(ptr(0))}}}
	got := shown(known, []Entry{e, e}, differs, Span{10, 80, true})
	require.Contains(t, got, "battery_c")
	// 1 with 2, 2 with 3, 3 with 4, 2 with 4: 10, 6, 42 and 36 minutes.
	assert.Equal(t, Shown{Pairs: 4, LowS: 360, HighS: 42 * 60}, *got["battery_c"])
	assert.NotContains(t, got, "ambient_c", "no pair differs in the day alone")
}

// Where the forecast knows nothing, three pairs decide and two do not; where it does, both are heard.
func TestEnoughPairsAreHeard(t *testing.T) {
	for _, k := range []struct {
		name   string
		differ Differs
		want   Matters
	}{
		{"nothing is known", Differs{Condition: "climate"}, Maybe},
		{"two pairs say little", Differs{Condition: "climate", Shown: &Shown{2, 1, 5}}, Maybe},
		{"three pairs say that it does not", Differs{Condition: "climate", Shown: &Shown{3, 1, 5}}, DoesNot},
		{"three pairs say that it does", Differs{Condition: "climate", Shown: &Shown{3, 100, 300}}, Does},
		{"the forecast alone", Differs{Condition: "ambient_c", LowS: run.N(2), HighS: run.N(6)}, DoesNot},
		{"pairs say more than the forecast", Differs{Condition: "ambient_c", LowS: run.N(2), HighS: run.N(6),
			Shown: &Shown{4, 100, 300}}, Maybe},
		{"a software matters whatever pairs say", Differs{Condition: "software", Shown: &Shown{9, 0, 1}}, Does},
	} {
		assert.Equal(t, k.want, matter(k.differ.Condition, k.differ, nil, 1800), k.name)
	}
}

// A kept bench asks for a difference: the next run is where it shrinks most, though a cell lies empty elsewhere; not
// where the difference is known well enough.
func TestTheNextRunOfWhatWasAsked(t *testing.T) {
	car, _ := FactorOf("car")
	stall, _ := FactorOf("stall_kw")
	at := func(id int64, name string, kw, minutes float64) Known {
		return logged(id, minutes, func(k *Known) { k.Car, k.StallKW = name, kw })
	}
	runs := []Known{at(1, "A", 350, 20), at(2, "A", 350, 24), at(3, "A", 350, 22), at(4, "A", 150, 30),
		at(5, "A", 150, 34), at(6, "B", 350, 20)} // B at 150 kW: nobody measured it
	plain := MatrixOf(runs, car, stall, 10, 80, AnyWarmth)
	require.NotNil(t, plain.Next)
	assert.Equal(t, "B, 150 kW", plain.Rows[plain.Next.Row]+", "+plain.Cols[plain.Next.Col])

	asked := MatrixOf(runs, car, stall, 10, 80, AnyWarmth, Asked{"One stall", []int64{1, 2}},
		Asked{"Detour", []int64{1, 4}})
	require.NotNil(t, asked.Next)
	assert.Equal(t, "A, 150 kW", asked.Rows[asked.Next.Row]+", "+asked.Cols[asked.Next.Col])
	// Squares 4+0+4 and 4+4 of 3 degrees of freedom: s² = 16/3 min², s = 2.309 min; t = 3.182 (a table of Student's
	// distribution); √(1/2+1/3) and √(1/3+1/3).
	assert.Equal(
		t,
		"the bench “Detour” asks for its difference to 350 kW: that is known to ± 6:43, one more makes it ± 6:00",
		asked.Next.Why.Kept(),
	)

	close := []Known{}
	for i := range int64(8) {
		close = append(close, at(20+i, "A", 350, 20+0.1*float64(i%2)), at(40+i, "A", 150, 30+0.1*float64(i%2)))
	}
	known := MatrixOf(append(close, at(6, "B", 350, 20)), car, stall, 10, 80, AnyWarmth, Asked{"Detour", []int64{20, 40}})
	assert.Equal(t, "B, 150 kW", known.Rows[known.Next.Row]+", "+known.Cols[known.Next.Col])

	few := MatrixOf([]Known{at(1, "A", 350, 20), at(2, "A", 150, 30)}, car, stall, 10, 80, AnyWarmth,
		Asked{"Detour", []int64{1, 2}})
	assert.Contains(t, fmt.Sprint(few.Next), "no repeats tell")
}

// Below nought two thermometers are compared as above it, and the open format writes a minus that can be read back.
func TestConditionsBelowNought(t *testing.T) {
	at := func(c float64) Entry {
		return Entry{Run: &run.Run{Conditions: &run.Condition{AmbientC: &c}}, Reading: &curve.Reading{}}
	}
	outside := conditionOf("ambient_c")
	differ, _ := outside.differs(outside.values([]Entry{at(-5), at(-5.6)}))
	assert.False(t, differ, "within a kelvin")
	differ, _ = outside.differs(outside.values([]Entry{at(-5), at(5)}))
	assert.True(t, differ)
	values := outside.values([]Entry{at(4), at(-18.5), at(-0.01)})
	text, err := json.Marshal(values)
	require.NoError(t, err)
	assert.Equal(t, `["4","-18.5","0"]`, string(text))
	low, high, ok := extremes(values)
	assert.True(t, ok)
	assert.Equal(t, []Value{values[1], values[0]}, []Value{low, high})
	assert.Equal(t, "−18.5 °C", low.in("°C").Kept())
	assert.Equal(t, "−1.3 °F", low.in("°C").In(units.People{Fahrenheit: true}), "with the decimals that it has")
}
