package intake

import (
	"regexp"
	"strings"
	"time"
)

// stamped is a date and a time in the name of a file, as loggers write them: 20260314_142211, 2026-03-14T14-22.
var stamped = regexp.MustCompile(`(?:^|\D)(20\d\d)[-_.]?(\d\d)[-_.]?(\d\d)` +
	`[-_. T]+(\d\d)[-_.:h]?(\d\d)(?:[-_.:m]?(\d\d))?(?:\D|$)`)

// startIn gives the date and time in the name of a file, in a zone, nil for UTC: of a log without a date of its own,
// that is when it begins. The zero time where the name holds none.
func startIn(name string, zone *time.Location) time.Time {
	m := stamped.FindStringSubmatch(name)
	if m == nil {
		return time.Time{}
	}
	if zone == nil {
		zone = time.UTC
	}
	if m[6] == "" {
		m[6] = "00"
	}
	at, err := time.ParseInLocation("20060102150405", strings.Join(m[1:], ""), zone)
	if err != nil { // 20269999_1200 is a number
		return time.Time{}
	}
	return at.UTC()
}
