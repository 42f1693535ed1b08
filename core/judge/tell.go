package judge

import (
	"fmt"
	"math"
	"strings"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/words"
)

// told is what a whole stretch shows, from its pieces: of pairs the first is at its beginning, the second at its end.
// kW, A, V, °C and per cent; NaN: not read.
type told struct {
	*known
	log              *Log
	kw               [2]float64 // on the fitted lines
	plugKW, packKW   float64    // means over time
	amps, volts      [2]float64
	plugA, packA     float64
	soc              [2]float64
	coldest, warmest [2]float64
	inlet            [2]float64
	asked, offered   float64    // what flowed as a share of what the car requested; what the stall offered, kW
	warm             [2]float64 // the warm pack's power at both ends
	share            float64    // of it that flowed
	long             float64    // s
	fall             float64    // how it begins: logarithm of its first power over the last before; 0: no leap
	fellS, fellPct   float64    // first instant of that, and the charge there
	plugInS          float64    // of its leg
	ampsRead         bool
	leg              int
	shape            shape    // of its last piece
	stairs           []string // at which charge it fell, in per cent
}

// tell gathers a stretch's facts from its pieces, weighted by time where one number stands for all. The grids
// are those of the first piece and of the last.
func (l *Log) tell(k *known, first, g *grid, pieces []*facts) told {
	a, b := pieces[0], pieces[len(pieces)-1]
	t := told{known: k, log: l, kw: [2]float64{a.line[0], b.line[1]}, volts: [2]float64{a.volts0, b.volts1},
		soc: [2]float64{a.soc0, b.soc1}, coldest: [2]float64{a.coldest0, b.coldest1},
		warmest: [2]float64{a.warmest0, b.warmest1}, inlet: [2]float64{a.inlet0, b.inlet1}, fall: a.fall, fellS: a.fellS,
		fellPct: a.fellPct, plugInS: g.plugInS, ampsRead: g.ampsRead}
	t.amps[0], _ = first.ends(first.amps, a.piece)
	_, t.amps[1] = g.ends(g.amps, b.piece)
	t.warm = [2]float64{k.warmKW(a.soc0, a.packV0), k.warmKW(b.soc1, b.packV1)}
	mean := func(of func(*facts) float64) float64 {
		sum, w := 0.0, 0.0
		for _, f := range pieces {
			if v := of(f); !math.IsNaN(v) {
				sum, w = sum+v*(f.toS-f.fromS), w+f.toS-f.fromS
			}
		}
		if w == 0 {
			return math.NaN()
		}
		return sum / w
	}
	t.plugKW, t.packKW = mean(func(f *facts) float64 { return f.plugKW }), mean(func(f *facts) float64 { return f.packKW })
	t.plugA, t.packA = mean(func(f *facts) float64 { return f.plugA }), mean(func(f *facts) float64 { return f.packA })
	t.asked, t.offered = mean(func(f *facts) float64 { return f.asked }), mean(func(f *facts) float64 { return f.offered })
	t.share = mean(func(f *facts) float64 { return f.share })
	t.long = b.toS - a.fromS
	lastStair := math.Inf(-1)
	for _, f := range pieces {
		if f.fall < 0 && f.fellPct > lastStair+1.5 {
			lastStair = f.fellPct
			t.stairs = append(t.stairs, words.Figure(f.fellPct, 0))
		}
	}
	return t
}

// fromTo writes how a value went, as one number where it stayed.
func fromTo(v [2]float64, unit string) string {
	a, b := words.Figure(v[0], 0), words.Figure(v[1], 0)
	if math.IsNaN(v[0]) || math.IsNaN(v[1]) {
		return ""
	}
	if a == b {
		return a + " " + unit
	}
	return a + " → " + b + " " + unit
}

// went says how a value went, with the verb that is true of it.
func went(v [2]float64, unit string) string {
	text := fromTo(v, unit)
	switch {
	case text == "":
		return "was not read at both ends"
	case !strings.Contains(text, "→"):
		return "stood at " + text
	case v[1] > v[0]:
		return "rose " + text
	}
	return "fell " + text
}

