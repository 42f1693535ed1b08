package lineup

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// Why an offset may be chosen.
type Why string

// The reasons.
const (
	WhyShape Why = "by its shape"
	WhyPower Why = "by the moment at which power began"
	WhyRival Why = "fits as well"
	WhyHours Why = "without whole hours, as of a time zone or summer time"
	WhyNoted Why = "as it was noted"
)

// Choice is an offset that something speaks for.
type Choice struct {
	Why         Why
	OffsetS     float64
	DriftPPM    float64
	LowS, HighS *float64 // of the interval; nil: none
}

// sameS is how near two offsets are one choice.
const sameS = 0.05

// Choices lists what speaks for which offset of a recording, as it was recorded, against the
// master, which is on the run's clock: its shape, another that fits as well, whole hours left out of
// what is read now, and what was noted. The fit says why its shape does not tell.
func Choices(master, other *trace.Recording, nowS float64) (list []Choice, fit Clock) {
	add := func(c Choice) {
		if !slices.ContainsFunc(list, func(o Choice) bool { return math.Abs(o.OffsetS-c.OffsetS) < sameS }) {
			list = append(list, c)
		}
	}
	fit = Fit(master, other.Without(trace.Outlying(other.T)).OnRunClock(), other.ClockOffsetS)
	switch fit.By {
	case ByShape:
		add(Choice{WhyShape, fit.OffsetS, fit.DriftPPM, fit.LowS, fit.HighS})
	case ByPower:
		add(Choice{WhyPower, fit.OffsetS, 0, fit.LowS, fit.HighS})
	}
	if fit.RivalS != nil {
		add(Choice{Why: WhyRival, OffsetS: *fit.RivalS})
	}
	if hours, rest := WholeHours(nowS); hours != 0 {
		add(Choice{Why: WhyHours, OffsetS: rest})
	}
	add(Choice{Why: WhyNoted, OffsetS: other.ClockOffsetS, DriftPPM: other.ClockDriftPPM})
	return list, fit
}

// surelyAlike is the correlation from which two recordings that fit are taken for one session's
// (common practice, no source).
const surelyAlike = 0.95

// OneSession tells whether two recordings, as they were recorded, must be of one session by their
// shapes, wherever their clocks stand. Not telling it is no proof that they are not.
func OneSession(a, b *trace.Recording) bool {
	c := Fit(a.Without(trace.Outlying(a.T)).OnRunClock(), b.Without(trace.Outlying(b.T)).OnRunClock(), 0)
	return c.By == ByShape && c.RivalS == nil && c.Alike > surelyAlike
}
