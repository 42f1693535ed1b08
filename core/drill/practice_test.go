package drill_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/drill"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// noticing are what a tester presses or types for what happens.
var noticing = map[drill.Happening]run.Mark{
	drill.Refused:    {Kind: run.Attempt, Note: "payment refused"},
	drill.Neighbour:  {Kind: run.Neighbour},
	drill.NoCar:      {Kind: run.Note, Note: "the other car has left"},
	drill.HotCable:   {Kind: run.Note, Note: "Cable warm"},
	drill.ColdPack:   {Kind: run.Note, Note: "cold pack"},
	drill.ScreenLies: {Kind: run.Note, Note: "kW and kWh do not agree"},
}

// played is what a tester does who misses nothing: looks first, plugs in, pays until it is taken, types each ten per
// cent as it comes, notes what happens, and unplugs where the method ends.
func played(p *drill.Practice) (notes []drill.Note) {
	at := 20.0
	do := func(ts float64, d drill.Deed) { notes = append(notes, drill.Note{TS: ts, Speed: 1, Deed: d}) }
	mark := func(ts float64, m run.Mark) { notes = append(notes, drill.Note{TS: ts, Speed: 1, Mark: m}) }
	do(5, drill.Looked)
	plug := func() {
		do(at, drill.Inserted)
		mark(at+2, run.Mark{Kind: run.PlugIn})
		do(at+10, drill.Paid)
	}
	for range p.Refusals {
		plug()
		mark(at+13, noticing[drill.Refused])
		do(at+15, drill.Pulled)
		at += 30
	}
	plug()
	start, last := at+10, -1.0
	for i, s := range p.Screens {
		if s.SoCPct != last && int(s.SoCPct)%10 == 0 && s.SoCPct > p.FromPct {
			notes = append(notes, drill.Note{TS: start + float64(i) + 2, Speed: 1, Side: trace.StallSide,
				Values: map[trace.Channel]float64{trace.SoC: s.SoCPct, trace.Power: s.KW}})
		}
		last = s.SoCPct
		if s.SoCPct >= p.ToPct {
			do(start+float64(i)+3, drill.Halted)
			mark(start+float64(i)+4, run.Mark{Kind: run.Stop})
			do(start+float64(i)+5, drill.Pulled)
			mark(start+float64(i)+6, run.Mark{Kind: run.Unplug})
			break
		}
	}
	for _, s := range p.Surprises {
		if s.Kind != drill.Refused {
			mark(start+s.TS+15, noticing[s.Kind])
		}
	}
	return notes
}

func total(marks []drill.RuleMark) (got, of float64) {
	for _, m := range marks {
		got, of = got+m.Got, of+m.Of
	}
	return got, of
}

