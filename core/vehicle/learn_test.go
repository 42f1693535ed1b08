package vehicle

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/pack"
	"zincroad/core/run"
)

// The envelope of seven points of two runs, one of which a stall held at 90 kW, as scipy.optimize.minimize (1.15, BFGS)
// finds it of the same function written down in numpy:
//
//	d = soc[:, None] - soc[None, :]
//	K = .25**2 + .22**2*exp(-d**2/(2*18**2)) + .08**2*exp(-d**2/(2*5**2)) + 1e-6*eye(41)
//	def objective(x):                       # 41 nodes, each run's own
//	    f, r = x[:41], x[41:]
//	    o = .5*(f-log(100)) @ inv(K) @ (f-log(100)) + .5*sum(r*r)/.025**2
//	    for run, s, kw, own in points:
//	        own = min(.97, max(.005, own))
//	        z = (log(kw) - interp(s, soc, f) - r[run])/.06
//	        o -= log(own*(1-.0005)*exp(-z*z/2) + (1-own)*(1-.0005)*norm.cdf(-z) + .0005)
//	    return o
func TestEnvelopeIsTheLikeliest(t *testing.T) {
	var mean [nodes]float64
	for i := range mean {
		mean[i] = math.Log(100)
	}
	var points []point
	for _, p := range []struct{ run, soc, kw, own float64 }{
		{0, 20, 120, 0.95}, {0, 30, 118, 0.95}, {0, 40, 112, 0.95},
		{1, 30, 90, 0}, {1, 40, 90, 0}, {1, 50, 90, 0}, {1, 60, 88, 0.9},
	} {
		points = append(points, pointOf(Point{SoCPct: p.soc, KW: p.kw, Own: p.own}, int(p.run), 0, nil))
	}
	s := newCourse(mean, true, points, 2, 0, nil).solve(make([]float64, len(points)), nil)
	for soc, kw := range map[float64]float64{10: 113.92, 20: 119.1, 30: 117.73, 40: 111.33, 50: 100.52, 60: 89.89,
		80: 93.84} {
		assert.InDelta(t, kw, math.Exp(s.x[int(soc/NodePct)]), 0.15, "%g %%", soc)
	}
}

// flat is a lesson of a run that took so much from one charge to another, at so many degrees.
func flat(day int, kw, from, to, own, cellC float64) Lesson {
	l := Lesson{Run: time.Unix(int64(day)*86400, 0).UTC().Format("2 January"), StartedAt: time.Unix(int64(day)*86400, 0)}
	for soc := from; soc <= to; soc += NodePct {
		p := Point{SoCPct: soc, KW: kw, Own: own, ColdC: run.N(cellC), HotC: run.N(cellC + 2)}
		l.Points = append(l.Points, p)
	}
	return l
}

var ordinary = &run.Car{Name: "Alder", UsableKWh: run.N(60), Chemistry: "NMC", MaxKW: run.N(120)}

// What a stall held says that the pack takes at least so much: it draws nothing down, and lifts what lay under it.
func TestAStallsLimitIsNotTheCars(t *testing.T) {
	own := []Lesson{flat(1, 100, 20, 60, 1, 30), flat(2, 101, 20, 60, 1, 30)}
	alone := Learn(ordinary, "", "", own)
	weak := Learn(ordinary, "", "", append(own, flat(3, 45, 20, 60, 0, 30)))
	strong := Learn(ordinary, "", "", []Lesson{flat(1, 100, 20, 60, 0.7, 30), flat(2, 101, 20, 60, 0.7, 30),
		flat(3, 118, 20, 40, 0, 30)})
	for soc := 25.0; soc <= 55; soc += 5 {
		assert.InDelta(t, 100.5, alone.At(soc), 2.5, "%g %%", soc)
		assert.InDelta(t, alone.At(soc), weak.At(soc), 0.5, "%g %%", soc)
		assert.True(t, weak.Saw(soc), "%g %%", soc)
	}
	assert.Greater(t, strong.At(30), 113.0, "one of them took 118 there: the others were not at their envelope")

	only := Learn(ordinary, "", "", []Lesson{flat(1, 50, 20, 60, 0, 30)})
	for _, p := range only.Envelope {
		if p.SoCPct >= 25 && p.SoCPct <= 55 {
			assert.Equal(t, AtLeast, p.Kind, "%g %%", p.SoCPct)
			assert.Greater(t, p.Value, 60.0, "%g %%: its kind takes more, and nothing speaks against it", p.SoCPct)
			assert.Greater(t, p.Low, 47.0, "%g %%", p.SoCPct)
		}
	}
	assert.Equal(t, Assumed, only.Envelope[len(only.Envelope)-1].Kind)
}

