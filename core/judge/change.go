package judge

import (
	"math"

	"zincroad/core/limit"
	"zincroad/core/run"
)

// fallen are the sudden falls of a run, by which timers and stairs are known.
type fallen struct {
	list []oneFall
}

// oneFall is a sudden fall: in which leg, when on the log's clock and after the leg's plug-in (s), at which charge
// (per cent, NaN: not read), and the logarithm of the power behind it over that before.
type oneFall struct {
	leg            int
	atS, afterPlug float64
	soc            float64
	share          float64
}

// of adds the falls of a stretch of power; those of typed runs, of which nobody read how sudden they were, count too.
func (x *fallen) of(s *span) {
	for _, f := range s.pieces {
		if f.fall <= -suddenShare || f.moved <= -suddenShare {
			x.list = append(x.list, oneFall{s.grid.leg, f.fellS, f.fellS - s.grid.plugInS, f.fellPct, f.fall})
		}
	}
}

// What two falls may differ by to be the same one, and what counts as round: timers run for whole multiples of 20 s,
// steps of charge lie at whole multiples of 5 % (common practice, no source). Two falls by chance lie within 4 s of
// each other after their plug-ins in one of a hundred runs or so.
const (
	sameTimerS   = 4.0
	sameStepPct  = 0.8
	roundTimerS  = 20.0
	roundStepPct = 5.0

	anyTimeS = 1500.0 // over which a fall by chance may lie anywhere, s
	anyPct   = 70.0   // and % of charge
)

// timerSign is what speaks for a timer at a fall, in nats, and whether it is more than a round time: another leg fell
// as long after its plug-in, or the car's timer is noted. A round time alone is worth 0.7, for a third of all times
// lie within 3 s of one; none at all speaks against it.
func (x *fallen) timerSign(leg int, after, soc float64, l *Log) (odds float64, proof bool) {
	for _, o := range x.list {
		if o.leg != leg && math.Abs(o.afterPlug-after) <= sameTimerS {
			return 7, true
		}
	}
	car := l.Elsewhere.Car
	if car.TimesOut(after, sameTimerS) { // as good as another leg
		return 7, true
	}
	if timer, _, of := car.FellLike(after, soc, sameTimerS, sameStepPct); timer {
		return max(0, -math.Log(float64(of)*2*sameTimerS/anyTimeS)), false
	}
	if l.OfCar != nil {
		if v, ok := run.Known(l.OfCar.TimerS); ok && math.Abs(after-v) < 60 {
			return 4, true
		}
	}
	if away := math.Abs(after - roundTimerS*math.Round(after/roundTimerS)); away <= 3 {
		return 0.7, false
	}
	return -2.0, false
}

// stepSign is what speaks for a step of charge at a fall, in nats, and whether it is more than a round charge: other
// runs of the car or its noted envelope fall there, or this run has two further falls, as stairs have. A fifth of
// all charges lie within half a per cent of a round one; a further fall elsewhere makes stairs likelier.
func (x *fallen) stepSign(at, after, soc float64, k *known, l *Log) (odds float64, proof bool) {
	car := l.Elsewhere.Car
	if car.FallsNear(soc, sameStepPct) || k.stepAt(soc) {
		return 4, true
	}
	alike := 0.0
	if timer, step, of := car.FellLike(after, soc, sameTimerS, sameStepPct); step && !timer {
		alike = max(0, -math.Log(float64(of)*2*sameStepPct/anyPct))
	}
	others := 0
	for _, o := range x.list {
		// A fall that the noted envelope has speaks for the envelope, not for a stair that is not in it.
		if o.atS != at && math.Abs(o.soc-soc) > 3 && !k.stepAt(o.soc) {
			others++
		}
	}
	odds = -1.0 + alike
	if away := math.Abs(soc - roundStepPct*math.Round(soc/roundStepPct)); away <= 0.5 {
		odds = 1.0 + alike
	}
	if others >= 1 {
		odds += 1.2
	}
	return odds, others >= 2
}

// mainShape is the likeliest shape of a piece.
func (f *facts) mainShape() int {
	best := 0
	for s, v := range f.shape {
		if v > f.shape[best] {
			best = s
		}
	}
	return best
}

