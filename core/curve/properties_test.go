package curve

import (
	"math"
	"math/rand/v2"
	"testing"

	"pgregory.net/rapid"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// session draws a random car-side session: a handshake, a ramp, wandering power, SoC
// that never falls, uneven readings.
func session(t *rapid.T) *trace.Recording {
	r := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 11))
	rec := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	x, soc, kw := 0.0, 5+20*r.Float64(), 0.0
	handshake := 5 + 20*r.Float64()
	for soc < 60+39*r.Float64() && len(rec.T) < 900 {
		if x > handshake {
			kw = math.Max(2, math.Min(160, kw+20*(r.Float64()-0.4)))
			soc += kw / 3600 / 60 * 100 * 2
		}
		rec.T = append(rec.T, x)
		rec.Columns[trace.SoC] = append(rec.Columns[trace.SoC], math.Min(100, soc))
		rec.Columns[trace.Power] = append(rec.Columns[trace.Power], kw)
		x += 0.2 + 3.5*r.Float64()
	}
	return rec
}

func close(a, b float64) bool { return math.Abs(a-b) <= 1e-6*(1+math.Abs(a)+math.Abs(b)) }

func same(t *rapid.T, what string, a, b *float64) {
	if (a == nil) != (b == nil) || a != nil && !close(*a, *b) {
		t.Fatalf("%s: %v and %v", what, show(a), show(b))
	}
}

func show(v *float64) any {
	if v == nil {
		return nil
	}
	return *v
}

// sameFigures compares two readings figure by figure; kw scales power and energy.
func sameFigures(t *rapid.T, a, b *Reading, kw float64) {
	if len(a.Posts) != len(b.Posts) || len(a.Windows) != len(b.Windows) || len(a.Legs) != len(b.Legs) {
		t.Fatalf("%d, %d, %d posts, windows, legs; then %d, %d, %d", len(a.Posts), len(a.Windows), len(a.Legs),
			len(b.Posts), len(b.Windows), len(b.Legs))
	}
	scaled := func(v *float64) *float64 {
		if v == nil {
			return nil
		}
		return ptr(*v * kw)
	}
	for i := range a.Posts {
		same(t, "post", &a.Posts[i].TS, &b.Posts[i].TS)
	}
	for i := range a.Windows {
		same(t, "window", &a.Windows[i].TS, &b.Windows[i].TS)
		same(t, "window energy", scaled(a.Windows[i].EnergyKWh), b.Windows[i].EnergyKWh)
	}
	same(t, "car energy", scaled(a.Energy.CarKWh), b.Energy.CarKWh)
	same(t, "ramp", a.RampS, b.RampS)
	if (a.Peak == nil) != (b.Peak == nil) {
		t.Fatal("a peak came or went")
	}
	if a.Peak != nil {
		same(t, "peak", scaled(&a.Peak.KW), &b.Peak.KW)
		same(t, "sustained", scaled(a.Peak.SustainedKW), b.Peak.SustainedKW)
		same(t, "held", a.Peak.HeldS, b.Peak.HeldS)
	}
}

// A clock that is off by any amount, and an offset that puts it right, change nothing.
func TestClockOffsetUndoesAWrongClock(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rec := session(t)
		by := rapid.Float64Range(-7200, 7200).Draw(t, "by")
		wrong := *rec
		wrong.T = make([]float64, len(rec.T))
		for i, x := range rec.T {
			wrong.T[i] = x - by
		}
		wrong.ClockOffsetS = by
		marks := []run.Mark{{TS: 1, Kind: run.PlugIn}}
		sameFigures(t, Read(&run.Run{Recordings: []*trace.Recording{rec}, Marks: marks}, Options{}),
			Read(&run.Run{Recordings: []*trace.Recording{&wrong}, Marks: marks}, Options{}), 1)
	})
}

// The order in which rows were written does not matter.
func TestShuffledRowsGiveTheSameFigures(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rec := session(t)
		order := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "order"), 12)).Perm(len(rec.T))
		mixed := &trace.Recording{Name: rec.Name, Side: rec.Side, Columns: map[trace.Channel][]float64{}}
		for _, i := range order {
			mixed.T = append(mixed.T, rec.T[i])
			for c, col := range rec.Columns {
				mixed.Columns[c] = append(mixed.Columns[c], col[i])
			}
		}
		sameFigures(t, Read(of(rec), Options{}), Read(of(mixed), Options{}), 1)
	})
}

