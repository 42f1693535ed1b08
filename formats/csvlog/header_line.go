package csvlog

import (
	"math"
	"slices"
	"strings"

	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
)

// findHeader looks for the row and the delimiter under which most columns can be
// named, and fills in the columns.
func (l *Layout) findHeader(lines []string) bool {
	best := 0
	for n, line := range lines[:min(len(lines), headerSearch)] {
		for _, delimiter := range delimiters {
			fields := fieldsOf(line, delimiter)
			if len(fields) > mostColumns || delimiter == " " && !spaced(fields, lines[n+1:]) {
				continue
			}
			columns := nameColumns(fields)
			c := Layout{Columns: columns}
			usable := c.named() || delimiter == "," && canonical(columns)
			score := named(columns)
			long := longIn(fields)
			if long != nil && !usable {
				usable, score = true, 3
			} else {
				long = nil
			}
			if n > 0 && unitsOnly(fields) { // what they are the units of stands above
				if joined := withUnits(fieldsOf(lines[n-1], delimiter), fields); joined != nil {
					columns = nameColumns(joined)
					c.Columns = columns
					usable, score = c.named(), named(columns)
				}
			} else if !usable && n > 0 { // names of one row and further names of the next
				if joined := joinedHeaders(fieldsOf(lines[n-1], delimiter), fields); joined != nil {
					columns = nameColumns(joined)
					c.Columns = columns
					usable, score = c.named(), named(columns)
				}
			}
			if usable && score > best {
				best = score
				l.Delimiter, l.HeaderLine, l.Columns, l.Long = delimiter, n+1, columns, long
			}
		}
	}
	if best == 0 {
		return false
	}
	l.Canonical = l.Delimiter == "," && l.Long == nil && canonical(l.Columns)
	return true
}

// spaced tells whether columns are apart by spaces: what follows the header has as many fields, and
// all of them are numbers or times.
func spaced(header, below []string) bool {
	i := slices.IndexFunc(below, func(s string) bool { return strings.TrimSpace(s) != "" })
	if i < 0 || len(header) < 2 {
		return false
	}
	fields := strings.Fields(below[i])
	return len(fields) == len(header) && !slices.ContainsFunc(fields, func(f string) bool {
		_, clock := words.ParseClock(f, false)
		return !isNumber(f) && !clock
	})
}

// mostColumns is how many columns a table may have: no log comes near.
const mostColumns = 2000

// joinedHeaders puts a row of groups ("Car", "", "Stall", "") before a row of names; a group
// holds until the next one. Nil where the upper row is no such thing.
func joinedHeaders(groups, names []string) []string {
	if len(groups) < 2 || len(groups) > len(names) || slices.ContainsFunc(groups, isNumber) {
		return nil
	}
	out := make([]string, len(names))
	group := ""
	for i, n := range names {
		if i < len(groups) && strings.TrimSpace(groups[i]) != "" {
			group = strings.TrimSpace(groups[i])
		}
		out[i] = strings.TrimSpace(group + " " + n)
	}
	return out
}

// unitsOnly tells whether a row says nothing but in which units its columns are.
func unitsOnly(fields []string) bool {
	n := 0
	for _, f := range fields {
		f = strings.Trim(strings.TrimSpace(f), "[]()")
		if f == "" {
			continue
		}
		_, known := units.Written(f)
		if !known && timeUnits[strings.ToLower(f)] == "" {
			return false
		}
		n++
	}
	return n > 1
}

// withUnits puts a row of units behind a row of names. Nil where the upper row is no such thing.
func withUnits(names, in []string) []string {
	filled := 0
	for _, n := range names {
		if isNumber(n) && strings.TrimSpace(n) != "" {
			return nil
		}
		if strings.TrimSpace(n) != "" {
			filled++
		}
	}
	if filled < 2 || len(names) > len(in) {
		return nil
	}
	out := make([]string, len(in))
	for i, u := range in {
		name := ""
		if i < len(names) {
			name = strings.TrimSpace(names[i])
		}
		if u = strings.Trim(strings.TrimSpace(u), "[]()"); u != "" {
			name = strings.TrimSpace(name + " (" + u + ")")
		}
		out[i] = name
	}
	return out
}

func isNumber(cell string) bool {
	v, ok := parseNumber([]byte(cell), false)
	return ok && !math.IsNaN(v)
}

// furtherHeaders takes what stands between the header and the readings: a row of units, or of
// further names, or both.
func (l *Layout) furtherHeaders(lines []string) {
	above := l.HeaderLine - 2
	if above >= 0 && !l.Canonical && l.Long == nil {
		l.group(fieldsOf(lines[above], l.Delimiter))
	}
	for n := l.HeaderLine; n < min(len(lines), l.HeaderLine+2) && l.Long == nil; n++ {
		fields := fieldsOf(lines[n], l.Delimiter)
		units := 0
		for i, f := range fields {
			f = strings.TrimSpace(strings.Trim(strings.TrimSpace(f), "[]()"))
			if isNumber(f) || i >= len(l.Columns) {
				return
			}
			c := &l.Columns[i]
			if c.unitBelow(f) {
				units++
			} else if c.Channel == TimeColumn && timeUnits[strings.ToLower(f)] != "" {
				c.Header += " (" + f + ")"
				units++
			}
		}
		if units < 2 && !(units == 1 && len(fields) <= 3) {
			return
		}
		l.DataLine = n + 2
		l.Canonical = false
	}
}

// group says of columns whose name says nothing of it whose they are, by a row above the header.
func (l *Layout) group(above []string) {
	if slices.ContainsFunc(above, isNumber) || len(above) < 2 {
		return
	}
	side := trace.Side("")
	for i := range l.Columns {
		if i < len(above) && strings.TrimSpace(above[i]) != "" {
			side = sideOf(above[i])
		}
		if _, ok := trace.Describe(l.Columns[i].Channel); (ok || l.Columns[i].twin) && l.Columns[i].Side == "" {
			l.Columns[i].Side = side
		}
	}
	l.decideSides()
}
