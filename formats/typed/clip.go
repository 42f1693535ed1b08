package typed

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/words"
)

// clip is what a text says of the film that its times are read off: when it starts, how much faster
// it runs, what was cut out of it, and where its picture stands.
//
//	clip 0:30              it starts half a minute into the run; 18:20:05, at that time of day
//	speed 8                it runs eight times as fast as what it shows
//	cut 12:10-15:40        from 12:10 to 15:40 of the run are not in it
//	freeze 5:00-5:20       from 5:00 to 5:20 of the film nothing moves, and no time passes
type clip struct {
	any     bool
	startS  float64
	ofDay   bool
	speed   float64
	cuts    []stretch // of the run's time, in order
	freezes []stretch // of the film's time, in order
}

type stretch struct{ from, to float64 }

var clipLine = regexp.MustCompile(`(?i)^\s*(clip|speed|cut|freeze)\b[\s:]*(.*?)\s*$`)

// line reads a line that speaks of the film; false for any other. What it says comes back in words,
// or what is wrong with it.
func (c *clip) line(text string) (said, problem string, ok bool) {
	m := clipLine.FindStringSubmatch(text)
	if m == nil {
		return "", "", false
	}
	what, rest := strings.ToLower(m[1]), m[2]
	c.any = true
	switch what {
	case "clip":
		at, good := clockOf(strings.ReplaceAll(strings.TrimPrefix(rest, "starts "), " ", ""))
		s, legal := at.seconds(MinutesSeconds)
		if !good || !legal {
			return "", fmt.Sprintf("%q is no time, expected when the clip starts, such as 0:30 or 18:20:05", rest), true
		}
		c.startS, c.ofDay = s, at.half != "" || s >= clockFromS
		if c.ofDay {
			return "the clip starts at " + at.text + " o'clock", "", true
		}
		return "the clip starts " + words.Clock(s) + " into the run", "", true
	case "speed":
		v, err := strconv.ParseFloat(strings.Replace(strings.Trim(rest, "xX× "), ",", ".", 1), 64)
		if err != nil || !(v > 0 && v <= 1000) {
			return "", fmt.Sprintf("%q is no speed, expected how many times as fast, such as 8", rest), true
		}
		c.speed = v
		return "it runs " + words.Figure(v, 2) + " times as fast", "", true
	}
	m = levelOf.FindStringSubmatch(strings.ReplaceAll(rest, " ", ""))
	if m == nil {
		return "", fmt.Sprintf("%q: expected from and to, such as 2:10-3:40", rest), true
	}
	from, ok1 := words.ParseClock(m[1], false)
	to, ok2 := words.ParseClock(m[2], false)
	if !ok1 || !ok2 || to <= from {
		return "", fmt.Sprintf("%q: expected a later time behind the dash", rest), true
	}
	s := stretch{from, to}
	if what == "cut" {
		c.cuts = insert(c.cuts, s)
		return fmt.Sprintf("%s to %s of the run are cut out", words.Clock(from), words.Clock(to)), "", true
	}
	c.freezes = insert(c.freezes, s)
	return fmt.Sprintf("from %s to %s of the clip the picture stands", words.Clock(from), words.Clock(to)), "", true
}

func insert(list []stretch, s stretch) []stretch {
	i, _ := slices.BinarySearchFunc(list, s, func(a, b stretch) int {
		switch {
		case a.from < b.from:
			return -1
		case a.from > b.from:
			return 1
		}
		return 0
	})
	return slices.Insert(list, i, s)
}

// runTime gives the run's time of a moment of the film; false where its picture stands.
func (c *clip) runTime(filmS float64) (float64, bool) {
	moved := filmS
	for _, f := range c.freezes {
		if filmS > f.from && filmS < f.to {
			return 0, false
		}
		if filmS >= f.to {
			moved -= f.to - f.from
		}
	}
	speed := c.speed
	if speed == 0 {
		speed = 1
	}
	start := c.startS
	if c.ofDay {
		start = 0 // the run's times count from the clip's start
	}
	t := start + speed*moved
	for _, cut := range c.cuts {
		if t >= cut.from {
			t += cut.to - cut.from
		}
	}
	return t, true
}

// unroll puts the times of a text that were read off a film on the run's clock.
func (n *Notes) unroll(c *clip) {
	if !c.any {
		return
	}
	for i := range n.Lines {
		l := &n.Lines[i]
		if l.Empty || l.Problem != "" {
			continue
		}
		t, ok := c.runTime(l.TS)
		if !ok {
			l.Problem = fmt.Sprintf("at %s the picture stands: nothing can be read there", l.from.text)
			continue
		}
		l.TS = t
		if !math.IsNaN(l.ToTS) {
			if l.ToTS, ok = c.runTime(l.ToTS); !ok {
				l.Problem = fmt.Sprintf("at %s the picture stands: nothing can be read there", l.to.text)
			}
		}
	}
	if c.ofDay {
		n.ClockTime, n.FirstS = true, c.startS
	}
}

// ditto are words that stand for the time of the line above.
var ditto = map[string]bool{`"`: true, `''`: true, "”": true, "“": true, "ditto": true, "do.": true}

// sameTime puts the time of the line above where a line says that it is the same.
func sameTime(text string, above clock) string {
	first, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
	if !ditto[strings.ToLower(first)] || above.parts == 0 {
		return text
	}
	return above.text + above.half + " " + rest
}

// ClipTimes gives the run's time of a moment of the film that a text speaks of, and false where its picture stands. A
// text that says nothing of a film has the run's times for the film's.
func ClipTimes(text string) func(filmS float64) (runS float64, moves bool) {
	var c clip
	for line := range strings.Lines(text) {
		c.line(line)
	}
	return c.runTime
}
