package plan

import (
	"math"
	"strings"
	"time"

	"zincroad/web/ui"
)

// clockFace turns seconds since plug-in into the clock.
type clockFace struct {
	plug    bool      // the given time is that of plugging in, not of leaving
	at      time.Time // wall clock, without a zone
	now     time.Time
	Default string
}

// clock reads what the plan says about time of day.
func (v *View) clock(now time.Time) clockFace {
	now = time.Date(now.Year(), now.Month(), now.Day(), now.Hour(), now.Minute(), 0, 0, time.UTC)
	next := now.Add(5 * time.Minute).Truncate(5 * time.Minute)
	c := clockFace{plug: v.Values.Get("when") == "plug", at: next, now: now, Default: next.Format(ui.WallClock)}
	v.When = []menuItem{{"leave", "leave at", !c.plug}, {"plug", "plug in at", c.plug}}
	day := now
	if typed := v.Values.Get("day"); typed != "" {
		d, err := time.Parse(time.DateOnly, typed)
		if err != nil {
			v.Fault("day", "%q: expected a day such as 2026-02-03.", typed)
			return c
		}
		day = d
	}
	if typed := strings.TrimSpace(v.Values.Get("at")); typed != "" {
		t, err := time.Parse(ui.WallClock, strings.Replace(typed, ".", ":", 1))
		if err != nil {
			v.Fault("at", "%q: expected a time of day such as 18:30.", typed)
			return c
		}
		c.at = time.Date(day.Year(), day.Month(), day.Day(), t.Hour(), t.Minute(), 0, 0, time.UTC)
	} else {
		c.at = time.Date(day.Year(), day.Month(), day.Day(), next.Hour(), next.Minute(), 0, 0, time.UTC)
	}
	return c
}

// face gives the clock at a time since plug-in, for an approach that begins at leaveS.
func (c clockFace) face(ts, leaveS float64) string {
	t := c.time(ts, leaveS)
	if anchor := c.time(0, leaveS); t.YearDay() != anchor.YearDay() || t.Year() != anchor.Year() {
		return t.Format("Mon 15:04")
	}
	return t.Format(ui.WallClock)
}

func (c clockFace) time(ts, leaveS float64) time.Time {
	if !c.plug {
		ts -= leaveS
	}
	// To the nearest minute, which is what a tester can keep to.
	return c.at.Add(time.Duration(math.Round(ts/60)) * time.Minute)
}
