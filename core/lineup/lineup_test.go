package lineup_test

import (
	"math"
	"math/rand/v2"
	"sort"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/lineup"
	"zincroad/core/trace"
)

// session is a charging session in continuous time: power into the pack at a time, kW.
type session struct {
	peak, holdTo, end, taper float64
	steps                    []float64 // times at which it falls by a twelfth
}

func newSession(r *rand.Rand) session {
	s := session{peak: 80 + 140*r.Float64(), holdTo: 200 + 500*r.Float64(), end: 1500 + 1500*r.Float64()}
	s.taper = 0.3 + 0.3*r.Float64()
	for range r.IntN(5) {
		s.steps = append(s.steps, s.holdTo+r.Float64()*(s.end-s.holdTo))
	}
	return s
}

func (s session) power(t float64) float64 {
	switch {
	case t < 20, t > s.end:
		return 0
	case t < 50:
		return s.peak * (t - 20) / 30
	}
	p := s.peak * (1 + 0.04*math.Min(t, s.holdTo)/s.holdTo)
	if t > s.holdTo {
		p *= 1 - s.taper*(t-s.holdTo)/(s.end-s.holdTo)
	}
	for _, at := range s.steps {
		if t > at {
			p *= 11.0 / 12
		}
	}
	return p
}

// recorded samples what a function of time says, on a clock that is offset behind and fast by so
// many millionths: own = t (1 + ppm) - offset.
func recorded(
	r *rand.Rand,
	value func(t float64) float64,
	from, to, every, offset, ppm, noise float64,
) *trace.Recording {
	rec := &trace.Recording{Columns: map[trace.Channel][]float64{}}
	for t := from + r.Float64()*every; t < to; t += every {
		rec.T = append(rec.T, t*(1+ppm/1e6)-offset)
		rec.Columns[trace.Power] = append(rec.Columns[trace.Power], value(t)*(1+noise*r.NormFloat64()))
	}
	return rec
}

// soc is the state of charge against time, 10 % at plug-in, of a pack that has 65 % more at the end.
func (s session) soc() func(t float64) float64 {
	energy := make([]float64, int(s.end)+100)
	for i := 1; i < len(energy); i++ {
		energy[i] = energy[i-1] + s.power(float64(i)-0.5)
	}
	return func(t float64) float64 {
		t = math.Max(0, math.Min(t, float64(len(energy)-2)))
		k := int(t)
		e := energy[k] + (t-float64(k))*(energy[k+1]-energy[k])
		return 10 + 65*e/energy[len(energy)-1]
	}
}

// withSoC adds what a display of a resolution shows.
func withSoC(rec *trace.Recording, soc func(t float64) float64, offset, ppm, resolution float64) {
	for _, own := range rec.T {
		v := soc((own + offset) / (1 + ppm/1e6))
		rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], math.Floor(v/resolution)*resolution)
	}
}

// pair is one session on two clocks: the car's, which is the run's, and the stall's.
type pair struct {
	session
	car, stall  *trace.Recording
	offset, ppm float64
}

// newPair records a session twice, by what a test wants of it.
func newPair(r *rand.Rand, s session, offset, ppm, everyCar, everyStall, lateS float64) pair {
	loss := 0.01 + 0.07*r.Float64()
	p := pair{session: s, offset: offset, ppm: ppm}
	p.car = recorded(r, s.power, -30, s.end+40, everyCar, 0, 0, 0.02)
	p.stall = recorded(r, func(t float64) float64 {
		kw := s.power(t)
		return kw * (1 + loss*kw/s.peak)
	}, -5+lateS, s.end+20, everyStall, offset, ppm, 0.02)
	return p
}

// tally counts how fits came out.
type tally struct{ errors, drifts, halves []float64 }

func (y *tally) take(t *testing.T, p pair, c lineup.Clock) (covered bool) {
	t.Helper()
	require.Equal(t, lineup.ByShape, c.By, c.Reason)
	y.errors = append(y.errors, math.Abs(c.OffsetS-p.offset))
	y.drifts = append(y.drifts, math.Abs(c.DriftPPM-p.ppm))
	y.halves = append(y.halves, (*c.HighS-*c.LowS)/2)
	return *c.LowS <= p.offset && p.offset <= *c.HighS
}