// AsSubject is a limit as the subject of a sentence: what stands behind a comma in it ends with one.
func AsSubject(what string) string {
	if strings.Contains(what, ", ") {
		return what + ","
	}
	return what
}

// evidence says in words why a cause is named, with the numbers used; what decides first.
func (t told) evidence(c limit.Cause) []string {
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	switch c {
	case limit.Ramp:
		say("power %s in %s", went(t.kw, "kW"), words.Duration(math.Round(t.long)))
	case limit.StallCurrent, limit.AdapterCurrent, limit.CarCurrent, limit.CableHot:
		t.flatAmps(c, say)
	case limit.StallPower, limit.CarPower, limit.CarConverter, limit.SharedCabinet:
		t.flatKW(c, say)
	case limit.StallVoltage, limit.Finish:
		say("volts stood at %s while amps fell %s", words.Figure(t.volts[1], 1), fromTo(t.amps, "A"))
		if c == limit.Finish && !math.IsNaN(t.packMaxV) {
			say("the pack's top is %s V", words.Figure(t.packMaxV, 1))
		}
		if c == limit.StallVoltage && !math.IsInf(t.stallMaxV, 1) {
			say("the stall gives up to %s V", words.Figure(t.stallMaxV, 1))
		}
	case limit.PackTaper:
		if math.IsNaN(t.soc[0]) || math.IsNaN(t.soc[1]) {
			say("power %s in %s", went(t.kw, "kW"), words.Duration(math.Round(t.long)))
		} else {
			say("power %s from %s to %s %%", went(t.kw, "kW"), words.Figure(t.soc[0], 0), words.Figure(t.soc[1], 0))
		}
	case limit.Cold:
		t.cold(say)
	case limit.Hot:
		say(
			"power went %s with the warmest cell at %s",
			fromTo(t.kw, "kW"),
			orWords(fromTo(t.warmest, "°C"), "a temperature that was not read"),
		)
	case limit.TimerStep, limit.SoCStep, limit.StallFault:
		t.dropped(c, say)
	case limit.Unknown:
		say("power went %s; no limit that is known explains it", fromTo(t.kw, "kW"))
	}
	t.warmHere(c, say)
	switch {
	case math.IsNaN(t.asked) || c == limit.Ramp:
	case t.asked > deliveredAll:
		say("all that the car requested flowed")
	default:
		say("%s %% of what the car requested flowed", words.Figure(100*t.asked, 0))
	}
	return out
}

// what names the limit as a noun with its figure: as it is rated where it is, else as it was read.
func (t told) what(c limit.Cause) string {
	of := func(whose string, rating, read float64, unit string) string {
		if math.IsInf(rating, 1) {
			rating = read
		}
		return whose + " " + words.Figure(rating, 0) + " " + unit
	}
	switch c {
	case limit.Ramp:
		return "the ramp"
	case limit.StallPower:
		return of("the stall's", t.stallKW, t.plugKW, "kW")
	case limit.StallCurrent:
		return of("the stall's", t.stallA, t.plugA, "A")
	case limit.StallVoltage:
		return of("the stall's", t.stallMaxV, t.volts[1], "V")
	case limit.AdapterCurrent:
		return of("the adapter's", t.adapterA, t.plugA, "A")
	case limit.CarPower:
		return of("the car's", t.carKW, t.packKW, "kW")
	case limit.CarCurrent:
		return of("the car's", t.carA, t.amps[1], "A")
	case limit.CarConverter:
		return of("the converter's", t.converterKW, t.plugKW, "kW")
	case limit.PackTaper:
		return "its own taper"
	case limit.Cold:
		return "a cold pack"
	case limit.Hot:
		return "a hot pack"
	case limit.TimerStep:
		return "a timer in the car"
	case limit.SoCStep:
		if n := len(t.stairs); n > mostStairs {
			return fmt.Sprintf("the car's %d steps from %s to %s %%", n, t.stairs[0], t.stairs[n-1])
		} else if n > 1 {
			return "the car's steps at " + strings.Join(t.stairs[:n-1], ", ") + " and " + t.stairs[n-1] + " %"
		}
		return "the car's step at " + words.Figure(t.fellPct, 0) + " %"
	case limit.Finish:
		return "the pack's top voltage"
	case limit.StallFault:
		return failingStall
	case limit.SharedCabinet:
		return "a shared cabinet"
	case limit.CableHot:
		return "a warm cable"
	}
	return "something this log does not show"
}

