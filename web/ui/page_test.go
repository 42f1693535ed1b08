package ui

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"zincroad/logbook"
)

// A page at the stall is dark by the reader's clock, and by the sun where the site says where it lies.
func TestNight(t *testing.T) {
	june := func(hour, minute int) time.Time { return time.Date(2026, 6, 21, hour, minute, 0, 0, time.UTC) }
	here := func(north, east float64) *logbook.Site { return &logbook.Site{Latitude: &north, Longitude: &east} }
	for _, c := range []struct {
		at    time.Time
		site  *logbook.Site
		night bool
		why   string
	}{
		{june(12, 0), nil, false, "noon"},
		{june(18, 59), nil, false, "before seven"},
		{june(23, 0), nil, true, "late"},
		{june(6, 59), nil, true, "before seven in the morning"},
		{june(7, 0), nil, false, "seven"},
		{june(23, 0).In(time.FixedZone("far", -11*3600)), nil, false, "noon on the reader's clock"},
		{june(20, 0), &logbook.Site{}, true, "nobody noted where the site lies"},
		{june(20, 0), here(51.48, 0), false, "the sun sets at 20:21 in Greenwich"},
		{june(20, 40), here(51.48, 0), true, "it has set"},
		{june(20, 0).In(time.FixedZone("far", 9*3600)), here(51.48, 0), false, "the sun asks for no zone"},
	} {
		assert.Equal(t, c.night, isNight(c.at, c.site), c.why)
	}
}