// levelHeld is the share of the level behind a fall down to which it is still that level: a step of charge may lean a
// little with the volts, and is left when the taper takes over.
const levelHeld = 0.93

// levelLeft tells whether the power has left the level that the last sudden fall led to.
func (s *span) levelLeft(i int) bool {
	for k := i - 1; k >= 0; k-- {
		if f := s.pieces[k]; f.fall < 0 {
			return s.pieces[i].kw < levelHeld*f.line[0]
		}
	}
	return false
}

// shareHeld is how near, as a logarithm, the share of the warm pack's power stays to what it was
// right behind a fall, where a timer has taken a share of it.
const shareHeld = 0.03

// sameShare tells whether a piece takes the same share of the warm pack's power, well under all of
// it, as the last sudden fall led to.
func (s *span) sameShare(i int) bool {
	for k := i - 1; k >= 0; k-- {
		if f := s.pieces[k]; f.fall < 0 {
			return f.share < 0.9 && math.Abs(math.Log(s.pieces[i].share/f.share)) < shareHeld
		}
	}
	return false
}

// onStairs is how near to its envelope, as a share, the power lies behind a step of it; notOnStairs is what speaks for
// a step of charge where it does not.
const (
	onStairs    = 0.1
	notOnStairs = -3.0
)

// onEnvelope tells whether a piece begins on the pack's own envelope, or nothing is known of it.
func (f *facts) onEnvelope(k *known) bool {
	return math.IsNaN(f.taperEnd[0]) || math.Abs(math.Log(f.taperEnd[0])) < onStairs
}

// undone is how much of a fall, as a logarithm, a leap up must make good to undo it: the taper has gone on meanwhile.
const undone = 0.25

// comesBack tells whether the power leaps up again after a fall, within the same stretch of power:
// no timer and no step of charge lets go without a replug.
func (s *span) comesBack(i int) bool {
	for _, f := range s.pieces[i+1:] {
		if f.fall >= undone*math.Abs(s.pieces[i].fall) && f.fall >= suddenShare {
			return true
		}
	}
	return false
}

// switchPrice is the price of going over to any other cause at a change point, in nats: one change point in six is the
// end of a cause, the others are bends within one.
const switchPrice = -1.8

// enter is what a change point says for entering each cause there, and for staying in it, in nats beside switchPrice.
// Four kinds of change points, by how the power moves:
//
//   - at the beginning of a stretch of power, where a timer cannot have run out and little has happened yet;
//   - a sudden fall, which is what heat, a warm cable, a failing stall, a neighbour, a timer and a step of charge do,
//     and no level limit and no taper; which of them it is, their signs say (a time, a charge, a mark, a return);
//   - a sudden rise, with which whatever took power away lets go;
//   - a bend, at which one ceiling crosses another: free for the usual ones, dear for those that begin with a fall.
//
// The numbers are orders of magnitude (-1 is one in three, -4 one in fifty, -6 one in four hundred), common practice,
// no source; the gallery of the tests holds them, and each sign has a test with a near miss.
func (l *Log) enter(s *span, i int, k *known, falls *fallen) [][2]float64 {
	f := s.pieces[i]
	e := &entry{log: l, span: s, i: i, known: k, falls: falls, odds: make([][2]float64, len(causes)),
		neighbour: l.markNear(run.Neighbour, f.fromS)}
	switch {
	case !f.before:
		e.take(atBeginning)
		if e.neighbour {
			e.set(limit.SharedCabinet, 1, 0)
		}
	case f.fall <= -suddenShare:
		e.take(atFall)
		e.fell()
	case f.fall >= suddenShare:
		e.take(atRise)
		if e.neighbour {
			e.set(limit.SharedCabinet, -3, -6)
		}
		if s.behindRamp(i) {
			e.take(atRiseBehindRamp)
		}
	default:
		e.take(atBend)
		e.bent()
		if s.behindRamp(i) { // what governs is free
			e.take(atBendBehindRamp)
		}
	}
	return e.odds
}

// hazards are what a kind of change point says for entering a cause there, and for staying in it, in nats; of a cause
// that it does not list, nothing.
type hazards map[limit.Cause][2]float64