// A perfect tester gets every point at every level, and one who says that a timer cannot be told from a cabinet too;
// a careless one, who plugs in without looking, types two wrong numbers and drives off, gets what the rules give for
// that: some of the point for the plug.
func TestPracticeIsMarkedByItsRules(t *testing.T) {
	surprises := map[drill.Happening]int{}
	for seed := range uint64(60) {
		p, err := drill.NewPractice(seed, 1+int(seed%drill.Levels))
		require.NoError(t, err)
		for _, s := range p.Surprises {
			surprises[s.Kind]++
		}
		got, of := total(p.Mark(played(p), drill.Answer{Whose: p.Cause.Sign().Whose, Cause: p.Cause, Sure: true}))
		assert.InDelta(t, of, got, 1e-9, "seed %d", seed)
		assert.InDelta(t, 12, of, 1e-9)
		if p.Open {
			got, _ = total(p.Mark(played(p), drill.Answer{Whose: limit.Open}))
			assert.InDelta(t, of, got, 1e-9)
		}
		careless := []drill.Note{{TS: 3, Speed: 1, Deed: drill.Inserted}, {TS: 4, Speed: 1,
			Mark: run.Mark{Kind: run.PlugIn}}}
		for i := range p.Refusals + 1 {
			at := 10 * float64(i)
			careless = append(careless, drill.Note{TS: at + 5, Speed: 1, Deed: drill.Paid})
			if i < p.Refusals {
				careless = append(careless, drill.Note{TS: at + 7, Deed: drill.Pulled},
					drill.Note{TS: at + 8, Speed: 1, Deed: drill.Inserted})
			}
		}
		careless = append(careless,
			drill.Note{TS: 100, Speed: 1, Values: map[trace.Channel]float64{trace.SoC: 77, trace.Power: 12}},
			drill.Note{TS: 130, Speed: 1, Values: map[trace.Channel]float64{trace.SoC: 3}},
			drill.Note{TS: 160, Speed: 1, Deed: drill.Pulled})
		marks := map[drill.Rule]drill.RuleMark{}
		for _, m := range p.Mark(careless, drill.Answer{Whose: limit.Between, Cause: limit.Ramp}) {
			marks[m.Rule] = m
		}
		assert.Zero(t, marks[drill.Safety].Got)
		// The plug went in once or twice within 20 s of the one note of it, and came out at the end unnoted.
		ins := float64(p.Refusals + 1)
		assert.InDelta(t, ins/(ins+1), marks[drill.Plug].Got, 1e-9)
		assert.Zero(t, marks[drill.Posts].Got)
		assert.Zero(t, marks[drill.Copied].Got)
		assert.Equal(t, 2, marks[drill.Copied].All)
		assert.Zero(t, marks[drill.Method].Got)
		assert.Zero(t, marks[drill.Verdict].Got)
		press := played(p)
		for _, m := range noticing {
			press = append(press, drill.Note{TS: 60, Speed: 1, Mark: m})
		}
		got, of = total(p.Mark(press, drill.Answer{Whose: p.Cause.Sign().Whose, Cause: p.Cause, Sure: true}))
		assert.Less(t, got, of, "whoever presses every key is no good witness")
		idle, _ := total(p.Mark(nil, drill.Answer{}))
		assert.Zero(t, idle, "who does nothing gets nothing")
	}
	for _, kind := range []drill.Happening{drill.Refused, drill.Neighbour, drill.HotCable, drill.ColdPack,
		drill.ScreenLies} {
		assert.NotZero(t, surprises[kind], kind)
	}
}

// A right verdict that was called sure is worth 2 points, called likely 1.7; a wrong one costs a point where it was
// called sure, and nothing where not. To be sure pays where 2 p - (1 - p) > 1.7 p: from 77 of 100 on.
func TestAVerdictIsWorthHowSureItWas(t *testing.T) {
	p, err := drill.NewPractice(1, 1)
	require.NoError(t, err)
	of := func(a drill.Answer) float64 {
		marks := p.Mark(nil, a)
		require.Equal(t, drill.Verdict, marks[len(marks)-1].Rule)
		return marks[len(marks)-1].Got
	}
	right := drill.Answer{Whose: p.Cause.Sign().Whose, Cause: p.Cause}
	wrong := drill.Answer{Whose: limit.Between, Cause: limit.Ramp}
	assert.InDelta(t, 1.7, of(right), 1e-9)
	assert.Zero(t, of(wrong))
	right.Sure, wrong.Sure = true, true
	assert.InDelta(t, 2, of(right), 1e-9)
	assert.InDelta(t, -1, of(wrong), 1e-9)
	assert.Zero(t, of(drill.Answer{}), "who says nothing is not wrong")
}

// Who stops where the method ends may take their time to unplug: nothing flows any more.
func TestTheMethodEndsWhereTheChargeDoes(t *testing.T) {
	p, err := drill.NewPractice(1, 1)
	require.NoError(t, err)
	notes := played(p)
	for i := range notes {
		if notes[i].Deed == drill.Pulled && i > len(notes)/2 {
			notes[i].TS += 300
		}
	}
	for _, m := range p.Mark(notes, drill.Answer{}) {
		if m.Rule == drill.Method {
			assert.InDelta(t, 1, m.Got, 1e-9)
		}
	}
}