// A copy of a run changes nothing, in whatever order, and taking a run away makes nothing surer.
func TestCopiesAndMissingRuns(t *testing.T) {
	all := []Lesson{flat(1, 100, 10, 70, 1, 30), flat(2, 104, 10, 60, 1, 30), flat(3, 98, 30, 80, 1, 30)}
	m := Learn(ordinary, "", "", all)
	copied := all[1]
	copied.Run = "the same, once more"
	twice := Learn(ordinary, "", "", []Lesson{all[2], copied, all[0], all[1]})
	require.Len(t, twice.NotUsed, 1)
	fewer := Learn(ordinary, "", "", all[:2])
	for soc := 0.0; soc <= 100; soc += 5 {
		assert.InDelta(t, m.At(soc), twice.At(soc), 1e-6, "%g %%", soc)
		assert.GreaterOrEqual(t, fewer.SD(soc), m.SD(soc)-1e-9, "%g %%", soc)
	}
}

// A run that fits none of the others is named and left out; two that disagree are both kept, for nobody knows which.
func TestAnOddRunIsNamed(t *testing.T) {
	usual := []Lesson{flat(1, 100, 20, 60, 1, 30), flat(2, 102, 20, 60, 1, 30), flat(3, 99, 20, 60, 1, 30)}
	odd := flat(4, 190, 20, 60, 1, 30)
	odd.UsableKWh, odd.RestKWh, odd.UsablePct, odd.MostKW = run.N(120), run.N(118), 1, 190
	for i := range usual {
		usual[i].UsableKWh, usual[i].RestKWh, usual[i].UsablePct = run.N(60), run.N(58), 1
	}
	m := Learn(ordinary, "", "", append(usual, odd))
	require.Len(t, m.NotUsed, 1)
	assert.Equal(t, odd.Run, m.NotUsed[0].Run)
	assert.InDelta(t, 100.3, m.At(40), 2)
	assert.InDelta(t, 60, m.Usable.Value, 0.01, "nothing of it stays")
	assert.Less(t, m.MostKW, 110.0)
	assert.Len(t, m.Runs, 3)
	assert.Empty(t, Learn(ordinary, "", "", []Lesson{usual[0], odd}).NotUsed)
}

// A person's word counts over the rules: an odd run is taken in, a usual one left out, and both are said.
func TestRunsAreTakenInAndLeftOutByHand(t *testing.T) {
	usual := []Lesson{flat(1, 100, 20, 60, 1, 30), flat(2, 102, 20, 60, 1, 30), flat(3, 99, 20, 60, 1, 30)}
	odd := flat(4, 190, 20, 60, 1, 30)
	all := append(usual, odd)
	m := Learn(ordinary, "", "", all)
	require.Len(t, m.NotUsed, 1)
	assert.True(t, m.NotUsed[0].Odd)
	all[3].Teaches = Always
	taken := Learn(ordinary, "", "", all)
	assert.Empty(t, taken.NotUsed)
	assert.Len(t, taken.Runs, 4)
	all[0].Teaches = Never
	left := Learn(ordinary, "", "", all)
	require.Len(t, left.NotUsed, 1)
	assert.True(t, left.NotUsed[0].ByHand)
	assert.Equal(t, all[0].Run, left.NotUsed[0].Run)
	assert.NotContains(t, left.Runs, all[0].Run)
	for i := range all {
		all[i].Teaches = Never
	}
	assert.Nil(t, Learn(ordinary, "", "", all), "nothing is left to learn from")
}

