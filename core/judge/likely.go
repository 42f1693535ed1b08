package judge

import (
	"math"

	"zincroad/core/gauss"
	"zincroad/core/limit"
)

// weighed is how likely a view's readings are under each cause: of those that have to do with the pack's own course for
// each of its parts, and for each way in which cold and heat may bind.
type weighed struct {
	fixed []float64 // by cause, without the pack's own
	parts []weighedPart
}

type weighedPart struct {
	taper, dropped, step float64
	car                  [2]float64 // what is added for a limit of the car's that nobody noted: of kW, of amps
	hot                  float64
	cold, allowed        []float64
}

// likely is how dense the readings lie under a cause, by a guess, as a logarithm.
func (x *weighed) likely(h *guess, c int) float64 {
	p := &x.parts[h.part]
	switch causes[c] {
	case limit.PackTaper:
		return p.taper
	case limit.Cold:
		return p.cold[h.w]
	case limit.Hot:
		return p.hot
	case limit.TimerStep:
		return p.dropped
	case limit.SoCStep:
		return p.step
	}
	return x.fixed[c]
}

// How likely cold and heat bind at least and at most, whatever the cells say: a noted temperature may be wrong.
const (
	bindsAtLeast = 0.0005
	coldAtMost   = 0.995
	hotAtMost    = 0.98
)

// binds is how likely cold and heat bind in a view, as logarithms to add to each cause.
func (h *guess) binds(v *view, add func(limit.Cause, float64)) {
	mid := &v.blocks[len(v.blocks)/2]
	cold := min(coldAtMost, max(bindsAtLeast, logistic((h.warm.centreC-h.warm.cell(v, mid))/coldScaleK)))
	hot := hotUnread
	if t := heatOf(mid); !math.IsNaN(t) {
		hot = min(hotAtMost, max(bindsAtLeast, logistic((t-h.hotC)/hotScaleK)))
	}
	add(limit.Cold, math.Log(cold))
	add(limit.Hot, math.Log(hot))
	add(limit.PackTaper, math.Log(1-cold)+math.Log(1-hot))
	for _, c := range []limit.Cause{limit.TimerStep, limit.SoCStep} { // temperature explains first
		add(c, math.Log(1-explainsFirst*cold)+math.Log(1-explainsFirst*hot))
	}
}

// weighView weighs a view.
func (l *Log) weighView(v *view, k *known, course []coursePart, warms []warmth) *weighed {
	out := &weighed{fixed: make([]float64, len(causes)), parts: make([]weighedPart, len(course))}
	heats := k.heats()
	hotC := heats[len(heats)/2].mean
	for i := range out.fixed {
		out.fixed[i] = math.Inf(-1)
	}
	v.weighLevels(l, k, out)
	v.weighOthers(k, out)
	for i := range course {
		p := v.along(&course[i])
		own := &out.parts[i]
		own.taper = p.taper()
		for _, w := range warms {
			own.cold = append(own.cold, p.cold(w))
			own.allowed = append(own.allowed, p.allowed(w))
		}
		own.hot = p.hot(hotC)
		own.dropped = p.dropped()
		own.step = logAdd(own.dropped, own.taper) - math.Ln2
		own.car = p.unnoted(k)
	}
	return out
}

// add adds a way in which a cause may hold, as a logarithm of its density.
func (x *weighed) add(c limit.Cause, p float64) { x.fixed[indexOf[c]] = logAdd(x.fixed[indexOf[c]], p) }

// weighLevels weighs the limits that hold one quantity level.
func (v *view) weighLevels(l *Log, k *known, out *weighed) {
	anyKW, anyA := part{1, math.Log(broadKW), broadKWSD}, part{1, math.Log(broadA), broadASD}
	level := func(c limit.Cause, side int, amps bool, level []part) {
		out.add(c, v.likely(model{side: side, amps: amps, level: level}))
	}
	level(limit.StallPower, atPlug, false, label(min(k.stallKW, v.offered), anyKW))
	level(limit.StallCurrent, atPlug, true, label(k.stallA, anyA))
	if l.Adapter != nil {
		level(limit.AdapterCurrent, atPlug, true, label(k.adapterA, anyA))
	}
	level(limit.CarPower, atPack, false, ownLimit(k.carKW, anyKW))
	level(limit.CarCurrent, atPack, true, ownLimit(k.carA, anyA))
	if k.converter {
		level(limit.CarConverter, atPlug, false, ownLimit(k.converterKW, part{1, math.Log(converterKW), converterSD}))
	}
	level(limit.SharedCabinet, atPlug, false, cabinet(k, anyKW))
	level(limit.CableHot, atPlug, true, []part{anyA})
}

// The ways in which a failing stall fails, by how often: a level of kW, a level of amps, or power that wanders. The
// slopes that a ramp may have, a minute as a logarithm.
const failsLevel, failsWandering = 0.4, 0.2

var rampSlopes = []float64{0.4, 1, 2.5}

// rampRoughMin is over how many minutes a ramp's roughness goes together.
const rampRoughMin = 0.2

