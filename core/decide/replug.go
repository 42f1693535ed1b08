package decide

import (
	"zincroad/core/forecast"
	"zincroad/core/run"
)

// Replug is what unplugging and plugging in again is worth, where a timer in the car takes power away.
type Replug struct {
	AtPct     float64 // when the timer ends
	PlainS    float64 // to the end of the window as it is, s
	ReplugS   float64 // the same with a replug, its pause with it
	PauseS    float64
	FromNotes bool // the timer is noted of the car; else its runs showed it
}

// replug is nil where no timer is known, or none ends within the window.
func replug(a Asked) *Replug {
	car := a.Session.AsKnown().Car
	after, ok := run.Known(car.TimerS)
	if !ok {
		return nil
	}
	out := &Replug{FromNotes: a.Session.Car.TimerS != nil, PauseS: pauseS}
	once := a.Session
	once.ReplugAtPct = 0 // one that is planned already is what is asked about
	plain, err := forecast.Once(once)
	if err != nil {
		return nil
	}
	end, ok := plain.Post(a.Session.ToPct)
	if !ok {
		return nil
	}
	first := 0
	for first < len(plain.Steps) && plain.Steps[first].StallKW <= 0 {
		first++
	}
	if first += int(after); first >= len(plain.Steps) {
		return nil
	}
	out.PlainS, out.AtPct = end.TS, plain.Steps[first].SoCPct
	again := once
	again.ReplugAtPct, again.ReplugS = out.AtPct, pauseS
	f, err := forecast.Once(again)
	if err != nil {
		return nil
	}
	if end, ok = f.Post(a.Session.ToPct); !ok {
		return nil
	}
	out.ReplugS = end.TS
	return out
}

// pauseS is how long a replug takes from unplug to plug-in, s (common practice, no source: 40 s to two minutes with
// payment anew).
const pauseS = 60
