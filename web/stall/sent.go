package stall

import (
	"fmt"
	"math"
	"strconv"
	"time"

	"zincroad/core/words"
	"zincroad/web/ui"
)

// leewayS is how far a device's clock and the program's may be apart in the time between two words of each other
// without somebody having set one: what a network takes, and quartzes (common practice, no source).
const leewayS = 3

// whenSent says how long ago something happened that a page sends, and what became of its device's clock. The page
// gives three things: how long ago by the device's clock, by its own timer, and how long by both it is since it heard
// the program last before that. The program knows how long that is: a device's clock that says otherwise was set
// meanwhile, and then the timer counts, unless it slept.
func whenSent(f *ui.Fields, now time.Time) (ago time.Duration, clock string) {
	read := func(name string) (float64, bool) {
		ms, err := strconv.ParseFloat(f.Values.Get(name), 64)
		return ms / 1000, err == nil && math.Abs(ms) < 1e15
	}
	byClock, ok := read("ago_ms")
	if !ok {
		return 0, ""
	}
	seen, ok1 := read("seen_ms")
	since, ok2 := read("since_ms")
	passed := float64(now.UnixMilli())/1000 - seen
	setBy := since - passed
	if !ok1 || !ok2 || passed < 0 || math.Abs(setBy) <= leewayS {
		return inSeconds(math.Max(0, byClock)), ""
	}
	byTimer, timed := read("timer_ms")
	sinceTimer, ok3 := read("since_timer_ms")
	how := "what was typed stands where the page's own timer says"
	at := byTimer
	switch {
	case timed && ok3 && math.Abs(sinceTimer-passed) <= leewayS:
	case timed: // it slept for a while: before or after, nobody knows
		how = "what was typed may stand up to " + words.Duration(math.Round(passed-sinceTimer)) + " too late"
	default: // another page's timer
		at = math.Max(0, math.Min(passed, byClock))
		how = "what was typed stands where it can have been; put its time right if you know better"
	}
	direction := "ahead"
	if setBy < 0 {
		direction = "back"
	}
	return inSeconds(math.Max(0, at)), fmt.Sprintf("This device's clock was set %s by %s meanwhile: %s.", direction,
		words.Duration(math.Round(math.Abs(setBy))), how)
}

func inSeconds(s float64) time.Duration { return time.Duration(s * float64(time.Second)) }
