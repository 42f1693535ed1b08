package trace

import (
	"math"
	"sort"
)

// Recording is one source's readings in one run, column by column, in the order
// in which they were recorded. NaN stands for "no value".
type Recording struct {
	Name string // file name, or what the tester called it
	Side Side

	// T is the recording's own clock in seconds. A time t of it lies at
	// (t + ClockOffsetS) / (1 + ClockDriftPPM / 1e6) on the run's.
	T             []float64
	Columns       map[Channel][]float64 // each as long as T
	ClockOffsetS  float64
	ClockDriftPPM float64 // positive: it runs fast
	ClockSettled  bool    // by the tester's hand: nothing lines it up any more

	SoCResolutionPct  float64 // 0: worked out from the readings
	PowerTolerancePct float64 // 0: 2 % is taken
}

// Len is the number of readings.
func (r *Recording) Len() int { return len(r.T) }

// Has tells whether at least one reading of the channel was taken.
func (r *Recording) Has(c Channel) bool {
	for _, v := range r.Columns[c] {
		if !math.IsNaN(v) {
			return true
		}
	}
	return false
}

// OnRunClock gives the recording with its offset applied and its readings in
// order of time; readings of the same time keep their order. The columns are
// shared with r where nothing had to move.
func (r *Recording) OnRunClock() *Recording {
	out := *r
	out.ClockOffsetS, out.ClockDriftPPM = 0, 0
	sorted := InOrder(r.T)
	if sorted && r.ClockOffsetS == 0 && r.ClockDriftPPM == 0 {
		return &out
	}
	order := identity(len(r.T))
	if !sorted {
		sort.SliceStable(order, func(i, j int) bool { return r.T[order[i]] < r.T[order[j]] })
		out.Columns = make(map[Channel][]float64, len(r.Columns))
		for c, col := range r.Columns {
			out.Columns[c] = pick(col, order)
		}
	}
	out.T = pick(r.T, order)
	rate := 1 + r.ClockDriftPPM/1e6
	for i := range out.T {
		out.T[i] = (out.T[i] + r.ClockOffsetS) / rate
	}
	return &out
}

// InOrder tells whether times rise or stay; one that is no number stands below every other.
func InOrder(t []float64) bool {
	last := math.Inf(-1)
	for _, x := range t {
		if !(last <= x) {
			return sort.Float64sAreSorted(t)
		}
		last = x
	}
	return true
}

func identity(n int) []int {
	order := make([]int, n)
	for i := range order {
		order[i] = i
	}
	return order
}

func pick(col []float64, order []int) []float64 {
	out := make([]float64, len(order))
	for i, j := range order {
		out[i] = col[j]
	}
	return out
}

// Series gives the readings that have a value in the channel. r must be in
// order of time. Where every reading has one, the slices are r's own and must
// not be written to.
func (r *Recording) Series(c Channel) Series {
	return compact(r.T, r.Columns[c])
}

// compact leaves out the rows at which a column has no value.
func compact(t, v []float64) Series {
	if full(v) {
		return Series{T: t, V: v}
	}
	n := 0
	for _, x := range v {
		if !math.IsNaN(x) {
			n++
		}
	}
	if n == 0 {
		return Series{}
	}
	s := Series{T: make([]float64, 0, n), V: make([]float64, 0, n)}
	for i, x := range v {
		if !math.IsNaN(x) {
			s.T = append(s.T, t[i])
			s.V = append(s.V, x)
		}
	}
	return s
}

// What a recording's power is made of.
const (
	PowerRead    = "as recorded"
	PowerProduct = "volts × amps"
	PowerBoth    = "as recorded, else volts × amps"
)

// PowerFrom says what PowerSeries is made of; empty where there is no power.
func (r *Recording) PowerFrom() string {
	power, volts, amps := r.Columns[Power], r.Columns[Voltage], r.Columns[Current]
	product := volts != nil && amps != nil
	if full(power) {
		return PowerRead
	}
	switch all, read := r.PowerSeries().Len(), r.Series(Power).Len(); {
	case all == 0:
		return ""
	case !product || all == read:
		return PowerRead
	case read == 0:
		return PowerProduct
	}
	return PowerBoth
}

// PowerSeries gives the recording's power in kW: as recorded, and for readings
// without it volts times amperes / 1000. Where volts and amperes never share a
// reading, the voltage is joined linearly to the times of the amperes.
func (r *Recording) PowerSeries() Series {
	power, volts, amps := r.Columns[Power], r.Columns[Voltage], r.Columns[Current]
	if volts == nil || amps == nil {
		return r.Series(Power)
	}
	if full(power) {
		return Series{T: r.T, V: power}
	}
	col := make([]float64, len(r.T))
	found := false
	for i := range col {
		col[i] = math.NaN()
		if power != nil {
			col[i] = power[i]
		}
		if math.IsNaN(col[i]) {
			col[i] = volts[i] * amps[i] / 1000
		}
		found = found || !math.IsNaN(col[i])
	}
	if found {
		return compact(r.T, col)
	}
	v, a := r.Series(Voltage), r.Series(Current)
	var s Series
	for i, t := range a.T {
		if u, ok := v.At(t); ok {
			s.T = append(s.T, t)
			s.V = append(s.V, u*a.V[i]/1000)
		}
	}
	return s
}

// full tells whether every reading of a column has a value, and there are some.
func full(col []float64) bool {
	rest := col
	for ; len(rest) >= 8; rest = rest[8:] {
		a, b, c, d := rest[0]+rest[4], rest[1]+rest[5], rest[2]+rest[6], rest[3]+rest[7]
		if sum := (a + b) + (c + d); sum != sum { // one is no value, or two are infinite
			break
		}
	}
	for _, x := range rest {
		if x != x {
			return false
		}
	}
	return len(col) > 0
}

// Resolution gives the step of the state of charge in percent: as stated, or 1
// where every value is whole, else the smallest step between two readings.
// 0 where there are no two different values.
func (r *Recording) Resolution() float64 {
	if r.SoCResolutionPct > 0 {
		return r.SoCResolutionPct
	}
	whole, least, last := true, math.Inf(1), math.NaN()
	for _, v := range r.Columns[SoC] {
		if math.IsNaN(v) {
			continue
		}
		if whole {
			whole = v == math.Trunc(v)
		}
		if d := math.Abs(v - last); d > 1e-9 && d < least {
			least = d
		}
		last = v
	}
	switch {
	case math.IsInf(least, 1):
		return 0
	case whole:
		return 1
	}
	return math.Min(least, 1)
}
