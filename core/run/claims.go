package run

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// claimLine is a claim as people write it down: "10-80 in 24 min, from 25 °C: brochure", "10-80 in 39 min, on 150 kW
// and more" or "peak 195 kW". What stands behind a colon is where it is from.
var claimLine = regexp.MustCompile(
	`(?i)^\s*(?:peak\s+([\d.,]+)(?:\s*kw)?|([\d.,]+)\s*[-–]\s*([\d.,]+)\s*%?\s+(?:in\s+)?([\d.,]+)(?:\s*min)?)` +
		`(?:,?\s+from\s+([\d.,]+)(?:\s*°?([cf]))?)?` +
		`(?:,?\s+(?:on|at)\s+([\d.,]+)\s*kw(?:\s+(?:and|or)\s+more)?)?\s*(?::\s*(.*))?$`,
)

// ParseClaims reads claims, one a line; empty lines are none. The error names the line and what was
// expected.
func ParseClaims(text string) ([]Claim, error) {
	var out []Claim
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r", ""), "\n") {
		if strings.TrimSpace(line) == "" {
			continue
		}
		m := claimLine.FindStringSubmatch(line)
		if m == nil {
			return nil, fmt.Errorf(
				"line %d: expected a claim such as 10-80 in 24 min, from 25 °C: brochure; or peak 195 kW",
				i+1,
			)
		}
		number := func(s string) Number {
			v, err := strconv.ParseFloat(strings.ReplaceAll(s, ",", "."), 64)
			if err != nil {
				return nil
			}
			return &v
		}
		c := Claim{Kind: "window", FromPct: number(m[2]), ToPct: number(m[3]), Minutes: number(m[4]), BatteryC: number(m[5]),
			StallKW: number(m[7]), Note: strings.TrimSpace(m[8])}
		if strings.EqualFold(m[6], "f") && c.BatteryC != nil {
			*c.BatteryC = (*c.BatteryC - 32) / 1.8
		}
		if m[1] != "" {
			c.Kind, c.KW = "peak", number(m[1])
		}
		switch {
		case c.Kind == "window" && (c.FromPct == nil || c.ToPct == nil || *c.ToPct <= *c.FromPct || *c.ToPct > 100):
			return nil, fmt.Errorf("line %d: expected a window that climbs, up to 100 %%", i+1)
		case c.Kind == "window" && (c.Minutes == nil || *c.Minutes <= 0), c.Kind == "peak" && (c.KW == nil || *c.KW <= 0):
			return nil, fmt.Errorf("line %d: expected a number above 0", i+1)
		}
		out = append(out, c)
	}
	return out, nil
}

// String writes a claim as ParseClaims reads it.
func (c Claim) String() string {
	plain := func(n Number) string {
		if n == nil {
			return ""
		}
		return strconv.FormatFloat(*n, 'f', -1, 64)
	}
	s := "peak " + plain(c.KW) + " kW"
	if c.Kind == "window" {
		s = plain(c.FromPct) + "-" + plain(c.ToPct) + " in " + plain(c.Minutes) + " min"
	}
	if c.BatteryC != nil {
		s += ", from " + plain(c.BatteryC) + " °C"
	}
	if c.StallKW != nil {
		s += ", on " + plain(c.StallKW) + " kW and more"
	}
	if c.Note != "" {
		s += ": " + c.Note
	}
	return s
}

// Same tells whether two claims claim the same.
func (c Claim) Same(d Claim) bool {
	c.Note, d.Note = "", ""
	return c.String() == d.String()
}
