package runs

import (
	"encoding/json"
	"fmt"
	"html/template"
	"math"

	"zincroad/core/trace"
	"zincroad/logbook"
	"zincroad/web/chart"
	"zincroad/web/ui"
)

// runChart draws a run's curve and puts the readings for the cursor into JSON, so
// that strip and curve share one.
func runChart(sub *chart.Subject, q chart.Query, row *logbook.Run) (chart.View, template.JS) {
	v := chart.Of([]chart.Subject{*sub}, q, nil, fmt.Sprintf("Run %d", row.ID))
	v.SVGHref = ui.RunPath(row.ID, "/curve.svg") + q.With("", "", nil)
	red := sub.Results.Curves[sub.Reading.Side]
	t := trace.Floats{}
	for i, x := range red.T {
		unplugged := red.Columns[trace.Power] != nil && math.IsNaN(red.Columns[trace.Power][i])
		if x-sub.Reading.ZeroS >= -120 && !unplugged {
			t = append(t, x-sub.Reading.ZeroS)
		}
	}
	type column struct {
		Name     string       `json:"name"`
		Unit     string       `json:"unit"`
		Decimals int          `json:"decimals"`
		V        trace.Floats `json:"v"`
	}
	data := struct {
		T       trace.Floats `json:"t"`
		KW      trace.Floats `json:"kw"`
		X       trace.Floats `json:"x"`
		Y       trace.Floats `json:"y"`
		Columns []column     `json:"columns"`
	}{T: t, KW: sub.Values(trace.Power, t), X: sub.Against(v.Axis, t),
		Y: ui.Converted(sub.Values(v.Channel.Channel, t), chart.ChannelOf(v.Channel.Key).Unit, q.In)}
	for _, key := range []string{"soc", "power", "volts", "amps", "c-rate", "coldest", "warmest", "battery", "energy"} {
		for _, c := range chart.Channels {
			if c.Key != key {
				continue
			}
			if col := sub.Values(c.Channel, t); col != nil {
				data.Columns = append(data.Columns, column{c.Name, q.In.Name(c.Unit), c.Decimals, ui.Converted(col, c.Unit, q.In)})
			}
		}
	}
	b, err := json.Marshal(data)
	if err != nil {
		return v, "{}"
	}
	return v, template.JS(b) //nolint:gosec // made by encoding/json, which escapes < and >
}
