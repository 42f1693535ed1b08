package typed

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
)

// switched tells whether something is switched on or off: "9kW heater on".
func (r *reader) switched() bool {
	if len(r.words) == 0 {
		return false
	}
	switch strings.ToLower(strings.Trim(r.words[0], ".,")) {
	case "on", "off", "starts", "started", "stops", "stopped", "running":
		return true
	}
	return false
}

// mostBesideKW is what a heater or a cabin draws at most: "2kW heater" is its own
// power, "80kW heater on" is not (common practice, no source: 6 kW).
const mostBesideKW = 10

// reader understands the words of one line.
type reader struct {
	line    Line
	words   []string
	of      subject
	side    trace.Side // whose the numbers that follow are; empty: nobody said
	price   bool
	rest    []string // words of the note
	lastKW  float64  // the last power that was taken for the charging power; NaN if none
	both    bool     // the line has a number behind each side's word
	problem string
}

// ParseLine reads one line; number is its place in the text. Its time is taken for
// minutes and seconds.
func ParseLine(text string, number int) Line {
	l := Line{Number: number, Text: text, TS: math.NaN(), ToTS: math.NaN(), ToPct: math.NaN(),
		Values: map[trace.Channel]float64{}}
	if s := strings.TrimSpace(text); s == "" || strings.HasPrefix(s, "#") {
		l.Empty = true
		return l
	}
	r := &reader{line: l, words: joined(strings.Fields(strings.ReplaceAll(text, ";", " "))), lastKW: math.NaN()}
	r.words = extremesFirst(r.words)
	r.both = bothSides(r.words)
	for len(r.words) > 0 && r.problem == "" {
		r.next()
	}
	return r.conclude()
}

// next takes one word.
func (r *reader) next() {
	w := r.words[0]
	r.words = r.words[1:]
	bare := strings.TrimRight(w, ",")
	switch {
	case r.line.from.parts == 0 && r.time(bare):
	case r.money(bare):
	case r.risingCharge(bare):
	case number.MatchString(bare):
		r.number(bare)
	default:
		r.word(w, bareWord(w))
	}
}

// time takes a moment, or two that a level was held between.
func (r *reader) time(w string) bool {
	if m := levelOf.FindStringSubmatch(w); m != nil {
		from, _ := clockOf(m[1])
		to, _ := clockOf(m[2])
		r.setTimes(from, to)
		return true
	}
	c, ok := clockOf(w)
	if !ok {
		return false
	}
	c.half = r.halfOr(c.half)
	var to clock
	if len(r.words) > 1 && isDash(r.words[0]) {
		if end, ok := clockOf(strings.TrimRight(r.words[1], ",")); ok {
			r.words = r.words[2:]
			end.half = r.halfOr(end.half)
			if c.half == "" {
				c.half = end.half
			}
			to = end
		}
	}
	r.setTimes(c, to)
	return true
}

func isDash(w string) bool { return w == "-" || w == "–" || w == "—" || w == "to" || w == "until" }

// halfOr takes an AM or PM that stands behind the time.
func (r *reader) halfOr(half string) string {
	if half == "" && len(r.words) > 0 {
		if m := halfWord.FindStringSubmatch(strings.TrimRight(r.words[0], ",")); m != nil {
			r.words = r.words[1:]
			return strings.ToLower(m[1]) + "m"
		}
	}
	return half
}

// setTimes takes over a line's times: one, or the two of a level that was held between. Times with
// hours are read so only where minutes and seconds cannot be.
func (r *reader) setTimes(from, to clock) {
	r.line.from, r.line.to = from, to
	as := MinutesSeconds
	s, ok := from.seconds(as)
	if !ok {
		if s, ok = from.seconds(HoursMinutes); !ok {
			r.problem = fmt.Sprintf(
				"%q is no time, expected minutes and seconds such as 3:10, or a time of day such as 18:31",
				from.text,
			)
			return
		}
		as = HoursMinutes
	}
	r.line.TS = s
	if to.parts > 0 {
		if r.line.ToTS, ok = to.seconds(as); !ok {
			r.problem = fmt.Sprintf("%q is no time, expected one such as 3:10", to.text)
		}
	}
}