// However fast the clock runs, four seconds of the tester's own are in time: 240 s at sixty times the speed. At one
// they are 20 s.
func TestAFastClockAllowsForHands(t *testing.T) {
	p, err := drill.NewPractice(1, 1)
	require.NoError(t, err)
	of := func(lateS, speed float64) float64 {
		notes := []drill.Note{{TS: 10, Speed: speed, Deed: drill.Inserted},
			{TS: 10 + lateS, Speed: speed, Mark: run.Mark{Kind: run.PlugIn}}}
		for _, m := range p.Mark(notes, drill.Answer{}) {
			if m.Rule == drill.Plug {
				return m.Got
			}
		}
		return -1
	}
	assert.InDelta(t, 1, of(19, 1), 1e-9)
	assert.Zero(t, of(21, 1))
	assert.InDelta(t, 1, of(239, 60), 1e-9)
	assert.Zero(t, of(241, 60))
}

// What the car came with and what the charge ended with are on the screens before and after it: noting them is right,
// and noting power there is not.
func TestScreensBeforeAndAfterTheCharge(t *testing.T) {
	p, err := drill.NewPractice(1, 1)
	require.NoError(t, err)
	const start, stop = 30.0, 330.0
	end := p.Screens[int(stop-start)]
	copied := func(ts float64, values map[trace.Channel]float64) float64 {
		notes := []drill.Note{{TS: 10, Speed: 1, Deed: drill.Inserted}}
		for i := range p.Refusals {
			notes = append(notes, drill.Note{TS: 11 + float64(i), Speed: 1, Deed: drill.Paid},
				drill.Note{TS: 12 + float64(i), Deed: drill.Pulled}, drill.Note{TS: 13 + float64(i), Deed: drill.Inserted})
		}
		notes = append(notes, drill.Note{TS: start, Deed: drill.Paid}, drill.Note{TS: stop, Deed: drill.Halted},
			drill.Note{TS: stop + 5, Deed: drill.Pulled}, drill.Note{TS: ts, Speed: 1, Values: values})
		for _, m := range p.Mark(notes, drill.Answer{}) {
			if m.Rule == drill.Copied {
				return m.Got
			}
		}
		return -1
	}
	came := map[trace.Channel]float64{trace.SoC: p.Screens[0].SoCPct, trace.BatteryTempMin: p.Screens[0].ColdestC}
	assert.InDelta(t, 1, copied(3, came), 1e-9)
	assert.InDelta(t, 1, copied(stop+200, map[trace.Channel]float64{trace.SoC: end.SoCPct, trace.Energy: end.KWh,
		trace.Power: 0}), 1e-9)
	assert.Zero(t, copied(3, map[trace.Channel]float64{trace.Power: 120}))
	assert.Zero(t, copied(stop+200, map[trace.Channel]float64{trace.Power: end.KW}))
}

// What was noted is a run like any other: its marks, and readings by side, with gaps where a line did not say it.
// What was done and not noted is not in it.
func TestAPracticeIsARun(t *testing.T) {
	p, err := drill.NewPractice(1, 1)
	require.NoError(t, err)
	r := p.Run([]drill.Note{{TS: 5, Deed: drill.Inserted}, {TS: 8, Mark: run.Mark{Kind: run.PlugIn}},
		{TS: 90, Side: trace.StallSide, Values: map[trace.Channel]float64{trace.SoC: 13, trace.Power: 120}},
		{TS: 60, Side: trace.StallSide, Values: map[trace.Channel]float64{trace.Power: 118}},
		{TS: 70, Side: trace.CarSide, Values: map[trace.Channel]float64{trace.BatteryTempMin: 21}}})
	assert.Equal(t, []run.Mark{{TS: 8, Kind: run.PlugIn}}, r.Marks)
	require.Len(t, r.Recordings, 2)
	stall, car := r.Recordings[0], r.Recordings[1]
	assert.Equal(t, trace.StallSide, stall.Side)
	assert.Equal(t, []float64{60, 90}, stall.T)
	assert.Equal(t, []float64{118, 120}, stall.Columns[trace.Power])
	assert.True(t, math.IsNaN(stall.Columns[trace.SoC][0]))
	assert.InDelta(t, 13, stall.Columns[trace.SoC][1], 1e-9)
	assert.Equal(t, []float64{21}, car.Columns[trace.BatteryTempMin])
	require.NotNil(t, r.Stall)
	assert.Nil(t, r.Car.TimerS, "a car's timer is not on its label")
}