// Cold is learned as what it is: a car that takes half of its power at 12 °C and all from 24 on, in three runs that
// warmed on their way.
func TestColdIsLearned(t *testing.T) {
	law := func(c float64) float64 { return pack.ColdShare(24-c, 12) }
	var all []Lesson
	for day, begin := range []float64{2, 8, 30} {
		l := flat(day, 100, 10, 70, 1, begin)
		for i := range l.Points {
			c := begin + 0.9*float64(i)
			l.Points[i].KW, l.Points[i].ColdC, l.Points[i].HotC = 100*law(c), run.N(c), run.N(c+2)
		}
		all = append(all, l)
	}
	m := Learn(ordinary, "", "", all)
	require.NotNil(t, m.WarmC)
	assert.InDelta(t, 24, *m.WarmC, 1.5)
	assert.InDelta(t, 12, *m.HalfK, 2)
	for _, s := range m.Warmth {
		if s.BatteryC >= 0 && s.BatteryC <= 30 {
			assert.InDelta(t, law(s.BatteryC), s.Value, 0.06, "%g °C", s.BatteryC)
			assert.True(t, s.Low <= s.Value && s.Value <= s.High)
		}
	}
	warm := Learn(ordinary, "", "", all[2:])
	assert.Nil(t, warm.WarmC, "no run was cold")
	assert.Empty(t, warm.Warmth)
}

// A step or a timer is the car's where half of the runs that could have shown it did; one that a single run of four had
// was that day's.
func TestStepsAndTimersAreShared(t *testing.T) {
	step := Fall{SoCPct: 42, Share: 0.7, Called: AStep, Sure: true}
	timer := Fall{SoCPct: 35, AfterS: 300, PluggedS: 315, Share: 0.6, Called: ATimer, Sure: true}
	runs := func(with int, f Fall) (out []Lesson) {
		for day := range 4 {
			l := flat(day, 100+float64(day)/4, 20, 60, 1, 30)
			l.FlowedS = 1500
			for i := range l.Points {
				if day < with && f.Called == AStep && l.Points[i].SoCPct > f.SoCPct {
					l.Points[i].KW *= f.Share
				}
			}
			if day < with {
				l.Falls = []Fall{f}
			}
			out = append(out, l)
		}
		return out
	}
	m := Learn(ordinary, "", "", runs(4, step))
	require.Len(t, m.Steps, 1)
	assert.InDelta(t, 70, m.Steps[0].ToKW, 3)
	assert.InDelta(t, 100, m.At(41), 5)
	assert.InDelta(t, 70, m.At(43), 5)
	assert.True(t, m.FallsNear(42, 1))
	assert.Empty(t, Learn(ordinary, "", "", runs(1, step)).Steps)
	m = Learn(ordinary, "", "", runs(2, timer))
	require.Len(t, m.Timers, 1)
	assert.InDelta(t, 300, m.Timers[0].AfterS, 1)
	assert.Empty(t, Learn(ordinary, "", "", runs(1, timer)).Timers)

	// Nobody called them anything: the same time at charges far apart is a timer's, the same charge at times far apart
	// a step's, and the same of both says neither.
	uncalled := func(a, b Fall) *Model {
		list := runs(0, step)[:2]
		list[0].Falls, list[1].Falls = []Fall{a}, []Fall{b}
		return Learn(ordinary, "", "", list)
	}
	m = uncalled(Fall{SoCPct: 30, AfterS: 300, PluggedS: 315, Share: 0.7},
		Fall{SoCPct: 45, AfterS: 302, PluggedS: 316, Share: 0.7})
	assert.Len(t, m.Timers, 1)
	assert.Empty(t, m.Steps)
	isTimer, isStep, _ := m.FellLike(314, 38, 4, 0.8)
	assert.True(t, isTimer && !isStep)
	m = uncalled(Fall{SoCPct: 40, AfterS: 300, Share: 0.7}, Fall{SoCPct: 40.4, AfterS: 700, Share: 0.7})
	assert.Len(t, m.Steps, 1)
	assert.Empty(t, m.Timers)
	m = uncalled(Fall{SoCPct: 40, AfterS: 300, Share: 0.7}, Fall{SoCPct: 40, AfterS: 300, Share: 0.7})
	assert.Empty(t, m.Steps)
	assert.Empty(t, m.Timers)
}

