package drill_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/drill"
	"zincroad/core/limit"
	"zincroad/core/trace"
)

// played is what a tester does who misses nothing: looks first, pays until it is taken, plugs in, types each ten per
// cent as it comes, notes what happens, and unplugs where the method ends.
func played(p *drill.Practice) (notes []drill.Note) {
	at := 20.0
	add := func(ts float64, kind drill.Happening) { notes = append(notes, drill.Note{TS: ts, Kind: kind}) }
	add(5, drill.Checked)
	for range p.Refusals {
		add(at, drill.Paid)
		add(at+3, drill.Refused)
		at += 20
	}
	add(at, drill.Paid)
	plug := at + 10
	add(plug, drill.PluggedIn)
	last := -1.0
	for i, s := range p.Screens {
		if s.SoCPct != last && int(s.SoCPct)%10 == 0 && s.SoCPct > p.FromPct {
			notes = append(notes, drill.Note{TS: plug + float64(i) + 2, Kind: drill.Read,
				Values: map[trace.Channel]float64{trace.SoC: s.SoCPct, trace.Power: s.KW}})
		}
		last = s.SoCPct
		if s.SoCPct >= p.ToPct {
			add(plug+float64(i)+3, drill.Stopped)
			add(plug+float64(i)+5, drill.Unplugged)
			break
		}
	}
	for _, s := range p.Surprises {
		if s.TS >= 0 {
			add(plug+s.TS+15, s.Kind)
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
// that: the point for the plug.
func TestPracticeIsMarkedByItsRules(t *testing.T) {
	surprises := map[drill.Happening]int{}
	for seed := range uint64(60) {
		p, err := drill.NewPractice(seed, 1+int(seed%drill.Levels))
		require.NoError(t, err)
		for _, s := range p.Surprises {
			surprises[s.Kind]++
		}
		got, of := total(p.Mark(played(p), drill.Answer{Whose: p.Cause.Sign().Whose, Cause: p.Cause}))
		assert.InDelta(t, of, got, 1e-9, "seed %d", seed)
		assert.InDelta(t, 12, of, 1e-9)
		if p.Open {
			got, _ = total(p.Mark(played(p), drill.Answer{Whose: limit.Open}))
			assert.InDelta(t, of, got, 1e-9)
		}
		careless := []drill.Note{{TS: 3, Kind: drill.PluggedIn},
			{TS: 100, Kind: drill.Read, Values: map[trace.Channel]float64{trace.SoC: 77, trace.Power: 12}},
			{TS: 130, Kind: drill.Read, Values: map[trace.Channel]float64{trace.SoC: 3}},
			{TS: 160, Kind: drill.Unplugged}}
		marks := map[drill.Rule]drill.RuleMark{}
		for _, m := range p.Mark(careless, drill.Answer{Whose: limit.Between, Cause: limit.Ramp}) {
			marks[m.Rule] = m
		}
		assert.Zero(t, marks[drill.Safety].Got)
		assert.InDelta(t, 1, marks[drill.Plug].Got, 1e-9)
		assert.Zero(t, marks[drill.Posts].Got)
		assert.Zero(t, marks[drill.Copied].Got)
		assert.Equal(t, 2, marks[drill.Copied].All)
		assert.Zero(t, marks[drill.Method].Got)
		assert.Zero(t, marks[drill.Verdict].Got)
		press := played(p)
		for _, kind := range []drill.Happening{drill.Refused, drill.Neighbour, drill.NoCar, drill.HotCable,
			drill.ColdPack, drill.ScreenLies} {
			press = append(press, drill.Note{TS: 60, Kind: kind})
		}
		got, of = total(p.Mark(press, drill.Answer{Whose: p.Cause.Sign().Whose, Cause: p.Cause}))
		assert.Less(t, got, of, "whoever presses every key is no good witness")
		idle, _ := total(p.Mark(nil, drill.Answer{}))
		assert.LessOrEqual(t, idle, 2.0, "who does nothing gets no more than for missing nothing")
	}
	for _, kind := range []drill.Happening{drill.Refused, drill.Neighbour, drill.HotCable, drill.ColdPack,
		drill.ScreenLies} {
		assert.NotZero(t, surprises[kind], kind)
	}
}