var (
	atBeginning = hazards{
		limit.TimerStep:     {never, 0},
		limit.SoCStep:       {never, 0},
		limit.SharedCabinet: {-1, 0},
		limit.StallFault:    {-0.5, 0},
		limit.CableHot:      {-2, 0},
		limit.Finish:        {-2, 0},
	}
	atFall = hazards{
		limit.StallPower:     {-3.5, 0},
		limit.StallCurrent:   {-3.5, 0},
		limit.AdapterCurrent: {-3.5, 0},
		limit.CarPower:       {-3.5, 0},
		limit.CarCurrent:     {-3.5, 0},
		limit.CarConverter:   {-3.5, 0},
		limit.StallVoltage:   {-3, -4},
		limit.Finish:         {-4, -4},
		limit.PackTaper:      {-4, -3},
		limit.Cold:           {-3.5, -3},
		limit.Ramp:           {-6, -4},
		limit.Unknown:        {-1, -2},
		limit.Hot:            {0.5, -0.5},
		limit.CableHot:       {0.7, -1},
		limit.StallFault:     {0.5, -1.5},
		limit.SharedCabinet:  {-0.3, -3},
	}
	atRise = hazards{
		limit.TimerStep:     {-6, -5},
		limit.SoCStep:       {-6, -5},
		limit.SharedCabinet: {-3, -4},
		limit.Hot:           {-2, -2},
		limit.CableHot:      {-4, -4},
		limit.StallFault:    {-2.5, -3},
		limit.Cold:          {-1, -2},
		limit.PackTaper:     {0, -3},
	}
	atRiseBehindRamp = hazards{
		limit.StallFault:    {-0.5, -3},
		limit.CableHot:      {-2, -4},
		limit.SharedCabinet: {-1, -4},
		limit.Cold:          {0, -2},
	}
	atBend = hazards{
		limit.TimerStep:     {never, 0},
		limit.SoCStep:       {never, 0},
		limit.SharedCabinet: {-4, 0},
		limit.CableHot:      {-1.5, 0},
		limit.StallFault:    {-3.5, 0},
		limit.Hot:           {-1.5, 0},
		limit.Cold:          {-2, 0},
		limit.Ramp:          {-3, 0},
	}
	atBendBehindRamp = hazards{
		limit.StallFault:    {-0.5, 0},
		limit.Cold:          {0, 0},
		limit.CableHot:      {-2, 0},
		limit.SharedCabinet: {-1, 0},
		limit.SoCStep:       {never, 0},
	}
)

// What single signs are worth at a change point, in nats (common practice, no source; see enter).
const (
	noneAsked     = -1.7 // a failing stall where nobody read a request or an offer: who delivers less is told by those
	sawNeighbour  = 4.0  // a neighbour was marked there
	provedOther   = 4.0  // against a timer where a step is proved, and the other way round
	cameBack      = 4.0  // against either where the power leaps up again
	cabinetBack   = 2.5  // for a cabinet then
	cliffFrom     = 0.08 // a taper that falls by more, as a share,
	cliffPrice    = 10.0 // loses so much a share
	stairFollowed = -0.3 // staying in what follows the envelope, where that has a stair
	levelGone     = -6.0 // staying in a step whose level was left
	unseenFall    = -1.0 // whether it fell at once nobody read
	levelMoved    = -3.0 // a level does not move
)

// entry is what is said at one change point.
type entry struct {
	log       *Log
	span      *span
	i         int
	known     *known
	falls     *fallen
	odds      [][2]float64
	neighbour bool // one was marked there
}

func (e *entry) set(c limit.Cause, anew, stay float64) { e.odds[indexOf[c]] = [2]float64{anew, stay} }

func (e *entry) take(h hazards) {
	for c, v := range h {
		e.odds[indexOf[c]] = v
	}
}

// behindRamp tells whether the piece before was the way up.
func (s *span) behindRamp(i int) bool { return i > 0 && s.pieces[i-1].shape[surges] > 0.5 }

