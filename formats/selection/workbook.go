package selection

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"math"
	"strconv"
	"strings"
	"time"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/runfolder"
	"zincroad/formats/sheet"
)

// The pages of a workbook. Only the readings' page is read back: the others are for people.
const (
	readingsPage    = "Readings"
	postsPage       = "Posts"
	definitionsPage = "Definitions"
)

// mostRows is how many rows a page of a workbook has (ECMA-376).
const mostRows = 1 << 20

func writeWorkbook(w io.Writer, folders *zip.Reader, list []folder) error {
	runs := sheet.Page{Name: "Runs", Rows: [][]any{{"run", "title", "car", "software", "site", "stall", "day",
		"outside, °C", "battery at start, °C", "from, %", "to, %", "window", "minutes", "peak, kW", "average, kW",
		"delivered, kWh", "into the pack, kWh", "side", "counted from", "verdict", "sure"}}}
	posts := sheet.Page{Name: postsPage,
		Rows: [][]any{{"run", "post, %", "reached, s", "kW there", "side", "counted from"}}}
	notes := sheet.Page{Name: "Notes", Rows: [][]any{{"run", "at, s", "kind", "note"}}}
	for _, f := range list {
		dir, err := fs.Sub(folders, f.dir)
		if err != nil {
			return fmt.Errorf("reading %s: %w", f.name, err)
		}
		opened, err := runfolder.Open(dir, f.name)
		if err != nil {
			return fmt.Errorf("reading %s: %w", f.name, err)
		}
		row, reached := summary(f.name, opened.Run)
		runs.Rows, posts.Rows = append(runs.Rows, row), append(posts.Rows, reached...)
		for _, m := range opened.Run.Marks {
			notes.Rows = append(notes.Rows, []any{f.name, m.TS, string(m.Kind), m.Note})
		}
	}
	header := headerOf(list)
	readings := sheet.Page{Name: readingsPage, Rows: [][]any{cells(header)}}
	numbers, err := numeric(list, header)
	if err == nil {
		err = each(list, header, func(row []string) error {
			if len(readings.Rows) == mostRows {
				return fmt.Errorf("more than %d readings: %w", mostRows, ErrTooLarge)
			}
			line := cells(row)
			exact := map[string]string{}
			for i, cell := range row {
				switch {
				case cell == "":
					line[i] = nil
				case numbers[i]:
					line[i], _ = strconv.ParseFloat(cell, 64)
					if digits(cell) > mostDigits {
						exact[header[i]] = cell
					}
				}
			}
			if len(exact) > 0 {
				text, err := json.Marshal(exact)
				if err != nil {
					return err
				}
				line[len(line)-1] = string(text)
			}
			readings.Rows = append(readings.Rows, line)
			return nil
		})
	}
	if err != nil {
		return err
	}
	return sheet.Write(w, []sheet.Page{runs, posts, notes, definitions(header), readings})
}

// mostDigits is how many digits of a number a workbook keeps; longer ones stand as text in the row's about as well, so
// that they come back whole.
const mostDigits = 15

// digits counts those of a number that matter.
func digits(number string) int {
	mantissa, _, _ := strings.Cut(strings.ToLower(number), "e")
	return len(strings.TrimLeft(strings.NewReplacer("-", "", "+", "", ".", "").Replace(mantissa), "0"))
}

func cells(row []string) []any {
	out := make([]any, len(row))
	for i, cell := range row {
		out[i] = cell
	}
	return out
}

// summary is a run's line and its posts, from its own clock and on the side that its headline is of.
func summary(name string, r *run.Run) (row []any, posts [][]any) {
	x := curve.Read(r, curve.Options{})
	car, software, site, stall, day := "", "", "", "", ""
	if r.Car != nil {
		car, software = r.Car.Name, r.Car.Software
	}
	if r.Stall != nil {
		site, stall = r.Stall.Site, r.Stall.Name
	}
	if !r.StartedAt.IsZero() {
		day = r.Began().Format(time.DateOnly)
	}
	c := r.Conditions
	if c == nil {
		c = &run.Condition{}
	}
	battery, window := (*float64)(c.BatteryC), ""
	var from, to, minutes, peak, average *float64
	if x.Battery != nil && x.Battery.StartC != nil {
		battery = x.Battery.StartC
	}
	if x.SoC != nil {
		from, to = &x.SoC.FromPct, &x.SoC.ToPct
	}
	if w, ok := x.Headline(r.Method); ok {
		window = words.Window(w.FromPct, w.ToPct)
		m := w.TS / 60
		minutes, average = &m, w.AverageKW
	}
	if x.Peak != nil {
		peak = &x.Peak.KW
	}
	verdict, sure := "", ""
	if len(x.Findings) > 0 {
		verdict, sure = x.Findings[0].Text.Kept(), string(x.Findings[0].Confidence)
	}
	for _, p := range x.Posts {
		if math.Mod(p.SoCPct, 10) == 0 {
			posts = append(posts, []any{name, p.SoCPct, p.TS, p.PowerKW, string(x.Side), string(x.Clock)})
		}
	}
	return []any{name, r.Title, car, software, site, stall, day, c.AmbientC, battery, from, to, window, minutes, peak,
		average, x.Energy.StallKWh, x.Energy.CarKWh, string(x.Side), string(x.Clock), verdict, sure}, posts
}

// definitions say what the columns of the readings are, and how each figure is worked out.
func definitions(header []string) sheet.Page {
	page := sheet.Page{Name: definitionsPage, Rows: [][]any{{"name", "unit", "what it is", "how it is worked out"},
		{"t_s", "s", "time on the recording's own clock", ""},
		{aboutColumn, "", "a run's description as JSON, by which this workbook is read back", ""}}}
	for _, in := range trace.Channels {
		for _, name := range header {
			if name == string(in.Channel) {
				page.Rows = append(page.Rows, []any{name, in.Unit, in.Name, ""})
			}
		}
	}
	for _, f := range curve.Figures.Texts() {
		page.Rows = append(page.Rows, []any{f.Name, f.Unit, f.Definition, f.Formula})
	}
	return page
}