// mostStairs is how many steps are named one by one.
const mostStairs = 4

// whoseAmps and whoseKW say whose a limit of amps or of power is.
var whoseAmps = map[limit.Cause]string{
	limit.StallCurrent:   "the stall's",
	limit.CarCurrent:     "the car's",
	limit.AdapterCurrent: "the adapter's",
	limit.CableHot:       "a warm cable's",
}

var whoseKW = map[limit.Cause]string{
	limit.StallPower:    "the stall's",
	limit.CarPower:      "the car's",
	limit.SharedCabinet: "a shared cabinet's",
	limit.CarConverter:  "the converter's",
}

// ofOneParty are a party's limits of power and of current, which without amps look alike.
var ofOneParty = map[limit.Whose][2]limit.Cause{
	limit.OfCar:   {limit.CarPower, limit.CarCurrent},
	limit.OfStall: {limit.StallPower, limit.StallCurrent},
}

// pair names two causes of one kind together, "a limit of 290 A, the stall's or the car's": that there is such a
// limit is sure where only whose it is is not. Empty where they are not of one kind.
func (t told) pair(a, b limit.Cause) string {
	for party, both := range ofOneParty {
		if !t.ampsRead && (a == both[0] && b == both[1] || a == both[1] && b == both[0]) {
			return "a limit of " + parties[party] + "'s, of power or of current"
		}
	}
	if whoseAmps[a] != "" && whoseAmps[b] != "" {
		return fmt.Sprintf("a limit of %s A, %s or %s", words.Figure((t.amps[0]+t.amps[1])/2, 0), whoseAmps[a], whoseAmps[b])
	}
	if whoseKW[a] != "" && whoseKW[b] != "" {
		return fmt.Sprintf("a limit of %s kW, %s or %s", words.Figure(t.plugKW, 0), whoseKW[a], whoseKW[b])
	}
	return ""
}