// signs are what speaks for a timer and for a step of charge at a fall, and whether either is proved.
func (e *entry) signs() (timer, step float64, timerProof, stepProof bool) {
	f, g := e.span.pieces[e.i], e.span.grid
	timer, timerProof = e.falls.timerSign(g.leg, f.fellS-g.plugInS, f.fellPct, e.log)
	step, stepProof = e.falls.stepSign(f.fellS, f.fellS-g.plugInS, f.fellPct, e.known, e.log)
	f.bySign = !timerProof && !stepProof
	return timer, step, timerProof, stepProof
}

// fell says which of what makes power fall at once made it.
func (e *entry) fell() {
	f, k := e.span.pieces[e.i], e.known
	e.odds[indexOf[limit.PackTaper]][1] -= cliffPrice * max(0, -f.fall-cliffFrom)
	if math.IsNaN(f.gap) && !(f.offered > 0) {
		e.set(limit.StallFault, noneAsked, -1.5)
	}
	if e.neighbour {
		e.set(limit.SharedCabinet, sawNeighbour, -3)
	}
	stairs := k.stepAt(f.fellPct)
	timer, step, timerProof, stepProof := e.signs()
	if stairs && !f.onEnvelope(k) { // what fell is not what the envelope takes there
		step, stepProof = notOnStairs, false
	}
	f.bySign = !timerProof && !stepProof
	if timerProof && !stepProof {
		step -= provedOther
	}
	if stepProof && !timerProof {
		timer -= provedOther
	}
	if e.span.comesBack(e.i) {
		timer, step = timer-cameBack, step-cameBack
		e.odds[indexOf[limit.Hot]][0]++
		e.odds[indexOf[limit.SharedCabinet]][0] += cabinetBack
	}
	if stairs && e.span.sameShare(e.i) {
		step -= 5
	}
	e.set(limit.TimerStep, timer, -4)
	e.set(limit.SoCStep, step, -1)
	if stairs { // what follows the envelope falls with it
		for _, of := range []limit.Cause{limit.Cold, limit.Hot, limit.TimerStep} {
			e.odds[indexOf[of]][1] = stairFollowed
		}
	}
}

// bent says what a change without a leap tells; typed, it may have been one.
func (e *entry) bent() {
	f := e.span.pieces[e.i]
	if e.span.levelLeft(e.i) {
		e.set(limit.SoCStep, never, levelGone)
	}
	if e.span.sameShare(e.i) {
		e.set(limit.TimerStep, never, 1)
	}
	if e.neighbour {
		e.set(limit.SharedCabinet, -1, 0)
	}
	if f.warms { // it is warm from here on, as far as was noted
		e.set(limit.PackTaper, 1.5, 0)
		e.set(limit.Cold, -3, -1.5)
	}
	if math.Abs(f.moved) < suddenShare {
		return
	}
	for _, c := range []limit.Cause{limit.StallPower, limit.StallCurrent, limit.AdapterCurrent, limit.CarPower,
		limit.CarCurrent, limit.CarConverter} {
		e.odds[indexOf[c]][1] += levelMoved
	}
	if f.moved >= 0 {
		return
	}
	timer, step, timerProof, stepProof := e.signs()
	e.set(limit.TimerStep, pick(timerProof, timer, min(timer, 0)+unseenFall), -3)
	e.set(limit.SoCStep, pick(stepProof, step, min(step, 0)+unseenFall), -1)
	e.set(limit.Hot, -0.5, -0.5)
	e.set(limit.CableHot, -0.5, -1)
	e.set(limit.StallFault, -0.5, -1.5)
	e.set(limit.SharedCabinet, pick(e.neighbour, 3, -1), -3)
}

// pick is a where yes, else b.
func pick(yes bool, a, b float64) float64 {
	if yes {
		return a
	}
	return b
}

// markNearS is how near to a change a mark must be to speak of it: a tester sees a neighbour plug in, and marks it
// when there is a hand free.
const markNearS = 45

// markNear tells whether a mark of a kind lies near to a time.
func (l *Log) markNear(kind string, t float64) bool {
	for _, m := range l.Marks {
		if m.Kind == kind && math.Abs(m.TS-t) <= markNearS {
			return true
		}
	}
	return false
}