// quantile gives the value that a share of some lie under.
func quantile(v []float64, share float64) float64 {
	sort.Float64s(v)
	return v[min(len(v)-1, int(share*float64(len(v))))]
}

// A reading a second on both sides with 2 % noise, losses of 1 to 8 %, offsets of up to 400 s
// with none, one or two whole hours, drifts of up to 200 millionths: the offset comes out within
// a second every time, and its interval covers it in 95 of 100.
//
// How well a drift can be known is a matter of the shape: two edges 2,000 s apart, each known
// within half a second, give no more than a hundred millionths or two, and it is not pretended
// that they do.
func TestFindsOffset(t *testing.T) {
	for _, tt := range []struct {
		name                 string
		everyCar, everyStall float64
		late                 float64
		most, half           float64
	}{
		{"every second", 1, 1, 0, 1, 0.8},
		{"unequal rates", 0.5, 2.5, 0, 1.5, 1.2},
		{"the stall's log begins late", 1, 1, 300, 3, 3},
		{"a reading of the stall every 10 s", 1, 10, 0, 3, 2},
	} {
		t.Run(tt.name, func(t *testing.T) {
			const tries = 60
			var y tally
			covered := 0
			for i := range tries {
				r := rand.New(rand.NewPCG(7, uint64(i)))
				offset := (2*r.Float64()-1)*400 + 3600*float64(r.IntN(3))
				p := newPair(r, newSession(r), offset, (2*r.Float64()-1)*200, tt.everyCar, tt.everyStall, tt.late)
				if y.take(t, p, lineup.Fit(p.car, p.stall, 0)) {
					covered++
				}
			}
			t.Logf("offset: median %.2f, 95 %% %.2f, most %.2f s; half interval %.2f s; drift: median %.0f; covered %d of %d",
				quantile(y.errors, 0.5), quantile(y.errors, 0.95), quantile(y.errors, 1), quantile(y.halves, 0.5),
				quantile(y.drifts, 0.5), covered, tries)
			assert.Less(t, quantile(y.errors, 1), tt.most)
			assert.Less(t, quantile(y.halves, 0.5), tt.half)
			assert.GreaterOrEqual(t, covered, tries*95/100)
		})
	}
}

// A log whose times count from midnight is lined up as one from 0 s is: within a second, though its zero lies fourteen
// hours away.
func TestTimesOfAnySize(t *testing.T) {
	for i := range 12 {
		r := rand.New(rand.NewPCG(11, uint64(i)))
		p := newPair(r, newSession(r), 40, (2*r.Float64()-1)*100, 1, 10, 0)
		want := lineup.Fit(p.car, p.stall, 0)
		const midnight = 51731
		for k := range p.car.T {
			p.car.T[k] += midnight
		}
		got := lineup.Fit(p.car, p.stall, 0)
		require.Equal(t, want.By, got.By)
		assert.InDelta(t, want.OffsetS+midnight, got.OffsetS, 1, "car")
		for k := range p.car.T {
			p.car.T[k] -= midnight
		}
		for k := range p.stall.T {
			p.stall.T[k] += midnight
		}
		got = lineup.Fit(p.car, p.stall, 0)
		assert.InDelta(t, want.OffsetS-midnight, got.OffsetS, 1, "stall")
		assert.LessOrEqual(t, *got.LowS, p.offset-midnight)
		assert.GreaterOrEqual(t, *got.HighS, p.offset-midnight)
	}
}

