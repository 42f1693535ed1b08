package film

import (
	"math"

	"zincroad/core/trace"
)

// course is how likely a figure goes from one value to another in so many seconds, as a logarithm of a density over
// what the screen can show.
type course func(from, to offer, dt float64) float64

const (
	// mostC is the fastest that a charge rises, in parts of the battery an hour: more than the six or so of the
	// fastest packs (common practice, no source).
	mostC = 8
	// mostKW is the most that an energy register counts by, where no power was read: the megawatt of lorries.
	mostKW = 1000
	// mostKelvin is the fastest that a battery warms or cools on a screen, kelvins a minute: 3 C through a tenth of
	// an ohm would be less (reckoned).
	mostKelvin = 6
	// mostHaste is how many times faster than the run its clip goes, where nothing was said of that yet.
	mostHaste = 60
	// above is by how much a register may count faster than the power beside it says: what two meters differ by.
	above = 1.1
	// shown are seconds by which a figure is shown later than another.
	shown = 3
	// leaps is how often power, amps or volts leap, a second: five times in half an hour, for a start, a stop, a limit
	// that begins or ends (common practice, no source).
	leaps = 0.003
	// drifts is by how much they move otherwise in a second, as a share of themselves.
	drifts = 0.01
)

// courseOf is how a figure moves, with what was read of the others by then.
func courseOf(figures []Figure, k int, read [][]Reading) course {
	switch c := figures[k].Channel; c {
	case trace.SoC:
		return rises(mostC * 100 / 3600.0)
	case trace.Energy:
		kw := float64(mostKW)
		if p := peak(figures, read); p > 0 {
			kw = p
		}
		return rises(above * kw / 3600)
	case Minutes:
		return rises(mostHaste / 60.0)
	case trace.BatteryTemp:
		return moves(mostKelvin / 60.0)
	default:
		return leapsOrDrifts(span(c))
	}
}

// span is over what a figure can lie on the screens of today, in its unit.
func span(c trace.Channel) float64 {
	switch c {
	case trace.Power:
		return 500
	case trace.Current:
		return 800
	case trace.Voltage:
		return 1000
	case trace.Energy, Minutes:
		return 150
	}
	return 100 // charge, temperature
}

// peak is the most power that was read; 0: none was.
func peak(figures []Figure, read [][]Reading) (kw float64) {
	for k, f := range figures {
		if f.Channel != trace.Power {
			continue
		}
		for i := range read {
			if r := read[i][k]; r.Counts() {
				kw = math.Max(kw, r.Value)
			}
		}
	}
	return kw
}

// rises is the course of what only rises, by so much a second at most, and by any of that alike.
func rises(most float64) course {
	return func(from, to offer, dt float64) float64 {
		step := math.Max(from.step, to.step)
		room := step + most*(dt+shown)
		if d := to.value - from.value; d < -1e-9 || d > room+1e-9 {
			return math.Inf(-1)
		}
		return -math.Log1p(room / step)
	}
}

// moves is the course of what goes up and down, by so much a second at most.
func moves(most float64) course {
	return func(from, to offer, dt float64) float64 {
		step := math.Max(from.step, to.step)
		room := step + most*(dt+shown)
		if math.Abs(to.value-from.value) > room+1e-9 {
			return math.Inf(-1)
		}
		return -math.Log1p(2 * room / step)
	}
}

// leapsOrDrifts is the course of power and what it is made of: mostly little by little, now and then to anywhere.
func leapsOrDrifts(over float64) course {
	return func(from, to offer, dt float64) float64 {
		step := math.Max(from.step, to.step)
		wide := step + drifts*math.Abs(from.value)*math.Sqrt(math.Max(1, dt))
		leap := -math.Expm1(-leaps * dt)
		drift := step / (2 * wide) * math.Exp(-math.Abs(to.value-from.value)/wide)
		return math.Log((1-leap)*drift + leap*step/over)
	}
}

// join weighs what was offered for power, amps and volts by each other, where two of the three are known: power is
// amps by volts, but for what the screen rounds and for what the figures are shown apart. It tells whose offers it
// weighed.
func join(figures []Figure, said [][]heard, read [][]Reading) []bool {
	weighed := make([]bool, len(figures))
	at := map[trace.Channel]int{}
	for k, f := range figures {
		at[f.Channel] = k
	}
	kw, hasKW := at[trace.Power]
	a, hasA := at[trace.Current]
	v, hasV := at[trace.Voltage]
	if !hasKW || !hasA || !hasV {
		return weighed
	}
	for i := range read {
		for _, k := range []int{kw, a, v} {
			known := true
			for _, other := range []int{kw, a, v} {
				known = known && (other == k || read[i][other].Counts())
			}
			h := &said[k][i]
			if !known || h.how == Settled {
				continue
			}
			for n, o := range h.offers {
				p := map[int]float64{kw: read[i][kw].Value, a: read[i][a].Value, v: read[i][v].Value}
				p[k] = o.value
				h.offers[n].log += math.Log(fits(p[kw], p[a], p[v]))
				weighed[k] = true
			}
		}
	}
	return weighed
}

const (
	// apart is by how much power differs from amps by volts: rounding, meters, the moment between two updates.
	apart = 0.02
	// strange is how often they have nothing to do with each other: one was renewed, and another is stuck.
	strange = 0.02
)

// fits is how well a power fits amps by volts, against fitting it not at all.
func fits(kw, a, v float64) float64 {
	of := a * v / 1000
	sd := 1 + apart*math.Max(of, kw)
	z := (kw - of) / sd
	return strange + (1-strange)*math.Exp(-z*z/2)
}
