package csvlog

import (
	"math"
	"slices"
	"strings"

	"zincroad/core/trace"
)

// decideUnits decides from the rows what the headers leave open: the decimal sign, the
// format of times, units without a name, and signs.
func (l *Layout) decideUnits(rows [][]string) {
	for i, r := range rows { // missing cells at the end are empty
		rows[i] = append(r, make([]string, max(0, len(l.Columns)-len(r)))...)
	}
	l.decimals(rows)
	l.Time = l.timeFormat(rows)
	numbers := make([][]float64, len(l.Columns))
	for i, c := range l.Columns {
		if _, ok := trace.Describe(c.Channel); !ok {
			continue
		}
		for _, row := range rows {
			v, ok := parseNumber([]byte(row[i]), l.comma(c))
			if !ok {
				v = math.NaN()
			}
			numbers[i] = append(numbers[i], v)
		}
		if c.Unit == "" {
			l.Columns[i].Unit = l.likelyUnit(c.Channel, numbers[i])
		}
	}
	var soc []float64
	if i := l.Find(trace.SoC); i >= 0 {
		soc = numbers[i]
	}
	if l.falls(rows) { // the last comes first: what rises in time falls here
		for _, n := range numbers {
			slices.Reverse(n)
		}
	}
	at := make([]float64, len(rows)) // one row after the other
	for i := range at {
		at[i] = float64(i)
	}
	for i, c := range l.Columns {
		if c.Channel == trace.Current || c.Channel == trace.Power {
			l.Columns[i].Negate = trace.ChargesBelowZero(at, numbers[i], soc)
		}
	}
}

// falls tells whether the times of a table run backwards, row by row.
func (l *Layout) falls(rows [][]string) bool {
	i, d := l.Find(TimeColumn), l.Find(DateColumn)
	if i < 0 {
		return false
	}
	p := times{format: l.Time, order: dateOrder(l.DateOrder), comma: l.comma(l.Columns[i])}
	up, down, last := 0, 0, math.NaN()
	for _, row := range rows[:min(len(rows), 400)] {
		date := ""
		if d >= 0 {
			date = row[d]
		}
		at, ok := p.parse([]byte(row[i]), []byte(date))
		if ok && at > last {
			up++
		}
		if ok && at < last {
			down++
		}
		if ok {
			last = at
		}
	}
	return down > 2*up
}

// decimals finds the decimal mark of each column of numbers; those that do not show theirs go by
// the others. With a comma between the cells, a decimal comma takes quotes.
func (l *Layout) decimals(rows [][]string) {
	marks := make([]string, len(l.Columns))
	commas, points := 0, 0
	for i, c := range l.Columns {
		if c.Channel == "" || c.Channel == DateColumn {
			continue
		}
		cells := make([]string, len(rows))
		for k, row := range rows {
			cells[k] = strings.TrimSpace(row[i])
			if c.Channel == TimeColumn && strings.ContainsAny(cells[k], ":/-T") { // no plain number
				cells[k] = ""
			}
		}
		switch marks[i] = decimalMark(cells); {
		case c.Channel == TimeColumn:
		case marks[i] == commaMark:
			commas++
		case marks[i] == pointMark:
			points++
		}
	}
	l.DecimalComma = commas > points || commas == points && commas > 0 && l.Delimiter == ";"
	if commas == 0 && points == 0 {
		// Nothing but three digits behind each mark: what stands between the cells tells.
		l.DecimalComma = l.Delimiter == ";"
	}
	for i, m := range marks {
		if l.Columns[i].Decimal = ""; m != "" && (m == commaMark) != l.DecimalComma {
			l.Columns[i].Decimal = m
		}
	}
}

// What a temperature in °C does not pass (common practice, no source: cells are switched off at 60 °C, inlets at 100;
// nowhere was it hotter outside than 57 °C, the World Meteorological Organization's record), and what none in °F does
// on a car.
const (
	mostCellC    = 60
	mostInletC   = 100
	mostOutsideC = 57
	mostF        = 212
)

// likelyUnit takes the kept unit, unless the numbers are far too large or small
// for it: watts for kilowatts, a fraction for percent, Wh for kWh, °F for °C. Temperatures whose
// headers name no unit are in that of the others.
func (l *Layout) likelyUnit(c trace.Channel, v []float64) string {
	in, _ := trace.Describe(c)
	top := 0.0
	for _, x := range v {
		if !math.IsNaN(x) {
			top = math.Max(top, math.Abs(x))
		}
	}
	switch {
	case (c == trace.Power || c == trace.RequestedPower || c == trace.HeaterPower) && top > 1500:
		return "W"
	case c == trace.SoC && top > 0 && top <= 1:
		return "fraction"
	case c == trace.Voltage && top > 2000:
		return "mV"
	case c == trace.Energy && top > 1000:
		return "Wh"
	}
	if in.Unit == "°C" {
		for _, o := range l.Columns {
			if isTemperature(o.Unit) && o.Unit != in.Unit {
				return o.Unit
			}
		}
		most, ok := map[trace.Channel]float64{trace.InletTemp: mostInletC, trace.AmbientTemp: mostOutsideC}[c]
		if !ok {
			most = mostCellC
		}
		switch {
		case top > mostF:
			return "K"
		case top > most:
			return "°F"
		}
	}
	return in.Units[0].Name
}
