package intake

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/csvlog"
)

const ownCSV = "t_s,soc_pct,power_kw\n0,10,100\n60,12,110\n"

func zipped(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func TestWhatAFileIsShowsInItsContent(t *testing.T) {
	folder := zipped(t, map[string]string{
		"run.json":  `{"format": "zincroad-run/1", "recordings": [{"file": "car.csv"}, {"file": "stall.csv", "side": "stall"}]}`,
		"car.csv":   ownCSV,
		"stall.csv": "t_s,power_kw\n0,104\n60,114\n",
	})
	for _, c := range []struct {
		name    string
		content []byte
		kind    Kind
		sides   []trace.Side
	}{
		{"misnamed.csv", folder, FolderKind, []trace.Side{trace.CarSide, trace.StallSide}},
		{"log.csv", []byte(ownCSV), TableKind, []trace.Side{trace.CarSide}},
		{"log.txt", []byte(ownCSV), TableKind, []trace.Side{trace.CarSide}},
		{"my charger log.csv", []byte(ownCSV), TableKind, []trace.Side{trace.StallSide}},
		{"STALL.CSV", []byte(ownCSV), TableKind, []trace.Side{trace.StallSide}},
		{"notes", []byte("3:10 12% 118kW\n5:00 15% 110kW\n"), TypedKind, []trace.Side{trace.StallSide}},
		{"car notes", []byte("3:10 12% 118kW\n5:00 15% 110kW\n"), TypedKind, []trace.Side{trace.CarSide}},
	} {
		b, err := Bytes(c.name, c.content, Choices{})
		require.NoError(t, err, c.name)
		assert.Equal(t, c.kind, b.Kind, c.name)
		var sides []trace.Side
		for _, r := range b.Run.Recordings {
			sides = append(sides, r.Side)
		}
		assert.Equal(t, c.sides, sides, c.name)
		require.Len(t, b.Files, len(sides))
		for _, f := range b.Files {
			assert.NotEmpty(t, f.Bytes, "the file's own text is kept to be stored: %s", c.name)
		}
	}
}

func TestChoicesOverrideGuesses(t *testing.T) {
	b, err := Bytes("log.csv", []byte(ownCSV),
		Choices{Side: trace.StallSide, StartedAt: time.Date(2026, 2, 3, 18, 0, 0, 0, time.UTC)})
	require.NoError(t, err)
	assert.Equal(t, trace.StallSide, b.Run.Recordings[0].Side)
	assert.Equal(t, 18, b.Run.StartedAt.Hour())

	foreign := "Time;A;B\n0:30;12,5;118\n"
	l := csvlog.Layout{
		Delimiter:    ";",
		DecimalComma: true,
		HeaderLine:   1,
		Time:         csvlog.Elapsed,
		Encoding:     "utf-8",
		Columns: []csvlog.Column{
			{
				Header:  "Time",
				Channel: csvlog.TimeColumn,
			}, {Header: "A", Channel: trace.SoC, Unit: "%"}, {Header: "B", Channel: trace.Power, Unit: "kW", Negate: true}},
	}
	_, err = Bytes("x.csv", []byte(foreign), Choices{})
	require.Error(t, err, "nothing to guess from")
	b, err = Bytes("x.csv", []byte(foreign), Choices{Layout: &l})
	require.NoError(t, err)
	assert.Equal(t, []float64{30}, b.Run.Recordings[0].T)
	assert.Equal(t, []float64{-118}, b.Run.Recordings[0].Columns[trace.Power])
}

// A date and time without a zone is of the zone that the tester names.
func TestZoneOfDates(t *testing.T) {
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	require.NoError(t, err)
	text := "Date time,SOC,Power kW\n2026-07-03 18:20:00,12,118\n2026-07-03 18:20:30,13,119\n"
	b, err := Bytes("x.csv", []byte(text), Choices{Zone: lisbon})
	require.NoError(t, err)
	assert.Equal(t, time.Date(2026, 7, 3, 17, 20, 0, 0, time.UTC), b.Run.StartedAt, "summer time is an hour ahead")
}

// The hour that summer time takes or gives does not move readings.
func TestClockChangeInTheMiddleOfARun(t *testing.T) {
	text := "time,soc_pct,power_kw\n2026-10-25T01:59:30+01:00,20,100\n2026-10-25T01:00:30+00:00,22,100\n"
	b, err := Bytes("x.csv", []byte(text), Choices{})
	require.NoError(t, err)
	assert.Equal(t, []float64{0, 60}, b.Run.Recordings[0].T)
}

func TestRefusalsAreOneFaultALine(t *testing.T) {
	_, err := Bytes("letter.txt", []byte("Dear workshop,\n"), Choices{})
	f := Refusal("letter.txt", err)
	require.Len(t, f, 1)
	assert.True(t, strings.HasPrefix(f[0].Error(), "letter.txt: is no charging log"), f[0].Error())

	_, err = Bytes("x.csv", []byte("t_s,soc_pct\na,1\nb,2\n"), Choices{})
	f = Refusal("x.csv", err)
	require.Len(t, f, 2, "every row with its line")
	assert.Equal(t, 3, f[1].Line)

	_, err = Bytes("x.zip", zipped(t, map[string]string{"readme.md": "hello"}), Choices{})
	assert.Equal(
		t,
		"x.zip: no run.json inside, and readme.md is no charging log: no row names a column of times and columns for "+
			"state of charge, power, or volts and amps",
		Refusal("x.zip", err)[0].Error(),
	)
	_, err = Path(filepath.Join(t.TempDir(), "gone"), Choices{})
	assert.Contains(t, Refusal("gone", err)[0].Error(), "not found")
}

// Text with more nonsense than readings is no note.
func TestProseWithOneNumberIsNotTyped(t *testing.T) {
	_, err := Bytes("mail.txt", []byte("Hello,\nthe van is done.\n3:10 12% 118kW\nSee you\n"), Choices{})
	require.ErrorIs(t, err, csvlog.ErrNotALog)
}

func TestTypedFaultsAreListed(t *testing.T) {
	b, err := Bytes("notes.txt", []byte("0:00 plug-in\n3:10 12% 118kW\n5:00 118\n6:00 15% 100kW\n"), Choices{})
	require.NoError(t, err)
	require.Len(t, b.Faults, 1)
	assert.Equal(t, 3, b.Faults[0].Line)
	assert.Equal(t, 1, b.LeftOut)
	assert.Equal(t, []run.Mark{{TS: 0, Kind: run.PlugIn}}, b.Run.Marks)
}

func TestPathKeepsNoText(t *testing.T) {
	p := filepath.Join(t.TempDir(), "log.csv")
	require.NoError(t, os.WriteFile(p, []byte(ownCSV), 0o644))
	b, err := Path(p, Choices{})
	require.NoError(t, err)
	assert.Nil(t, b.Files[0].Bytes)
	assert.Equal(t, "log.csv", b.Files[0].Name)
	assert.Equal(t, 2, b.Run.Recordings[0].Len())
}