// money takes a price: 3.20 behind a word or sign for it.
func (r *reader) money(w string) bool {
	m := moneyNumber.FindStringSubmatch(w)
	switch {
	case m != nil:
		r.set(trace.Cost, m[2]+m[3], w)
		return true
	case money.MatchString(w) && (r.nextIsBare() || r.price):
		r.price = true
		return true
	case price[strings.ToLower(strings.Trim(w, ":"))]:
		r.price = true
		return true
	}
	return false
}

// nextIsBare tells whether a number without a unit comes next.
func (r *reader) nextIsBare() bool {
	if len(r.words) == 0 {
		return false
	}
	m := number.FindStringSubmatch(strings.TrimRight(r.words[0], ","))
	return m != nil && m[2] == ""
}

// number takes a number with its unit.
func (r *reader) number(w string) {
	m := number.FindStringSubmatch(w)
	unit := strings.ToLower(m[2])
	switch {
	case unit == "" && r.price:
		r.set(trace.Cost, m[1], w)
		if len(r.words) > 0 && money.MatchString(strings.TrimRight(r.words[0], ",")) {
			r.words = r.words[1:]
		}
	case unit == "" && len(r.words) > 0 && money.MatchString(strings.TrimRight(r.words[0], ",")):
		r.set(trace.Cost, m[1], w)
		r.words = r.words[1:]
	case aside[unit]:
		r.rest = append(r.rest, w)
	case unit == "" && r.side != "" && r.both:
		r.measured(trace.Power, "kW", m[1], w) // "car 119 stall 122"
	case unit == "" && len(r.rest) > 0:
		r.rest = append(r.rest, w) // "neighbour at stall 3"
	case unit == "":
		r.problem = fmt.Sprintf("%s has no unit: write %s%%, %skW, %sC, %sA or %sV", w, w, w, w, w, w)
	default:
		u, ok := unitChannel[unit]
		if !ok {
			r.problem = fmt.Sprintf("%q: %s is no unit known here, expected %%, kW, C, F, A, V or kWh", w, m[2])
			return
		}
		r.measured(u.channel, u.unit, m[1], w)
	}
}

// measured takes a number of a channel for what the line speaks of.
func (r *reader) measured(c trace.Channel, unit, digits, w string) {
	own := c
	if meant, ok := r.of[string(c)]; ok {
		c = meant
		if c != trace.BatteryTemp {
			delete(r.of, string(own))
		}
	}
	v, ok := r.value(digits, w)
	if !ok {
		return
	}
	in, _ := trace.Describe(c)
	u, _ := units.Find(in.Units, unit)
	v = u.Convert(v)
	if v < in.Min || v > in.Max {
		r.problem = fmt.Sprintf("%s: %s of %s %s, expected %g to %g", w, in.Name, words.Figure(v, 1), in.Unit,
			in.Min, in.Max)
		return
	}
	if c == trace.Power {
		r.lastKW = v
	} else {
		r.lastKW = math.NaN()
	}
	r.put(c, v)
}

func (r *reader) value(digits, w string) (float64, bool) {
	v, err := strconv.ParseFloat(strings.Replace(strings.Replace(digits, ",", ".", 1), "−", "-", 1), 64)
	if err != nil || math.IsInf(v, 0) {
		r.problem = fmt.Sprintf("%q is no number", w)
		return 0, false
	}
	return v, true
}

// set takes a number that needs no unit.
func (r *reader) set(c trace.Channel, digits, w string) {
	r.price = false
	v, ok := r.value(digits, w)
	in, _ := trace.Describe(c)
	switch {
	case !ok:
	case v < in.Min || v > in.Max:
		r.problem = fmt.Sprintf("%s: %s of %s, expected %g to %g", w, in.Name, words.Figure(v, 2), in.Min, in.Max)
	default:
		r.put(c, v)
	}
}