// Where both show the car's state of charge to the hundredth, each reading says how the clocks
// stand: where that tells a drift from none, it comes out within 30 millionths.
func TestFindsDrift(t *testing.T) {
	const tries = 60
	var y tally
	within := 0
	var stated []float64
	for i := range tries {
		r := rand.New(rand.NewPCG(8, uint64(i)))
		s := newSession(r)
		s.end = 3600
		p := newPair(r, s, (2*r.Float64()-1)*400, (2*r.Float64()-1)*200, 1, 1, 0)
		soc := s.soc()
		withSoC(p.car, soc, 0, 0, 0.01)
		withSoC(p.stall, soc, p.offset, p.ppm, 0.01)
		c := lineup.Fit(p.car, p.stall, 0)
		y.take(t, p, c)
		if c.DriftPPM != 0 {
			stated = append(stated, math.Abs(c.DriftPPM-p.ppm))
		}
		// One that is stated is right; one that is not stated is small.
		if c.DriftPPM != 0 && math.Abs(c.DriftPPM-p.ppm) < 4**c.DriftSD ||
			c.DriftPPM == 0 && math.Abs(p.ppm) < 10**c.DriftSD {
			within++
		}
	}
	assert.GreaterOrEqual(t, within, tries*95/100)
	t.Logf("%d stated: median %.1f, 90 %% %.1f, most %.1f", len(stated), quantile(stated, 0.5), quantile(stated, 0.9),
		quantile(stated, 1))
	assert.Less(t, quantile(stated, 0.9), 30.0)
	assert.GreaterOrEqual(t, len(stated), 5)
}

// What cannot be lined up is left as it was noted, and says why.
func TestHopelessPairsAreSaidToBe(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 1))
	flat := func(float64) float64 { return 50 }
	for name, tt := range map[string]struct{ a, b *trace.Recording }{
		"two sessions": {recorded(r, newSession(r).power, -30, 1500, 1, 0, 0, 0.02),
			recorded(r, newSession(r).power, -5, 1500, 1, 250, 0, 0.02)},
		"nothing but a level": {recorded(r, flat, 0, 900, 1, 0, 0, 0.002), recorded(r, flat, 0, 900, 1, 120, 0, 0.002)},
		"noise":               {recorded(r, flat, 0, 900, 1, 0, 0, 0.3), recorded(r, flat, 0, 900, 1, 120, 0, 0.3)},
		"three readings":      {recorded(r, flat, 0, 900, 1, 0, 0, 0), recorded(r, flat, 0, 900, 400, 0, 0, 0)},
		"nothing":             {recorded(r, flat, 0, 900, 1, 0, 0, 0), &trace.Recording{}},
	} {
		c := lineup.Fit(tt.a, tt.b, 17)
		assert.Equal(t, lineup.ByNote, c.By, name)
		assert.Equal(t, 17.0, c.OffsetS, name)
		assert.Nil(t, c.LowS, name)
		assert.NotEmpty(t, c.Reason, name)
	}
}

// Power that goes on and off every five minutes fits as well one period on: both are given.
func TestTwoThatFitAsWellAreBothGiven(t *testing.T) {
	r := rand.New(rand.NewPCG(10, 1))
	onOff := func(t float64) float64 {
		if math.Mod(t+3000, 300) < 200 {
			return 100
		}
		return 40
	}
	a, b := recorded(r, onOff, 0, 2400, 1, 0, 0, 0.02), recorded(r, onOff, 310, 2110, 1, 0, 0, 0.02)
	c := lineup.Fit(a, b, 0)
	require.Equal(t, lineup.ByShape, c.By, c.Reason)
	assert.InDelta(t, 0, c.OffsetS, 2)
	require.NotNil(t, c.RivalS)
	assert.InDelta(t, 300, math.Abs(*c.RivalS), 2)
}

// A pair that is on one clock already is left there, though noise would move it a little.
func TestWhatIsLinedUpStays(t *testing.T) {
	for i := range 20 {
		r := rand.New(rand.NewPCG(11, uint64(i)))
		p := newPair(r, newSession(r), 0, 0, 1, 1, 0)
		c := lineup.Fit(p.car, p.stall, 3.5)
		assert.InDelta(t, 3.5, c.OffsetS, 1, "%d", i)
		if c.OffsetS == 3.5 {
			assert.True(t, *c.LowS <= 3.5 && 3.5 <= *c.HighS)
		}
	}
}

// Moved by any time, and with the roles of the two changed, a pair gives the same answer.
func TestMovingAPairMovesItsOffset(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 5))
	p := newPair(r, newSession(r), -133.4, 0, 1, 1, 0)
	here := lineup.Fit(p.car, p.stall, 0)
	for _, by := range []float64{-4000, 0.37, 86400} {
		moved := *p.stall
		moved.T = make([]float64, len(p.stall.T))
		for i, t := range p.stall.T {
			moved.T[i] = t + by
		}
		c := lineup.Fit(p.car, &moved, 0)
		assert.InDelta(t, here.OffsetS-by, c.OffsetS, 0.15, "by %g", by)
	}
	back := lineup.Fit(p.stall, p.car, 0)
	assert.InDelta(t, -here.OffsetS, back.OffsetS, 0.25)
}