// Power a tenth higher in every reading: energies and powers a tenth higher, times as
// they were. (First power, 1 kW, lies between readings of 0 and of 2 kW or more.)
func TestScaledPowerScalesEnergies(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rec := session(t)
		more := *rec
		more.Columns = map[trace.Channel][]float64{trace.SoC: rec.Columns[trace.SoC]}
		for _, kw := range rec.Columns[trace.Power] {
			more.Columns[trace.Power] = append(more.Columns[trace.Power], kw*1.1)
		}
		a, b := Read(of(rec), Options{}), Read(of(&more), Options{})
		if n := len(trace.WithoutUpwardSpikes(trace.Series{T: rec.T, V: rec.Columns[trace.Power]}).T); n != len(
			trace.WithoutUpwardSpikes(trace.Series{T: more.T, V: more.Columns[trace.Power]}).T,
		) {
			return // a leap of about 10 kW became a spike
		}
		sameFigures(t, a, b, 1.1)
	})
}

// Windows add up, in time and in energy; averages lie between the lowest and the
// highest power; the sustained power is no higher than the highest reading.
func TestWindowsAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rec := session(t)
		x := Read(of(rec), Options{})
		power := trace.Series{T: rec.T, V: rec.Columns[trace.Power]}
		for _, w := range x.Windows {
			from, ok1 := x.Post(w.FromPct)
			to, ok2 := x.Post(w.ToPct)
			if ok1 && ok2 && !close(to-from, w.TS) {
				t.Fatalf("%g-%g: %g, posts say %g", w.FromPct, w.ToPct, w.TS, to-from)
			}
			if w.AverageKW != nil && (*w.AverageKW < 0 || *w.AverageKW > power.V[power.Max()]+1e-9) {
				t.Fatalf("average %g of at most %g", *w.AverageKW, power.V[power.Max()])
			}
		}
		whole, ok1 := x.Window(20, 80)
		last, ok2 := x.Window(30, 80)
		if ok1 && ok2 {
			p20, _ := x.Post(20)
			p30, _ := x.Post(30)
			first := power.Integral(p20+x.ZeroS, p30+x.ZeroS) / 3600
			if !close(*whole.EnergyKWh, *last.EnergyKWh+first) {
				t.Fatalf("%g is not %g + %g", *whole.EnergyKWh, *last.EnergyKWh, first)
			}
		}
		if p := x.Peak; p != nil && p.SustainedKW != nil {
			if *p.SustainedKW > p.KW+1e-9 || *p.HeldS > rec.T[len(rec.T)-1] {
				t.Fatalf("sustained %g over the peak %g, or held longer than the run", *p.SustainedKW, p.KW)
			}
		}
		for i := 1; i < len(x.Posts); i++ {
			if x.Posts[i].TS < x.Posts[i-1].TS {
				t.Fatal("posts out of order")
			}
		}
	})
}

// A log in two files, the second begun where the first broke off, says what the one
// file would have said but for the stretch between them.
func TestALogInTwoFiles(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rec := session(t)
		if len(rec.T) < 10 {
			return
		}
		cut := rapid.IntRange(2, len(rec.T)-3).Draw(t, "cut")
		part := func(name string, from, to int) *trace.Recording {
			out := &trace.Recording{
				Name:    name,
				Side:    rec.Side,
				T:       rec.T[from:to],
				Columns: map[trace.Channel][]float64{},
			}
			for c, col := range rec.Columns {
				out.Columns[c] = col[from:to]
			}
			return out
		}
		sameFigures(t, Read(of(rec), Options{}),
			Read(of(part("a.csv", 0, cut), part("b.csv", cut, len(rec.T))), Options{}), 1)
	})
}

// Reading a run changes nothing of it.
func TestReadLeavesItsInputAlone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rec := session(t)
		rec.ClockOffsetS = 3
		before := append([]float64(nil), rec.T...)
		power := append([]float64(nil), rec.Columns[trace.Power]...)
		r := &run.Run{
			Recordings: []*trace.Recording{rec},
			Marks:      []run.Mark{{TS: 9, Kind: run.Unplug}, {TS: 2, Kind: run.PlugIn}},
		}
		ReadAll(r)
		Reduce(r, 20)
		for i := range before {
			if rec.T[i] != before[i] || rec.Columns[trace.Power][i] != power[i] {
				t.Fatal("a reading was changed")
			}
		}
		if r.Marks[0].TS != 9 || rec.ClockOffsetS != 3 {
			t.Fatal("marks were put in order in place, or the offset was spent")
		}
	})
}