func (r *reader) put(c trace.Channel, v float64) {
	values := r.line.Values
	if r.side != "" {
		if r.line.Beside == nil {
			r.line.Beside = map[trace.Side]map[trace.Channel]float64{}
		}
		if values = r.line.Beside[r.side]; values == nil {
			values = map[trace.Channel]float64{}
			r.line.Beside[r.side] = values
		}
	}
	if _, twice := values[c]; twice {
		in, _ := trace.Describe(c)
		r.problem = fmt.Sprintf("%s stands there twice", in.Name)
		return
	}
	values[c] = v
}

// word takes a word that is no number: it says what comes next, or belongs to the note.
func (r *reader) word(w, plain string) {
	if side, ok := sides[plain]; ok && r.turnsTo(side) {
		r.of = nil
		return
	}
	s, ok := subjects[plain]
	if !ok || plain == "out" && !(len(r.words) > 0 && number.MatchString(r.words[0])) { // "out of order"
		r.rest = append(r.rest, w)
		return
	}
	if c, ok := s.of["power_kw"]; ok && s.mark && !fan[plain] && r.lastKW <= mostBesideKW && !r.switched() {
		// "2kW heater": the number before belongs to it
		delete(r.line.Values, trace.Power)
		r.put(c, r.lastKW)
		r.lastKW = math.NaN()
	} else {
		r.of = subject{}
		for from, to := range s.of {
			r.of[from] = to
		}
	}
	if s.mark {
		r.rest = append(r.rest, w)
	}
}

// conclude says what a line is once its words are sorted.
func (r *reader) conclude() Line {
	l := r.line
	note := strings.Join(r.rest, " ")
	switch {
	case r.problem != "":
		l.Problem = r.problem
	case math.IsNaN(l.TS):
		l.Problem = "no time: begin with minutes and seconds, such as 3:10"
	case len(l.Values) == 0 && len(l.Beside) == 0 && note == "":
		l.Problem = "a time without a reading: expected such as 12% 118kW 21C"
	case note != "":
		l.Mark = mark(note)
	}
	return l
}

// joined puts a number and the unit typed behind a space together.
func joined(in []string) []string {
	var out []string
	for i := 0; i < len(in); i++ {
		w := in[i]
		if m := number.FindStringSubmatch(w); m != nil && m[2] == "" && i+1 < len(in) {
			unit := strings.ToLower(strings.TrimRight(in[i+1], ","))
			if _, ok := unitChannel[unit]; ok || aside[unit] {
				w += in[i+1]
				i++
			}
		}
		out = append(out, w)
	}
	return out
}

// Say puts a line back into words, so that the tester sees what was understood.
func (l Line) Say() string {
	switch {
	case l.Problem != "":
		return l.Problem
	case l.Clip != "":
		return l.Clip
	}
	parts := []string{words.Clock(l.TS)}
	if !math.IsNaN(l.ToTS) {
		parts[0] += "–" + words.Clock(l.ToTS)
	}
	say := func(whose string, values map[trace.Channel]float64) {
		for _, in := range trace.Channels {
			if v, ok := values[in.Channel]; ok {
				decimals := 1
				if in.Channel == trace.Cost {
					decimals = 2
				}
				parts = append(parts, strings.TrimSpace(whose+in.Short+" "+words.Figure(v, decimals)+" "+in.Unit))
			}
			if in.Channel == trace.SoC && whose == "" && !math.IsNaN(l.ToPct) {
				parts[len(parts)-1] = fmt.Sprintf("%s %s to %s %s", in.Short, words.Figure(l.Values[trace.SoC], 1),
					words.Figure(l.ToPct, 1), in.Unit)
			}
		}
	}
	say("", l.Values)
	say("the car's ", l.Beside[trace.CarSide])
	say("the stall's ", l.Beside[trace.StallSide])
	if l.Mark != nil {
		s := "mark: " + l.Mark.Kind
		if l.Mark.Note != "" {
			s += ", " + l.Mark.Note
		}
		parts = append(parts, s)
	}
	return strings.Join(parts, " · ")
}