// Few runs of a version borrow from the others as far as they go; where they speak they are believed.
func TestVersionsBorrow(t *testing.T) {
	of := func(l Lesson, version string) Lesson {
		l.Software = version
		return l
	}
	old := []Lesson{of(flat(1, 100, 10, 80, 1, 30), "2.3"), of(flat(2, 101, 10, 80, 1, 30), "2.3"),
		of(flat(3, 99, 10, 80, 1, 30), "2.3")}
	m := Learn(ordinary, "2.4", "", append(old, of(flat(4, 112, 20, 40, 1, 30), "2.4")))
	assert.Equal(t, []string{"2.4", "2.3"}, m.Software)
	assert.InDelta(t, 111, m.At(30), 4, "its own run")
	assert.InDelta(t, 102, m.At(70), 6, "the other version's")
	assert.Greater(t, m.SD(70), m.SD(30))
	none := Learn(ordinary, "2.5", "", old)
	assert.Equal(t, []string{"2.3"}, none.Software)
	assert.InDelta(t, 100, none.At(50), 3)
	assert.Greater(t, none.SD(50), Learn(ordinary, "2.3", "", old).SD(50))
}

// A resistance that halves from 0 to 35 °C, in four runs, by Arrhenius' law: its slope is 8.314 ln 2 / (1/273.15 -
// 1/308.15), 13.86 kJ/mol. One run alone goes by what is usual.
func TestResistanceFallsWithWarmth(t *testing.T) {
	at := func(day int, ohm, c float64) Lesson {
		l := flat(day, 100+float64(day), 20, 60, 1, 30)
		l.Ohm, l.OhmC = run.N(ohm), c
		return l
	}
	m := Learn(ordinary, "", "", []Lesson{at(1, 0.1, 0), at(2, 0.1, 0.1), at(3, 0.05, 35), at(4, 0.05, 35.1)})
	require.NotNil(t, m.ActivationKJ)
	assert.InDelta(t, 13.86, *m.ActivationKJ, 1.5)
	one := Learn(ordinary, "", "", []Lesson{at(1, 0.08, 25)})
	assert.InDelta(t, 0.08, *one.Ohm, 1e-6)
	assert.InDelta(t, pack.Activation/1000, *one.ActivationKJ, 0.01)
}

// What is noted stands; what is not is what the runs taught, and the list says of which.
func TestNotesStand(t *testing.T) {
	l := flat(1, 100, 10, 80, 1, 30)
	l.RestKWh, l.UsablePct = run.N(57), 3
	m := Learn(ordinary, "", "", []Lesson{l})
	got := m.Apply(ordinary)
	assert.Equal(t, 60.0, *got.UsableKWh)
	assert.NotEmpty(t, got.Envelope)
	require.Len(t, m.Used(ordinary), 1)
	bare := m.Apply(nil)
	assert.Equal(t, 57.0, *bare.UsableKWh)
	drawn := &run.Car{UsableKWh: run.N(60), Envelope: []run.Point{{SoCPct: 0, KW: 80}, {SoCPct: 100, KW: 10}}}
	assert.Len(t, m.Apply(drawn).Envelope, 2)
	assert.False(t, m.Draws(drawn))
	assert.Nil(t, (*Model)(nil).Used(drawn))
}

// A model written as its document and read again is the model, but for how what is off at one charge goes with another.
func TestDocumentIsTheModel(t *testing.T) {
	l := flat(1, 100, 10, 80, 1, 30)
	l.RestKWh, l.UsableKWh, l.UsablePct, l.BeginS = run.N(57), run.N(58), 3, run.N(21)
	m := Learn(ordinary, "", "", []Lesson{l, flat(2, 60, 10, 80, 1, 12)})
	back, err := m.Document().Model()
	require.NoError(t, err)
	assert.Equal(t, m.Document(), back.Document())
	for soc := 0.0; soc <= 100; soc += 10 {
		assert.InDelta(t, m.At(soc), back.At(soc), 1e-9)
		assert.InDelta(t, m.SD(soc), back.SD(soc), 1e-6)
	}
	_, err = (&Document{Format: "zincroad-run/1"}).Model()
	assert.ErrorIs(t, err, ErrDocument)
	bad := m.Document()
	bad.Envelope[3].KW = -1
	_, err = bad.Model()
	assert.ErrorIs(t, err, ErrDocument)
}
