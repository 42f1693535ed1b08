package selection_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
	"zincroad/formats/selection"
)

// charged is a run of two sides that do not read the same channels, of numbers that no decimal says shortly, with a
// description that is longer than a cell.
func charged(seed uint64) *run.Run {
	chance := rand.New(rand.NewPCG(seed, 1))
	r := &run.Run{Title: `Quarry, "wet", 7 °C`, Timezone: "Europe/Lisbon",
		StartedAt: time.Date(2026, 3, 1, 23, 30, 0, 0, time.UTC),
		Car:       &run.Car{Name: "Sycamore 70", Software: "1.1", UsableKWh: run.N(70), Chemistry: "NMC"},
		Stall:     &run.Stall{Site: "Weigh House", Name: "2", RatedKW: run.N(150), MaxA: run.N(400)},
		Marks:     []run.Mark{{TS: 0, Kind: run.PlugIn}}}
	for i := range 12 {
		r.Marks = append(r.Marks, run.Mark{TS: float64(100 * i), Kind: run.Note,
			Note: strings.Repeat("fans at full; €5 ", 290)})
	}
	for side, channels := range map[trace.Side][]trace.Channel{
		trace.CarSide:   {trace.SoC, trace.Voltage, trace.Current, trace.BatteryTempMin},
		trace.StallSide: {trace.SoC, trace.Power},
	} {
		rec := &trace.Recording{Name: string(side) + ".csv", Side: side, ClockOffsetS: 1.5,
			Columns: map[trace.Channel][]float64{}}
		for i := range 600 {
			at := float64(i)*3 + chance.Float64()
			rec.T = append(rec.T, at)
			soc, volts := 10+at/30+chance.Float64()/100, 350+at/40
			for c, v := range map[trace.Channel]float64{trace.SoC: soc, trace.Voltage: volts,
				trace.Current: 300 - at/10 + chance.Float64(), trace.Power: (300 - at/10) * volts / 1000,
				trace.BatteryTempMin: 20 + at/200} {
				if chance.Float64() < 0.05 && c != trace.SoC {
					v = math.NaN()
				}
				for _, has := range channels {
					if has == c {
						rec.Columns[c] = append(rec.Columns[c], v)
					}
				}
			}
		}
		r.Recordings = append(r.Recordings, rec)
	}
	return r
}

// folders puts runs into one zip of run folders.
func folders(t *testing.T, runs ...*run.Run) []byte {
	t.Helper()
	var all bytes.Buffer
	z := zip.NewWriter(&all)
	for i, r := range runs {
		var one bytes.Buffer
		require.NoError(t, runfolder.WriteZip(&one, r, nil, nil, runfolder.Recorded(r), time.Unix(1.7e9, 0)))
		in, err := zip.NewReader(bytes.NewReader(one.Bytes()), int64(one.Len()))
		require.NoError(t, err)
		for _, f := range in.File {
			from, err := f.Open()
			require.NoError(t, err)
			to, err := z.Create(fmt.Sprintf("run-%d/%s", i+1, f.Name))
			require.NoError(t, err)
			_, err = io.Copy(to, from)
			require.NoError(t, err)
		}
	}
	require.NoError(t, z.Close())
	return all.Bytes()
}

func opened(t *testing.T, content []byte) *zip.Reader {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	require.NoError(t, err)
	return z
}

// told is all that is known of runs and worked out of them, as JSON: the same to the last digit, or not the same.
func told(t *testing.T, name string, content []byte) string {
	t.Helper()
	list, err := intake.All(name, content, intake.Choices{})
	require.NoError(t, err)
	var out strings.Builder
	for _, b := range list {
		x := curve.Read(b.Run, curve.Options{})
		doc, err := runfolder.Document(b.Run, nil, nil)
		require.NoError(t, err)
		figures, err := json.Marshal(x)
		require.NoError(t, err)
		out.Write(doc)
		out.Write(figures)
		for _, rec := range b.Run.Recordings {
			fmt.Fprintln(&out, rec.Name, rec.T, rec.Columns)
		}
	}
	return out.String()
}

// What goes out comes back in: of several runs at once, whatever kind of file they go out as.
func TestASelectionComesBackAsItWentOut(t *testing.T) {
	sample, err := os.ReadFile(filepath.Join("..", "..", "docs", "samples", "run-folder.zip"))
	require.NoError(t, err)
	for name, content := range map[string][]byte{"two runs": folders(t, charged(1), charged(2)), "a sample": sample} {
		wanted := told(t, "runs.zip", content)
		for kind := range selection.MediaTypes {
			var file bytes.Buffer
			require.NoError(t, selection.Write(&file, kind, opened(t, content)), kind)
			got := told(t, "runs."+string(kind), file.Bytes())
			assert.True(t, wanted == got, "%s as %s is not the same", name, kind)
		}
	}
}

// A workbook is for people too: a line for each run, its posts, its notes, what each column and figure is.
func TestAWorkbookOfRuns(t *testing.T) {
	var file bytes.Buffer
	require.NoError(t, selection.Write(&file, selection.Workbook, opened(t, folders(t, charged(1), charged(2)))))
	f, err := excelize.OpenReader(bytes.NewReader(file.Bytes()))
	require.NoError(t, err)
	defer f.Close()
	assert.Equal(t, []string{"Runs", "Posts", "Notes", "Definitions", "Readings"}, f.GetSheetList())
	cell := func(page, at string) string {
		v, err := f.GetCellValue(page, at)
		require.NoError(t, err)
		return v
	}
	assert.Equal(t, `Quarry, "wet", 7 °C`, cell("Runs", "B2"))
	assert.Equal(t, "2026-03-01", cell("Runs", "G3"), "the day is that of where it was charged")
	assert.Equal(t, "run-2", cell("Runs", "A3"))
	assert.Equal(t, "plug-in", cell("Notes", "C2"))
	rows, err := f.GetRows("Posts")
	require.NoError(t, err)
	assert.Equal(t, "20", rows[1][1], "10 % lies before the first reading")
}

// A table that somebody sorted or took a column out of says what is wrong with it, and a table that only looks alike is
// read as any other table.
func TestWhatIsNoSelection(t *testing.T) {
	head := "run,recording,t_s,soc_pct,power_kw,about\n"
	about := strings.ReplaceAll(`{"format":"zincroad-run/1","recordings":[{"file":"car.csv","side":"car"}]}`, `"`, `""`)
	for text, reason := range map[string]string{
		head + "1,car.csv,0,10,50,\n1,car.csv,5,11,60,\n":                              "that its description does not",
		head + "1,,,,,\"" + about + "\"\n1,lorry.csv,0,10,50,\n1,lorry.csv,5,11,60,\n": `"lorry.csv" that its description does not`,
		`{"format":"zincroad-runs/1","runs":[{"run":"1","about":{},"recordings":[]}]}`: "run.json",
		`{"format":"zincroad-runs/1","runs":[`:                                         "no zincroad-runs/1",
		head:                                                                           "no rows",
	} {
		_, err := intake.All("runs.csv", []byte(text), intake.Choices{})
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), reason)
	}
	table := []byte("run,t_s,soc_pct,power_kw\n1,0,10,50\n1,5,11,60\n1,10,12,60\n")
	list, err := intake.All("a.csv", table, intake.Choices{})
	require.NoError(t, err)
	assert.Equal(t, intake.TableKind, list[0].Kind)
}