// weighOthers weighs what holds no quantity level: failing stalls, ramps, the tops of the volts, and nothing known.
func (v *view) weighOthers(k *known, out *weighed) {
	anyKW := []part{{1, math.Log(broadKW), broadKWSD}}
	walk := func(sd, leans float64) func(a, b *block) float64 {
		return func(a, b *block) float64 { return sd*sd*min(a.minutes, b.minutes) + leans*leans*a.minutes*b.minutes }
	}
	failing := failed(k.stallKW, anyKW[0])
	amps := failed(k.stallA, part{1, math.Log(broadA), broadASD})
	out.add(limit.StallFault, math.Log(failsLevel)+v.likely(model{side: atPlug, level: failing}))
	out.add(limit.StallFault, math.Log(failsLevel)+v.likely(model{side: atPlug, amps: true, level: amps}))
	out.add(limit.StallFault, math.Log(failsWandering)+
		v.likely(model{side: atPlug, cov: walk(faultWalk, 0), level: failing}))
	for _, of := range rampSlopes {
		out.add(limit.Ramp, v.likely(model{side: atPack, level: anyKW, mean: func(b *block) float64 { return of * b.minutes },
			cov: func(a, b *block) float64 {
				rough := rampRough * rampRough * math.Exp(-math.Abs(a.minutes-b.minutes)/rampRoughMin)
				return of*of/4*a.minutes*b.minutes + rough
			}})-math.Log(float64(len(rampSlopes))))
	}
	out.add(limit.Unknown, v.likely(model{side: atPlug, level: anyKW, cov: walk(roughWalk, 0)}))
	out.add(limit.Finish, v.likely(model{side: atPack, level: anyKW, cov: walk(topWalk, topLeans)}))
	out.add(limit.StallVoltage, v.likely(model{side: atPlug, level: anyKW, cov: walk(topWalk, topLeans)}))
}

// along is a view beside one part of what is known of the pack's course.
type along struct {
	*view
	soc        []float64 // % in each block
	mean, cov  []float64 // of the course there, logarithm of kW
	mid, vary  float64   // its mean over the view, and that one's variance
	flow       float64   // what flowed into the pack, mean, logarithm of kW
	movedK     float64   // how far the coldest cell moved within a piece at most
	longestPct float64   // how much of charge a piece takes at most
}

// along lays a view beside a part of the pack's course.
func (v *view) along(c *coursePart) *along {
	n := len(v.blocks)
	p := &along{view: v, soc: make([]float64, n)}
	for i := range v.blocks {
		if p.soc[i] = v.blocks[i].soc; math.IsNaN(p.soc[i]) {
			p.soc[i] = unreadPct + pctAMinute*(v.since+v.blocks[i].minutes)
		}
		first := i
		for first > 0 && v.blocks[first-1].piece == v.blocks[i].piece {
			first--
		}
		p.movedK = max(p.movedK, math.Abs(v.blocks[i].coldest-v.blocks[first].coldest))
		p.longestPct = max(p.longestPct, p.soc[i]-p.soc[first])
	}
	for _, r := range v.rows {
		b := &v.blocks[r.block]
		x := b.kw[r.side]
		if r.side == atPlug {
			x -= usualAuxKW / b.power
		}
		p.flow += x / float64(len(v.rows))
	}
	p.mean, p.cov = c.over(p.soc)
	for i := range n {
		p.mid += p.mean[i] / float64(n)
		for j := range n {
			p.vary += p.cov[i*n+j] / float64(n*n)
		}
	}
	return p
}

// unreadPct is the charge at plug-in where none was read.
const unreadPct = 30

// shifted is how dense the readings lie under the course, shifted by so much in each block, with more doubt.
func (p *along) shifted(by func(i int) float64, more func(a, b *block) float64) float64 {
	n := len(p.blocks)
	return p.likely(model{side: atPack, mean: func(b *block) float64 { return p.mean[b.index] + by(b.index) },
		cov: func(a, b *block) float64 { return p.cov[a.index*n+b.index] + more(a, b) }})
}

// stands is how dense they lie under amps that stand still in each piece, about the course shifted by so much, with
// more doubt: as a computer holds them that goes by stairs. The pieces' stairs go along one course.
func (p *along) stands(by func(i int) float64, more func(a, b *block) float64) float64 {
	n, pieces := len(p.blocks), p.blocks[len(p.blocks)-1].piece+1
	mean, size, cov := make([]float64, pieces), make([]float64, pieces), make([]float64, pieces*pieces)
	for i := range p.blocks {
		b := &p.blocks[i]
		mean[b.piece] += p.mean[i] + by(i) - b.volts[atPack] + math.Log(1000)
		size[b.piece]++
		for j := range p.blocks {
			cov[b.piece*pieces+p.blocks[j].piece] += p.cov[i*n+j] + more(b, &p.blocks[j])
		}
	}
	return p.likely(model{side: atPack, amps: true, mean: func(b *block) float64 { return mean[b.piece] / size[b.piece] },
		cov: func(a, b *block) float64 {
			c := cov[a.piece*pieces+b.piece] / size[a.piece] / size[b.piece]
			if a.piece == b.piece {
				c += stairSD * stairSD
			}
			return c
		}})
}

