package desk

import (
	"encoding/json"
	"math"
	"net/url"
	"path/filepath"
	"strconv"
	"strings"

	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/web/ui"
)

type choiceValue struct{ Value, Label string }

type columnView struct {
	Index    int
	Column   csvlog.Column
	Units    []string
	Examples []string
}

// channelMenu offers every channel.
func (arrivalView) ChannelMenu() []choiceValue {
	out := []choiceValue{{"", "left out"}, {string(csvlog.TimeColumn), "time"}}
	for _, in := range trace.Channels {
		out = append(out, choiceValue{string(in.Channel), in.Name})
	}
	return out
}

// take fills the view from what was read.
func (v *arrivalView) take(b *intake.Bundle, form url.Values) {
	v.Bundle, v.Kind = b, string(b.Kind)
	v.Faults, v.More = b.Faults[:min(len(b.Faults), 12)], b.LeftOut-min(len(b.Faults), 12)
	rec := b.Run.Recordings[0]
	if form == nil {
		v.Values.Set("side", string(rec.Side))
		if b.Notes != nil {
			v.Values.Set("typed_times", string(b.Notes.Times))
		}
		v.Values.Set("title", strings.TrimSuffix(v.Arrival.Name, filepath.Ext(v.Arrival.Name)))
		if b.Kind == intake.TypedKind {
			v.Values.Set("title", "")
		}
		started := b.Run.StartedAt
		if !started.IsZero() {
			v.Values.Set("started_at", started.UTC().Format(ui.InputTime+":05"))
		}
		v.Values.Set("from_pct", "10")
		v.Values.Set("to_pct", "80")
	}
	v.show(b.Layout, rec)
	for _, more := range b.Run.Recordings[1:] {
		v.Quick = append(v.Quick, say.T("desk.and-the", more.Side, say.List(quick(more)...)))
	}
}

// layoutOf reads the changed guesses of a table, on top of what was understood before; both nil
// keep the guess. Where other columns are named than before, what they hold is guessed anew.
func (v *arrivalView) layoutOf(form url.Values) (*csvlog.Layout, *intake.Named) {
	var l csvlog.Layout
	if json.Unmarshal([]byte(form.Get("layout")), &l) != nil || len(l.Columns) == 0 {
		return nil, nil
	}
	header, err := strconv.Atoi(form.Get("header_line"))
	if err != nil || header < 1 {
		v.Fault("header_line", "Expected the number of the line that names the columns.")
		header = l.HeaderLine
	}
	if d := form.Get("delimiter"); len(d) == 1 && d != l.Delimiter || header != l.HeaderLine {
		return nil, &intake.Named{Line: header, Delimiter: form.Get("delimiter"), Sheet: l.Sheet}
	}
	if comma := form.Get("decimal") == "comma"; comma != l.DecimalComma {
		l.DecimalComma = comma
		for i := range l.Columns {
			l.Columns[i].Decimal = ""
		}
	}
	l.Time = csvlog.TimeFormat(form.Get("time"))
	if order := form.Get("date_order"); order != "" {
		l.DateOrder, l.DateUnsure = order, false
	}
	for i := range l.Columns {
		p, c := "c"+strconv.Itoa(i)+"_", &l.Columns[i]
		if !form.Has(p + "channel") {
			continue
		}
		if was := c.Channel; was != trace.Channel(form.Get(p+"channel")) {
			l.Canonical = false
		}
		c.Channel, c.Negate = trace.Channel(form.Get(p+"channel")), form.Get(p+"sign") == "turned"
		if form.Has(p + "unit") {
			c.Unit = form.Get(p + "unit")
		}
		if form.Has(p + "side") {
			c.Side = trace.Side(form.Get(p + "side"))
		}
		if in, ok := trace.Describe(c.Channel); ok {
			// Read as another channel, the old one's unit means nothing.
			if _, known := units.Find(in.Units, c.Unit); !known {
				c.Unit = in.Units[0].Name
			}
		}
	}
	return &l, nil
}

// LayoutText is the layout as the form carries it on.
func (v *arrivalView) LayoutText() (string, error) {
	text, err := json.Marshal(v.Bundle.Layout)
	return string(text), err
}

// show lays out columns and the first rows.
func (v *arrivalView) show(l *csvlog.Layout, rec *trace.Recording) {
	if l != nil {
		for _, t := range csvlog.TimeFormats {
			v.Times = append(v.Times, choiceValue{string(t.Format), t.Example})
		}
		for i, c := range l.Columns {
			cv := columnView{Index: i, Column: c}
			if in, ok := trace.Describe(c.Channel); ok {
				for _, u := range in.Units {
					cv.Units = append(cv.Units, u.Name)
				}
			}
			v.Columns = append(v.Columns, cv)
		}
		v.Bundle = orBundle(v.Bundle, l)
	}
	if rec == nil {
		return
	}
	v.Heads = []string{"time"}
	var cols [][]float64
	var decimals []int
	for _, in := range trace.Channels {
		if col := rec.Columns[in.Channel]; col != nil {
			v.Heads = append(v.Heads, strings.TrimSpace(in.Short+" "+in.Unit))
			cols = append(cols, col)
			decimals = append(decimals, 2)
		}
	}
	for i := range min(rec.Len(), 6) {
		row := []string{words.Clock(rec.T[i])}
		for k, col := range cols {
			if math.IsNaN(col[i]) {
				row = append(row, "")
			} else {
				row = append(row, words.Figure(col[i], decimals[k]))
			}
		}
		v.Sample = append(v.Sample, row)
	}
	v.Quick = quick(rec)
}

func orBundle(b *intake.Bundle, l *csvlog.Layout) *intake.Bundle {
	if b == nil {
		return &intake.Bundle{Layout: l, Kind: intake.TableKind}
	}
	return b
}

// quick says what the readings hold, so that a wrong guess shows at once.
func quick(rec *trace.Recording) []say.Text {
	on := rec.OnRunClock()
	out := []say.Text{say.T("desk.readings-over", rec.Len(), say.Duration(on.T[len(on.T)-1]-on.T[0]))}
	if s := on.Series(trace.SoC); s.Len() > 0 {
		out = append(out,
			say.T("desk.charge", say.Fig(s.V[0], 1), say.Fig(s.V[s.Max()], 1)))
	}
	if p := on.PowerSeries(); p.Len() > 0 {
		out = append(out, say.T("desk.power", say.Fig(p.V[p.Max()], 0)))
	}
	for _, c := range []trace.Channel{trace.BatteryTempMin, trace.BatteryTemp} {
		if t := on.Series(c); t.Len() > 0 {
			out = append(out, say.T("desk.battery", say.Q(t.V[0], "°C", 0)))
			break
		}
	}
	return out
}
