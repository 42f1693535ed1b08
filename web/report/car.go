package report

import (
	"bytes"
	"encoding/csv"
	"fmt"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/vehicle"
	"zincroad/core/words"
	"zincroad/web/draw"
)

// Car is what a car's runs taught, as a report says it.
type Car struct {
	Name    string
	Noted   []run.Point // its own curve as it is noted; empty: it is not
	Model   *vehicle.Model
	HeldOut []vehicle.HeldOut
	Differs []say.Text // what a software version changed
}

// everyPct is how far apart the charges of a car's table are.
const everyPct = 10

// carPoint is a row of a car's table.
type carPoint struct {
	SoCPct, KW, LowKW, HighKW float64
	Kind                      string
	Runs                      int
}

// kinds are what a point rests on, as a reader understands it.
var kinds = map[vehicle.Kind]string{vehicle.Seen: "seen", vehicle.AtLeast: "at least: something else held it",
	vehicle.Assumed: "assumed, by the kind of car"}

// MakeCar works out what a report of a car says. The model must rest on a run.
func MakeCar(c Car) (*Content, error) {
	said := []string{c.Model.SaidOfRests().Kept(), vehicle.SaidOfKnown(c.HeldOut).Kept()}
	if cold := c.Model.SaidOfWarmth(); cold.Any() {
		said = append(said, cold.Kept())
	}
	said = append(said, say.AllKept(c.Differs)...)
	var points []carPoint
	var table bytes.Buffer
	w := csv.NewWriter(&table)
	rows := [][]string{{"car", "soc_pct", "kw", "low_kw", "high_kw", "rests_on", "runs"}}
	for _, p := range c.Model.Envelope {
		if int(p.SoCPct)%everyPct != 0 {
			continue
		}
		x := carPoint{p.SoCPct, p.Value, p.Low, p.High, kinds[p.Kind], p.Runs}
		points = append(points, x)
		rows = append(rows, []string{c.Name, words.Fixed(x.SoCPct, 0), words.Fixed(x.KW, 1), words.Fixed(x.LowKW, 1),
			words.Fixed(x.HighKW, 1), string(p.Kind), fmt.Sprint(x.Runs)})
	}
	_ = w.WriteAll(rows) // into memory: it cannot fail
	picture := (&draw.Learned{Title: c.Name + ": power against charge", Points: c.Model.Envelope, Noted: c.Noted}).SVG()
	out := &Content{Heading: c.Name + ". " + c.Model.SaidOfEnvelope().Kept() + ".", Facts: said, CSV: table.String(),
		Pictures: []string{picture}, Arithmetic: curve.Version, Description: said[0] + " " + said[1]}
	var b bytes.Buffer
	err := pages.ExecuteTemplate(&b, "car", map[string]any{"Picture": out.Pictures[0], "Said": said, "Points": points,
		"HeldOut": c.HeldOut, "NotUsed": c.Model.NotUsed, "Noted": len(c.Noted) > 0, "Arithmetic": curve.Version})
	if err != nil {
		return nil, fmt.Errorf("writing the report: %w", err)
	}
	out.HTML = b.String()
	return out, nil
}