// stairSD is how far a stair of amps is from the course that it stands for, as a share.
const stairSD = 0.04

// orStands is what is smooth, or stands.
func (p *along) orStands(smooth float64, by func(i int) float64, more func(a, b *block) float64) float64 {
	return logAdd(math.Log(1-stairs)+smooth, math.Log(stairs)+p.stands(by, more))
}

// taper is how dense the readings lie on the pack's own course.
func (p *along) taper() float64 {
	by, more := func(int) float64 { return 0 }, func(*block, *block) float64 { return 0 }
	out := p.shifted(by, more)
	if p.longestPct < stairPct {
		return p.orStands(out, by, more)
	}
	return out
}

// led is what cold takes of the course in a block, as a logarithm.
func (p *along) led(w warmth, i int) float64 {
	return -coldShare * softly(w.centreC-w.cell(p.view, &p.blocks[i]), coldScaleK)
}

// cold is how dense the readings lie on the course of a cold pack; -Inf where it is warm.
func (p *along) cold(w warmth) float64 {
	low := p.led(w, len(p.blocks)/2)
	if low > -leastBinding {
		return math.Inf(-1)
	}
	out := math.Inf(-1)
	for _, way := range ways {
		out = logAdd(out, math.Log(way.weight)+p.shifted(func(i int) float64 { return p.led(w, i) },
			func(a, b *block) float64 {
				return coldSlope*coldSlope*p.led(w, a.index)*p.led(w, b.index) + way.cov(a, b)
			}))
	}
	if p.movedK < stairK {
		return p.orStands(out, func(i int) float64 { return p.led(w, i) }, func(a, b *block) float64 {
			return coldSlope * coldSlope * p.led(w, a.index) * p.led(w, b.index)
		})
	}
	return out
}

// allowed is the logarithm of how likely the pack would have taken what flowed, and the little more that tells.
func (p *along) allowed(w warmth) float64 {
	low := p.led(w, len(p.blocks)/2)
	spread := math.Sqrt(p.vary + coldSlope*coldSlope*low*low + coldRough*coldRough)
	return gauss.LogPhi((p.mid + low - p.flow + tellsShare) / spread)
}

// tellsShare is by how much more a pack must have been led back to be told to hold.
const tellsShare = 0.02

// hot is how dense the readings lie on the course of a pack that is led back from a temperature on, in ways of its own;
// -Inf where it is cool.
func (p *along) hot(atC float64) float64 {
	by := -hotBy
	switch over := heatOf(&p.blocks[len(p.blocks)/2]) - atC; {
	case over < -mostUnderHotK:
		return math.Inf(-1)
	case !math.IsNaN(over):
		by -= hotShare * softly(over, hotScaleK)
	}
	out := math.Inf(-1)
	for _, way := range ways {
		out = logAdd(out, math.Log(way.weight)+p.shifted(func(int) float64 { return by },
			func(a, b *block) float64 { return hotSD*hotSD + way.cov(a, b) }))
	}
	return p.orStands(out, func(int) float64 { return by }, func(*block, *block) float64 { return hotSD * hotSD })
}

// dropped is how dense the readings lie on what a fall has left: a share of the course, a level of kW, or of amps.
func (p *along) dropped() float64 {
	by, more := func(int) float64 { return -leftBy }, func(*block, *block) float64 { return leftSD * leftSD }
	at, sd := p.mid-leftBy, math.Sqrt(p.vary+leftSD*leftSD)
	kw := p.likely(model{side: atPack, level: []part{{1, at, sd}}})
	amps := p.likely(model{side: atPack, amps: true, level: []part{{1, at - p.perVolt(atPack), sd}}})
	return logAdd(p.shifted(by, more), logAdd(kw, amps)) - math.Log(3)
}

// unnoted is what speaks against limits of the car's, of kW and of amps, that nobody noted: far under an envelope that
// it was seen to take they are none. At its noted limit, or near it, nothing does.
func (p *along) unnoted(k *known) (out [2]float64) {
	if !k.given {
		return out
	}
	under := gauss.LogPhi((p.flow - p.mid - math.Log(carUnder)) / math.Sqrt(p.vary+notedSD*notedSD))
	amps := math.Exp(p.flow - p.perVolt(atPack))
	for i, x := range [2][2]float64{{math.Exp(p.flow), k.carKW}, {amps, k.carA}} {
		if x[0] < nearOwn*x[1] {
			out[i] = under
		}
	}
	return out
}

// nearOwn is how near to its noted limit a car is at it, as a share.
const nearOwn = 0.9

// heatOf is the warmest cell of a block, °C, as far as it can be told; NaN.
func heatOf(b *block) float64 {
	if math.IsNaN(b.warmest) {
		return b.coldest + hotterK
	}
	return b.warmest
}
