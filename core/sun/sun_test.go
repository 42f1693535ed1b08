package sun

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// Rise and set as almanacs print them (HM Nautical Almanac Office, from memory; to the minute). Three minutes on
// either side of them it is day and night.
func TestRisesAndSetsByTheAlmanac(t *testing.T) {
	for _, c := range []struct {
		place               string
		latitude, longitude float64
		rises, sets         time.Time
	}{
		{"Greenwich, midsummer", 51.48, 0, at(2024, 6, 20, 3, 43), at(2024, 6, 20, 20, 21)},
		{"Greenwich, midwinter", 51.48, 0, at(2024, 12, 21, 8, 4), at(2024, 12, 21, 15, 53)},
		{"the equator on the day of equal night", 0, 0, at(2024, 3, 20, 6, 4), at(2024, 3, 20, 18, 11)},
	} {
		for _, d := range []time.Duration{3 * time.Minute, time.Hour} {
			assert.False(t, IsUp(c.rises.Add(-d), c.latitude, c.longitude), "%s before it rises", c.place)
			assert.True(t, IsUp(c.rises.Add(d), c.latitude, c.longitude), "%s after it rises", c.place)
			assert.True(t, IsUp(c.sets.Add(-d), c.latitude, c.longitude), "%s before it sets", c.place)
			assert.False(t, IsUp(c.sets.Add(d), c.latitude, c.longitude), "%s after it sets", c.place)
		}
	}
}

// Far in the north the sun of midsummer does not set, nor does that of midwinter rise.
func TestMidnightSun(t *testing.T) {
	for hour := range 24 {
		assert.True(t, IsUp(at(2024, 6, 21, hour, 0), 70, 25), "%d o'clock in June", hour)
		assert.False(t, IsUp(at(2024, 12, 21, hour, 0), 70, 25), "%d o'clock in December", hour)
	}
}

// At noon of the longest day it stands at 90 less the latitude plus the tilt of the axis.
func TestHeightAtNoon(t *testing.T) {
	assert.InDelta(t, 90-51.48+23.44, HeightDeg(at(2024, 6, 20, 12, 2), 51.48, 0), 0.1)
}

func at(y int, m time.Month, d, h, min int) time.Time {
	return time.Date(y, m, d, h, min, 0, 0, time.UTC)
}
