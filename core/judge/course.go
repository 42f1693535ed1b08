package judge

import (
	"math"
)

// coursePart is one part of what is known of the power that the warm pack takes against charge: a Gaussian process
// over charge about a mean. Of a noted course there are two: that it was noted rightly, and that only its shape was.
type coursePart struct {
	between func(soc float64) float64 // how far it may lie off between two charges at which it was noted
	weight  float64
	mean    func(soc float64) float64 // logarithm of kW
	level   float64                   // how far the whole of it may lie off, as a logarithm
	local   float64                   // and each part of it, over about localPct of charge
	fine    float64                   // and over finePct

	learnt func(a, b float64) float64 // what is open of a learnt one between two charges; nil: it is none
}

func (c *coursePart) cov(a, b float64) float64 {
	d := a - b
	if c.learnt != nil {
		return c.learnt(a, b) + c.fine*c.fine*math.Exp(-d*d/(2*finePct*finePct)) +
			shownOffPct*shownOffPct*c.leans(a)*c.leans(b)
	}
	return c.level*c.level + c.local*c.local*math.Exp(-d*d/(2*localPct*localPct)) +
		c.fineAt(a)*c.fineAt(b)*math.Exp(-d*d/(2*finePct*finePct)) +
		shownOffPct*shownOffPct*c.leans(a)*c.leans(b)
}

// leans is the slope of the course, a per cent of charge.
func (c *coursePart) leans(soc float64) float64 { return (c.mean(soc+1) - c.mean(soc-1)) / 2 }

func (c *coursePart) fineAt(soc float64) float64 {
	if c.between == nil {
		return c.fine
	}
	return c.fine + c.between(soc)
}

// over gives mean and covariance of the course at some charges, row by row.
func (c *coursePart) over(soc []float64) (mean, cov []float64) {
	n := len(soc)
	mean, cov = make([]float64, n), make([]float64, n*n)
	for i := range n {
		mean[i] = c.mean(soc[i])
		for j := 0; j <= i; j++ {
			cov[i*n+j] = c.cov(soc[i], soc[j])
			cov[j*n+i] = cov[i*n+j]
		}
	}
	return mean, cov
}

// courseOf is what is known of the warm pack's power before the run is looked at.
func (k *known) courseOf(socRead bool) []coursePart {
	if k.taper == nil || !socRead {
		return []coursePart{{weight: 1, mean: func(soc float64) float64 {
			return math.Log(100) - unknownLean*(soc-50)
		}, level: unknownSD, local: kindLocal, fine: kindFine}}
	}
	mean := func(soc float64) float64 { return math.Log(max(1, k.taper.KW(soc))) }
	between := func(soc float64) float64 {
		return betweenNoted * math.Abs(mean(soc+notedEveryPct/2)-mean(soc-notedEveryPct/2))
	}
	if !k.given {
		return []coursePart{{weight: 1, mean: mean, level: kindSD, local: kindLocal, fine: kindFine}}
	}
	if m := k.learnt; m != nil {
		return []coursePart{{weight: notedRight, mean: mean, learnt: m.Cov, fine: notedFine},
			{weight: 1 - notedRight, mean: mean, level: kindSD, local: 2 * notedLocal, fine: notedFine}}
	}
	return []coursePart{
		{between: between, weight: notedRight, mean: mean, level: notedSD, local: notedLocal, fine: notedFine},
		{between: between, weight: 1 - notedRight, mean: mean, level: kindSD, local: 2 * notedLocal, fine: notedFine},
	}
}

// softly is x where it is large and positive, nought where it is large and negative, and rounds the corner over scale.
func softly(x, scale float64) float64 {
	if x > 20*scale {
		return x
	}
	return scale * math.Log1p(math.Exp(x/scale))
}

// logit is the logistic function.
func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }

// A guess is what may hold for a whole run though nobody noted it, and how likely it is: which part of what is known of
// its course, from which temperature the pack is warm (and how cold it was at plug-in, where nobody read it), and from
// which it is led back.
type guess struct {
	weight float64
	part   int
	warm   warmth
	hotC   float64
	w      int // which warmth
}

