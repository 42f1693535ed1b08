package report

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"time"

	"zincroad/core/words"
)

// csvOf is the windows of runs as a table: what a reader would put beside their own.
func csvOf(subjects []Subject) string {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	rows := [][]string{{"run", "car", "software", "stall", "day", "clock", "side", "from_pct", "to_pct",
		"minutes", "energy_kwh", "average_kw"}}
	figure := func(v *float64, decimals int) string {
		if v == nil {
			return ""
		}
		return words.Fixed(*v, decimals)
	}
	for _, s := range subjects {
		head := []string{s.Run.Title, "", "", "", "", string(s.Reading.Clock), string(s.Reading.Side)}
		if c := s.Run.Car; c != nil {
			head[1], head[2] = c.Name, c.Software
		}
		if st := s.Run.Stall; st != nil {
			head[3] = strings.TrimSpace(st.Site + " " + st.Name)
		}
		if at := s.Run.Began(); !at.IsZero() {
			head[4] = at.Format(time.DateOnly)
		}
		for _, x := range s.Reading.Windows {
			minutes := x.TS / 60
			rows = append(rows, append(append([]string{}, head...), words.Fixed(x.FromPct, 0), words.Fixed(x.ToPct, 0),
				figure(&minutes, 2), figure(x.EnergyKWh, 2), figure(x.AverageKW, 1)))
		}
	}
	_ = w.WriteAll(rows) // into memory: it cannot fail
	return b.String()
}

// MarkdownOf is a table of CSV as Markdown has it.
func MarkdownOf(table string) (string, error) {
	rows, err := csv.NewReader(strings.NewReader(table)).ReadAll()
	if err != nil {
		return "", fmt.Errorf("reading a report's table: %w", err)
	}
	var b strings.Builder
	for i, row := range rows {
		for _, cell := range row {
			b.WriteString("| " + markdownCell.Replace(cell) + " ")
		}
		b.WriteString("|\n")
		if i == 0 {
			b.WriteString(strings.Repeat("| --- ", len(row)) + "|\n")
		}
	}
	return b.String(), nil
}

// markdownCell keeps what a title says from being taken for the table's own marks.
var markdownCell = strings.NewReplacer("|", `\|`, "\n", " ", "\r", " ", `\`, `\\`, "*", `\*`, "_", `\_`, "`", "\\`",
	"<", "&lt;", "[", `\[`)
