package csvlog

import (
	"bytes"
	"math"
	"slices"
	"strings"

	"zincroad/core/trace"
)

// mostLong is how many columns a table with one value a row may have.
const mostLong = 12

// longIn tells whether a header is that of a table with one value a row: a time, a name, a value
// and perhaps a unit. Nil where it is not.
func longIn(headers []string) *Long {
	if len(headers) < 3 || len(headers) > mostLong {
		return nil
	}
	texts := make([]string, len(headers))
	for i, h := range headers {
		if len(h) > longestHeader || isNumber(h) {
			return nil // a row of readings
		}
		texts[i] = plain(bareOf(strings.Trim(strings.TrimSpace(strings.TrimPrefix(h, "\ufeff")), `"`)))
	}
	find := func(english string) int {
		words := saying(english).words
		return slices.IndexFunc(texts, func(text string) bool { return slices.Contains(words, text) })
	}
	l := &Long{Name: find("name"), Value: find("value"), Unit: find("unit"), Width: len(headers)}
	l.Time = slices.IndexFunc(headers, func(h string) bool {
		c := channelOf(strings.Trim(strings.TrimSpace(strings.TrimPrefix(h, "\ufeff")), `"`))
		return c == TimeColumn || c == DateColumn
	})
	if l.Time < 0 || l.Name < 0 || l.Value < 0 || l.Name == l.Value || l.Time == l.Value {
		return nil
	}
	return l
}

// nameLong makes the columns of a table with one value a row, of the names that its sample holds,
// and gives the sample as rows with a column for each.
func (l *Layout) nameLong(rows [][]string) [][]string {
	timeHeader := "time"
	if len(l.Columns) > l.Long.Time {
		timeHeader = l.Columns[l.Long.Time].Header
	}
	headers, unit := []string{timeHeader}, map[string]string{}
	at := map[string]int{}
	for _, row := range rows {
		if len(row) < l.Long.Width {
			continue
		}
		name := strings.TrimSpace(row[l.Long.Name])
		if _, seen := at[name]; name == "" || seen || len(headers) >= mostColumns {
			continue
		}
		at[name] = len(headers)
		headers = append(headers, name)
		if l.Long.Unit >= 0 {
			unit[name] = strings.TrimSpace(row[l.Long.Unit])
		}
	}
	l.Columns = nameColumns(headers)
	l.Columns[0].Channel = TimeColumn
	for i := range l.Columns[1:] {
		c := &l.Columns[i+1]
		if c.Channel == TimeColumn || c.Channel == DateColumn {
			c.Channel = ""
		}
		if unit[c.Header] != "" {
			c.Unit = ""
			c.unitBelow(unit[c.Header])
		}
	}
	var out [][]string
	for _, row := range rows {
		if len(row) < l.Long.Width {
			continue
		}
		wide := make([]string, len(headers))
		wide[0] = row[l.Long.Time]
		if k := at[strings.TrimSpace(row[l.Long.Name])]; k > 0 {
			wide[k] = row[l.Long.Value]
		}
		if n := len(out); n > 0 && out[n-1][0] == wide[0] {
			for k, v := range wide[1:] {
				if v != "" {
					out[n-1][k+1] = v
				}
			}
			continue
		}
		out = append(out, wide)
	}
	return out
}

// longRow takes one value. Values of one time are one reading.
func (p *reader) longRow(fields [][]byte, line int) {
	l := p.layout.Long
	if len(fields) < l.Width {
		if !blank(fields) {
			p.fault(line, "%d fields, expected %d", len(fields), l.Width)
		}
		return
	}
	if p.names == nil {
		p.names = map[string]int{}
		for i := range p.cells {
			if k := &p.cells[i]; k.channel != "" {
				p.names[k.header] = i
			}
		}
	}
	column, wanted := p.names[string(bytes.TrimSpace(fields[l.Name]))]
	if !wanted {
		return
	}
	k := &p.cells[column]
	v, ok := parseNumber(fields[l.Value], k.comma)
	at, timed := p.times.parse(fields[l.Time], nil)
	switch {
	case !timed:
		p.fault(line, "%s: %q is no time, expected %s", p.cells[0].header, clip(fields[l.Time]), p.layout.Time)
		return
	case !ok:
		p.fault(line, "%s: %q is no number", k.header, clip(fields[l.Value]))
		return
	case math.IsNaN(v):
		return
	}
	if v = (v + k.shift) * k.factor; v < k.min || v > k.max {
		in, _ := trace.Describe(k.channel)
		p.fault(line, "%s: %s, expected %g to %g %s", k.header, clip(fields[l.Value]), k.min, k.max, in.Unit)
		return
	}
	if p.more && p.moreRow == string(fields[l.Time]) && math.IsNaN(k.out[p.n-1]) {
		k.out[p.n-1] = v
		return
	}
	p.room()
	for i := range p.cells {
		if c := &p.cells[i]; c.channel != "" {
			c.out[p.n] = math.NaN()
		}
	}
	k.out[p.n], p.at[p.n] = v, at
	p.more, p.moreRow = true, string(fields[l.Time])
	p.took(line)
}