// warmth is from which temperature the pack is warm, °C, and how warm it was at plug-in where nobody read it (NaN:
// it was read), with its capacity in kWh.
type warmth struct{ weight, centreC, startC, kwh float64 }

// warmths lists what may hold of a run's cold.
func (l *Log) warmths(k *known) []warmth {
	centre, sd := unnotedCentreC, unnotedCentreSD
	if k.warmKnown {
		centre, sd = k.warmC-centreUnderC, notedCentreSD
	}
	kwh := unnotedKWh
	if k.pack != nil {
		kwh = k.pack.UsableKWh
	}
	var out []warmth
	if l.ColdestC.Len() > 0 {
		for _, z := range threePoints {
			out = append(out, warmth{z.weight, centre + z.at*sd, math.NaN(), kwh})
		}
		return out
	}
	start, spread := l.startC(k)
	for _, z := range threePoints {
		out = append(out, warmth{z.weight, centre, start + z.at*math.Hypot(spread, sd), kwh})
	}
	return out
}

// cell is the coldest cell's temperature in a block, °C, as it was read or as it may have been.
func (w warmth) cell(v *view, b *block) float64 {
	if math.IsNaN(w.startC) && !math.IsNaN(b.coldest) {
		return b.coldest
	}
	start := w.startC
	if math.IsNaN(start) {
		start = startUnknownC
	}
	perHour := b.power / w.kwh
	return start + heatingKPerMin*perHour*perHour*(v.since+b.minutes)
}

// heats lists from which temperatures of the warmest cell the pack may be led back, °C, and how likely each is.
func (k *known) heats() []part {
	at, sd := unnotedHotC, unnotedHotSD
	if !math.IsNaN(k.hotC) {
		at, sd = k.hotC, notedHotSD
	}
	var out []part
	for _, z := range threePoints {
		out = append(out, part{weight: z.weight, mean: at + z.at*sd})
	}
	return out
}

// guesses lists what may hold for a run.
func (l *Log) guesses(k *known, parts []coursePart) []guess {
	var out []guess
	for p := range parts {
		for w, warm := range l.warmths(k) {
			for _, hot := range k.heats() {
				out = append(out, guess{parts[p].weight * warm.weight * hot.weight, p, warm, hot.mean, w})
			}
		}
	}
	return out
}

// startC is how cold the pack may be at plug-in where nobody read it, and give or take how much.
func (l *Log) startC(k *known) (c, sd float64) {
	if x := l.Conditions; x != nil {
		if x.BatteryC != nil {
			return *x.BatteryC, startNotedSD
		}
		if x.AmbientC != nil {
			c = *x.AmbientC + startOverAirC
			if x.Preconditioned != "" && x.Preconditioned != "none" {
				c += preconditionedK
			}
			return c, startSD
		}
	}
	return startUnknownC, startUnknownSD
}

// threePoints are a normal distribution as three points (Gauss and Hermite).
var threePoints = []struct{ at, weight float64 }{{-1.732, 1. / 6}, {0, 2. / 3}, {1.732, 1. / 6}}

// ways are how closely a pack's power goes with its temperature: as closely as with its charge, roughly, or hardly.
var ways = []struct {
	weight float64
	cov    func(a, b *block) float64
}{
	{0.4, func(a, b *block) float64 { return bell(a.soc-b.soc, finePct) * notedFine * notedFine }},
	{0.35, func(a, b *block) float64 { return bell(a.soc-b.soc, coldPct) * coldRough * coldRough }},
	{0.25, func(a, b *block) float64 {
		return math.Exp(-math.Abs(a.minutes-b.minutes)/looseMin) * looseShare * looseShare
	}},
}

// bell falls from one as far as something lies apart, over about so much of it; one where it is not known.
func bell(apart, over float64) float64 {
	if math.IsNaN(apart) {
		return 1
	}
	return math.Exp(-apart * apart / (2 * over * over))
}