func TestWholeHours(t *testing.T) {
	for _, tt := range []struct {
		offset float64
		hours  int
		rest   float64
	}{{0, 0, 0}, {37, 0, 37}, {3637, 1, 37}, {-7180, -2, 20}, {1800, 0, 1800}, {20 * 3600, 0, 20 * 3600}} {
		h, rest := lineup.WholeHours(tt.offset)
		assert.Equal(t, tt.hours, h, "%g", tt.offset)
		assert.InDelta(t, tt.rest, rest, 1e-9)
	}
}

// One reading that leaps to thousands of kW, in either recording, moves nothing.
func TestASpikeMovesNoClock(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 5))
	p := newPair(r, newSession(r), 77, 0, 1, 1, 0)
	want := lineup.Fit(p.car, p.stall, 0)
	for _, rec := range []*trace.Recording{p.car, p.stall} {
		kept := rec.Columns[trace.Power][400]
		rec.Columns[trace.Power][400] = 4000
		got := lineup.Fit(p.car, p.stall, 0)
		rec.Columns[trace.Power][400] = kept
		assert.Equal(t, lineup.ByShape, got.By, got.Reason)
		assert.InDelta(t, want.OffsetS, got.OffsetS, 0.1)
	}
}

// What speaks for which offset: the shape's first, and what is noted last; whole hours only where the
// offset that is read has some.
func TestChoices(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 5))
	p := newPair(r, newSession(r), 3637, 0, 1, 1, 0)
	list, fit := lineup.Choices(p.car, p.stall, 3637)
	require.Equal(t, lineup.ByShape, fit.By, fit.Reason)
	require.Len(t, list, 3)
	assert.Equal(t, lineup.WhyShape, list[0].Why)
	assert.InDelta(t, 3637, list[0].OffsetS, 1)
	assert.NotNil(t, list[0].LowS)
	assert.Equal(t, lineup.Choice{Why: lineup.WhyHours, OffsetS: 37}, list[1])
	assert.Equal(t, lineup.Choice{Why: lineup.WhyNoted}, list[2])

	list, fit = lineup.Choices(p.car, &trace.Recording{T: []float64{0, 1}}, 0)
	assert.Equal(t, lineup.ByNote, fit.By)
	assert.Equal(t, []lineup.Choice{{Why: lineup.WhyNoted}}, list)
}

// Two sides of one session are known to be, wherever their clocks stand; two sessions are not.
func TestOneSession(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 5))
	a := newPair(r, newSession(r), 7500, 50, 1, 2, 0)
	b := newPair(r, newSession(r), 7500, 50, 1, 2, 0)
	assert.True(t, lineup.OneSession(a.car, a.stall))
	assert.False(t, lineup.OneSession(a.car, b.stall))
	assert.False(t, lineup.OneSession(a.car, &trace.Recording{}))
}

// How well two lie on each other: best where they belong, and the same shape at another scale lies as
// well. Likeness has its top there.
func TestAgreementAndLikeness(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 5))
	p := newPair(r, newSession(r), 200, 0, 1, 1, 0)
	at := func(offset float64) lineup.Agreement {
		return lineup.Agree(p.car, lineup.Clock{OffsetS: offset}.Apply(p.stall))
	}
	assert.Greater(t, at(200).Alike, 0.98)
	assert.Equal(t, trace.Power, at(200).Channel)
	for _, off := range []float64{-60, -20, 20, 60} {
		assert.Less(t, at(200+off).Alike, at(200).Alike, "%g s off", off)
		assert.Greater(t, at(200+off).Apart, at(200).Apart, "%g s off", off)
	}
	assert.Empty(t, at(1e6).Channel, "they do not overlap there")
	like := lineup.Likeness(p.car, p.stall, 2000)
	require.NotZero(t, like.Len())
	assert.InDelta(t, 200, like.T[like.Max()], 3)
	assert.LessOrEqual(t, like.Len(), 4000)
	assert.Zero(t, lineup.Likeness(p.car, &trace.Recording{}, 100).Len())
}