// orWords is otherwise where there is nothing to say.
func orWords(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

// flatAmps says what speaks for a limit of amps: how level they were while the volts rose, and what is known of the
// rating, or in place of one what car and stall did elsewhere.
func (t told) flatAmps(c limit.Cause, say func(string, ...any)) {
	if t.ampsRead {
		say("amps level at %s while volts went %s and kW %s", words.Figure((t.amps[0]+t.amps[1])/2, 0),
			fromTo(t.volts, "V"), fromTo(t.kw, "kW"))
	} else {
		say("power crept %s, as at level amps", fromTo(t.kw, "kW"))
	}
	rating, whose := math.Inf(1), ""
	switch c {
	case limit.StallCurrent, limit.CableHot:
		rating, whose = t.stallA, "stall"
	case limit.AdapterCurrent:
		rating, whose = t.adapterA, "adapter"
	case limit.CarCurrent:
		rating, whose = t.carA, "car"
	}
	switch {
	case c == limit.CableHot:
		if !math.IsNaN(t.inlet[1]) {
			say("the inlet had %s", fromTo(t.inlet, "°C"))
		}
		if !math.IsInf(rating, 1) {
			say("the stall is rated for %s A", words.Figure(rating, 0))
		}
	case math.IsInf(rating, 1):
		say("no rating of the %s in amps is noted", whose)
		if most := t.elsewhere.Car.TookA(); most > 1.06*t.packA {
			say("the car took %s A elsewhere", words.Figure(most, 0))
		}
		if most := t.elsewhere.StallMostA; most > 1.06*t.plugA {
			say("this stall gave %s A in another run", words.Figure(most, 0))
		}
	default:
		say("the %s is rated for %s A", whose, words.Figure(rating, 0))
	}
}

// flatKW says what speaks for a limit of power: how level it was while amps gave way to the volts, and the rating,
// what the stall offered, or a neighbour's mark.
func (t told) flatKW(c limit.Cause, say func(string, ...any)) {
	at := t.plugKW
	if c == limit.CarPower {
		at = t.packKW
	}
	if t.ampsRead {
		say("power level at %s kW while volts went %s and amps %s", words.Figure(at, 0), fromTo(t.volts, "V"),
			fromTo(t.amps, "A"))
	} else {
		say("power level at %s kW", words.Figure(at, 0))
	}
	rating, what := math.Inf(1), ""
	switch c {
	case limit.StallPower:
		if t.offered > 0 && math.Abs(math.Log(t.plugKW/t.offered)) < 0.03 {
			say("the stall offers %s kW, and all of that flows", words.Figure(t.offered, 0))
		}
		rating, what = t.stallKW, "the stall is rated for"
	case limit.CarPower:
		rating, what = t.carKW, "the car takes up to"
	case limit.CarConverter:
		rating, what = t.converterKW, "the car's converter takes up to"
	case limit.SharedCabinet:
		rating, what = t.sharedKW/2, "half of the shared cabinet is"
	}
	if c == limit.SharedCabinet && t.offered > 0 && math.Abs(math.Log(t.plugKW/t.offered)) < 0.03 {
		say("the stall offers %s of its %s kW, and all of that flows", words.Figure(t.offered, 0), words.Figure(t.stallKW, 0))
	}
	if math.IsInf(rating, 1) {
		say("no such rating is noted")
	} else {
		say("%s %s kW", what, words.Figure(rating, 0))
	}
	if c == limit.SharedCabinet && t.log.markNear(run.Neighbour, t.fellS) {
		say("a neighbour was marked when it began")
	}
}

// cold says what speaks for a cold pack: power that rises with the coldest cell, from where this pack is warm, and
// that the stall would have given more.
func (t told) cold(say func(string, ...any)) {
	if math.IsNaN(t.coldest[0]) {
		if t.kw[1] > t.kw[0] {
			say("power %s by itself, as in a pack that warms; no cell was read", went(t.kw, "kW"))
		} else {
			say("power %s; no cell was read", went(t.kw, "kW"))
		}
		return
	}
	say("power %s while %s %s", went(t.kw, "kW"), orWords(t.log.ColdestOf, "the coldest cell"), went(t.coldest, "°C"))
	if t.warmKnown {
		say("this pack takes its full power from %s °C", words.Figure(t.warmC, 0))
	} else {
		say("packs take their full power from about %s °C as a rule; this one's is not noted", words.Figure(t.warmC, 0))
	}
	least := math.Inf(1)
	for _, kw := range []float64{t.stallKW, t.stallA * t.volts[0] / 1000} {
		least = min(least, kw)
	}
	if !math.IsInf(least, 1) && least > 1.05*max(t.kw[0], t.kw[1]) {
		say("the stall would have given %s kW", words.Figure(least, 0))
	}
}

// dropped says what speaks for a cause that begins with a fall: how far, how long after plug-in and at which charge,
// and which sign of a timer or a step there is besides.
func (t told) dropped(c limit.Cause, say func(string, ...any)) {
	if t.fall < 0 {
		after := t.fellS - t.plugInS
		say("power fell by %s %% at once, to %s kW, %s after plug-in at %s %%", words.Figure(100*(1-math.Exp(t.fall)), 0),
			words.Figure(t.kw[0], 0), words.Duration(math.Round(after)), words.Figure(t.fellPct, 1))
	} else if c != limit.StallFault {
		say("power went %s", fromTo(t.kw, "kW"))
	}
	switch c {
	case limit.TimerStep:
		for _, o := range t.falls.list {
			if o.leg != t.leg && math.Abs(o.afterPlug-(t.fellS-t.plugInS)) <= sameTimerS {
				say("as long after the other plug-in as well: a replug brings full power back")
				break
			}
		}
		if away := math.Abs(t.fellS - t.plugInS - roundTimerS*math.Round((t.fellS-t.plugInS)/roundTimerS)); away <= 3 {
			say("a round time after plug-in")
		}
	case limit.SoCStep:
		if t.stepAt(t.fellPct) {
			say("the car's envelope has a step there")
		} else if math.Abs(t.fellPct-roundStepPct*math.Round(t.fellPct/roundStepPct)) <= 0.5 {
			say("a round state of charge")
		}
	case limit.StallFault:
		t.failing(say)
	}
}

// failing says how far under what the stall is rated for its power stays.
func (t told) failing(say func(string, ...any)) {
	switch {
	case t.shape == ampsLevel && t.ampsRead && !math.IsInf(t.stallA, 1):
		say("amps level at %s, under the stall's %s A and every other rating", words.Figure(t.plugA, 0),
			words.Figure(t.stallA, 0))
	case t.shape == ampsLevel && t.ampsRead:
		say("amps level at %s", words.Figure(t.plugA, 0))
	case !math.IsInf(t.stallKW, 1):
		say("power went %s, under the stall's %s kW and every other rating", fromTo(t.kw, "kW"),
			words.Figure(t.stallKW, 0))
	default:
		say("power went %s", fromTo(t.kw, "kW"))
	}
}

// warmHere says what the warm pack would take there.
func (t told) warmHere(c limit.Cause, say func(string, ...any)) {
	if math.IsNaN(t.warm[0]) || math.IsNaN(t.warm[1]) || c == limit.Ramp {
		return
	}
	if kind := t.reference(t.log); kind.Basis != ByKind {
		say("warm, this pack takes %s here, by %s", fromTo(t.warm, "kW"), kind.Words())
	}
}

// Holder is what held a stretch, as far as it is known: a limit, and whose it is.
type Holder struct {
	What            string // the limit as a noun: "the stall's 350 A"
	Confidence      Confidence
	Pair            bool // What names two causes of one kind, of which either may be meant
	Whose           limit.Whose
	WhoseConfidence Confidence
}

// Holder is what held the stretch.
func (s *Stretch) Holder() Holder {
	return Holder{s.What, s.Confidence, s.Pair, s.Whose, s.WhoseConfidence}
}

// parties are whose a limit is, as the subject of a sentence.
var parties = map[limit.Whose]string{limit.OfCar: "the car", limit.OfStall: "the stall"}

// Words says what held, no surer than it is known: the limit, with "probably" where it is likely; else whose it was,
// with "perhaps" the limit behind it; where that cannot be told either, that. A pair of limits is sure to be one of
// the two.
func (h Holder) Words() string {
	switch {
	case h.Pair || h.Confidence == Strong:
		return h.What
	case h.Confidence == Likely:
		return "probably " + h.What
	case h.Whose == limit.Open:
		return "the car or the stall, which of them cannot be told from this log"
	}
	party, ok := parties[h.Whose]
	if !ok || h.WhoseConfidence == Unsure {
		return "perhaps " + h.What
	}
	said := party + ", perhaps by " + h.What
	if rest, own := strings.CutPrefix(h.What, party+"'s "); own {
		said = party + ", perhaps by its " + rest
	}
	if h.What == failingStall {
		said = party + ", perhaps failing"
	}
	if h.WhoseConfidence == Likely {
		return "probably " + said
	}
	return said
}

// failingStall is how a failing stall is named.
const failingStall = "a failing stall"
