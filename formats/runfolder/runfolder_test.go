package runfolder

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/internal/fuzzed"
)

const sample = `{
  "format": "zincroad-run/1",
  "title": "Cold soak",
  "workshop_job": 4711,
  "started_at": "2026-02-03T18:20:00Z", "timezone": "Europe/Lisbon",
  "car": {"name": "Tamarack 78", "software": "2.4", "usable_kwh": 75, "paint": "green", "pack_min_v": 280, "pack_max_v": 403},
  "conditions": {"ambient_c": 0, "preconditioned": "none"},
  "recordings": [{"file": "car.csv", "side": "car", "clock_offset_s": -2.5, "logger": "old phone"}],
  "marks": [{"t_s": 0, "kind": "plug-in", "by": "the tester"}]
}
`

func folder(doc string, files map[string]string) fstest.MapFS {
	m := fstest.MapFS{DocumentName: {Data: []byte(doc)}}
	for name, text := range files {
		m[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return m
}

var carCSV = map[string]string{"car.csv": "t_s,soc_pct,power_kw,cabin_mood\n0,10,0,fine\n60,11.50,120,fine\n"}

func TestOpen(t *testing.T) {
	f, err := Open(folder(sample, carCSV), "run")
	require.NoError(t, err)
	r := f.Run
	assert.Equal(t, "Tamarack 78", r.Car.Name)
	assert.Equal(t, 0.0, *r.Conditions.AmbientC, "zero degrees is a temperature")
	assert.Nil(t, r.Car.MaxKW)
	require.Len(t, r.Recordings, 1)
	assert.Equal(t, -2.5, r.Recordings[0].ClockOffsetS)
	assert.Equal(t, []float64{10, 11.5}, r.Recordings[0].Columns[trace.SoC])
	assert.Equal(t, []run.Mark{{TS: 0, Kind: run.PlugIn}}, r.Marks)
}

// Written back unchanged, a run folder is the same to the byte.
func TestRoundTripIsIdentical(t *testing.T) {
	f, err := Open(folder(sample, carCSV), "run")
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, WriteZip(&b, f.Run, nil, f.Document, []Part{{"car.csv", func(w io.Writer) error {
		_, err := w.Write(f.Files[0].Bytes)
		return err
	}}}, time.Now()))
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	want := map[string]string{DocumentName: sample, "car.csv": carCSV["car.csv"]}
	require.Len(t, z.File, len(want)+1)
	for _, file := range z.File {
		if file.Name == DataPackageName { // it is made anew each time
			continue
		}
		r, err := file.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		assert.Equal(t, want[file.Name], string(text))
	}
}

// What Zinc Road does not know stays when what it knows is changed.
func TestUnknownKeysSurviveAnEdit(t *testing.T) {
	f, err := Open(folder(sample, carCSV), "run")
	require.NoError(t, err)
	f.Run.Conditions.AmbientC = run.N(-3)
	f.Run.Title = ""
	f.Run.Car.Software = "2.5"
	doc, err := Document(f.Run, nil, f.Document)
	require.NoError(t, err)
	text := string(doc)
	for _, kept := range []string{`"workshop_job": 4711`, `"paint": "green"`, `"logger": "old phone"`,
		`"by": "the tester"`, `"ambient_c": -3`, `"software": "2.5"`} {
		assert.Contains(t, text, kept)
	}
	assert.NotContains(t, text, "Cold soak")
	again, err := Open(folder(text, carCSV), "run")
	require.NoError(t, err)
	assert.Equal(t, -3.0, *again.Run.Conditions.AmbientC)
}

// Each malformed document names the file, the line, the key and what was expected.
func TestFaultsOfRunJSON(t *testing.T) {
	for _, c := range []struct {
		name, from, to string
		want           []string
	}{
		{"wrong sign", `"usable_kwh": 75`, `"usable_kwh": -75`,
			[]string{"run.json:6: car.usable_kwh: -75, expected 0 to 2000"}},
		{"wrong size", `"ambient_c": 0`, `"ambient_c": 400`,
			[]string{"run.json:7: conditions.ambient_c: 400, expected -60 to 70"}},
		{"text for a number", `"usable_kwh": 75`, `"usable_kwh": "75"`,
			[]string{`run.json:6: car.usable_kwh: "75", expected a number`}},
		{"unknown word", `"none"`, `"lukewarm"`,
			[]string{`run.json:7: conditions.preconditioned: "lukewarm", expected none, car, driven or charged`}},
		{"unknown mark", `"plug-in"`, `"boom"`, []string{`run.json:9: marks[0].kind: "boom", expected plug-in`}},
		{"two at once", `"usable_kwh": 75, "paint": "green", "pack_min_v": 280`,
			`"usable_kwh": -1, "paint": "green", "pack_min_v": -2`,
			[]string{"car.usable_kwh: -1", "car.pack_min_v: -2"}},
		{"minimum above maximum", `"pack_min_v": 280`, `"pack_min_v": 480`,
			[]string{"run.json:6: car.pack_max_v: 403, expected no less than pack_min_v 480"}},
		{"no date", `2026-02-03T18:20:00Z`, `yesterday`,
			[]string{`run.json:5: started_at: "yesterday", expected a time such as`}},
		{"no zone", `Europe/Lisbon`, `Wend/Valley`, []string{`timezone: "Wend/Valley", expected a time zone`}},
		{"other format", `zincroad-run/1`, `zincroad-run/9`,
			[]string{`run.json:2: format: "zincroad-run/9", expected "zincroad-run/1"`}},
		{"no recordings", `[{"file": "car.csv", "side": "car", "clock_offset_s": -2.5, "logger": "old phone"}]`, `[]`,
			[]string{"run.json:8: recordings: expected at least one"}},
		{"a way out of the folder", `"car.csv"`, `"../../etc/passwd"`,
			[]string{`recordings[0].file: "../../etc/passwd", expected a file inside this folder`}},
		{"a file that is not there", `"car.csv"`, `"gone.csv"`, []string{"gone.csv: not found"}},
		{"cut off", `"marks": [{"t_s": 0, "kind": "plug-in", "by": "the tester"}]`, `"marks": [`, []string{"no valid JSON"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			require.Contains(t, sample, c.from)
			_, err := Open(folder(strings.Replace(sample, c.from, c.to, 1), carCSV), "run")
			var fe *FaultError
			require.True(t, errors.As(err, &fe), "%v", err)
			require.Len(t, fe.Faults, len(c.want), "each fault once, and no other: %v", err)
			for _, w := range c.want {
				assert.Contains(t, err.Error(), w)
			}
		})
	}
	_, err := Open(fstest.MapFS{}, "empty")
	assert.EqualError(t, err, "empty: run.json: not found")
}

func TestRatingOfZeroIsNotGiven(t *testing.T) {
	_, err := Open(folder(strings.Replace(sample, `"pack_max_v": 403`, `"pack_max_v": 0`, 1), carCSV), "run")
	assert.NoError(t, err)
}

func TestZipWithAFolderInside(t *testing.T) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{"cold soak/run.json": sample, "cold soak/car.csv": carCSV["car.csv"]} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(w, text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	f, err := OpenZip(bytes.NewReader(b.Bytes()), int64(b.Len()), "x.zip")
	require.NoError(t, err)
	assert.Equal(t, "Cold soak", f.Run.Title)
	_, err = OpenZip(bytes.NewReader(b.Bytes()[:40]), 40, "x.zip")
	assert.EqualError(t, err, "x.zip: no readable zip file")
}

func TestFolderOnDisk(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, DocumentName), []byte(sample), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "car.csv"), []byte(carCSV["car.csv"]), 0o644))
	f, err := OpenPath(dir)
	require.NoError(t, err)
	assert.Equal(t, 2, f.Run.Recordings[0].Len())
}

func TestRecordingName(t *testing.T) {
	taken := map[string]bool{}
	assert.Equal(t, "screen-notes.csv", RecordingName("screen notes.txt", taken))
	assert.Equal(t, "screen-notes-2.csv", RecordingName("screen notes.csv", taken))
	assert.Equal(t, "etc-passwd.csv", RecordingName("../../etc/passwd", taken))
	assert.Equal(t, "recording.csv", RecordingName("???", taken))
}

func FuzzOpen(f *testing.F) {
	f.Add([]byte(sample), []byte(carCSV["car.csv"]))
	f.Add(
		[]byte(`{"format":"zincroad-run/1","recordings":[{"file":"car.csv"}],"car":null,"marks":[null]}`),
		[]byte("t_s,soc_pct\n1,2\n"),
	)
	f.Fuzz(func(t *testing.T, doc, csv []byte) {
		defer fuzzed.Watch(t)()
		in, err := Open(fstest.MapFS{DocumentName: {Data: doc}, "car.csv": {Data: csv}}, "f")
		if err != nil {
			return
		}
		if _, err := Document(in.Run, nil, in.Document); err != nil {
			t.Fatal(err)
		}
	})
}

// A CSV of a run folder that holds both sides' power is read as the side that the folder says.
func TestATableOfBothSidesInAFolder(t *testing.T) {
	for side, want := range map[string]float64{"car": 100, "stall": 105} {
		f, err := Open(fstest.MapFS{
			"run.json": {
				Data: []byte(`{"format": "zincroad-run/1", "recordings": [{"file": "log.csv", "side": "` + side + `"}]}`),
			},
			"log.csv": {Data: []byte("time s,SoC,car kW,screen kW\n0,10,100,105\n10,11,100,105\n")},
		}, "x")
		require.NoError(t, err)
		assert.Equal(t, want, f.Run.Recordings[0].Columns[trace.Power][0], side)
	}
}

// What nobody's run comes near to is refused in one sentence before it costs anything: values nested into each
// other without end, a list or a text without end, and more recordings than a session can have.
func TestDocumentsWithoutEnd(t *testing.T) {
	within := func(inner string) string {
		return `{"format": "zincroad-run/1", "recordings": [{"file": "car.csv"}], ` + inner + `}`
	}
	recordings := `{"format": "zincroad-run/1", "recordings": [` + strings.Repeat(
		`{"file": "a.csv"},`,
		20,
	) + `{"file": "b.csv"}]}`
	for want, doc := range map[string]string{
		"more than 50 values inside each other": within(`"extra": ` + strings.Repeat("[", 20_000) + strings.Repeat("]",
			20_000)),
		"marks has more than 10000 members": within(`"marks": [` + strings.Repeat(`{"t_s": 1, "kind": "note"},`, 70_000) +
			`{"t_s": 1, "kind": "note"}]`),
		"longer than 5000 characters":     within(`"title": "` + strings.Repeat("x", 3_000_000) + `"`),
		"21 of them, expected at most 20": recordings,
		"is the car's side twice":         recordings,
	} {
		_, err := Describe([]byte(doc))
		require.Error(t, err, want)
		assert.Contains(t, err.Error(), want)
	}
	_, err := Describe([]byte(within(`"extra": ` + strings.Repeat("[", 40) + strings.Repeat("]", 40))))
	assert.NoError(t, err, "what is not known is kept, as deep as anybody needs it")
}

// Names and notes are lines of words, whatever came; who exports it again gets what came.
func TestTextsAreLines(t *testing.T) {
	r, err := Describe(
		[]byte(`{"format": "zincroad-run/1", "recordings": [{"file": "car.csv"}], "title": "a\r\ndata: b\u0000",
		"car": {"name": "Larch\u202e 52"}, "marks": [{"t_s": 1, "kind": "note", "note": "rain\rbegins"}]}`),
	)
	require.NoError(t, err)
	assert.Equal(t, "a  data: b", r.Title)
	assert.Equal(t, "Larch 52", r.Car.Name)
	assert.Equal(t, "rain begins", r.Marks[0].Note)
}

// A zip is looked at before anything in it is read: names outside of its folder, names twice, more than it may
// unpack to, and more files than a run has.
func TestZipsThatAreNotFit(t *testing.T) {
	pack := func(names ...string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for _, n := range names {
			w, err := z.Create(n)
			require.NoError(t, err)
			_, err = w.Write([]byte("t_s\n"))
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	many := make([]string, 5001)
	for i := range many {
		many[i] = fmt.Sprintf("%d.csv", i)
	}
	big := pack("run.json", "car.csv")
	// The directory says that car.csv unpacks to 4 GB: its size stands 24 bytes into its entry.
	at := bytes.LastIndex(big, []byte("PK\x01\x02"))
	binary.LittleEndian.PutUint32(big[at+24:], 0xfffffff0)
	long := func(file string, rows int, row string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for name, text := range map[string]string{
			DocumentName: `{"format": "zincroad-run/1", "recordings": [{"file": "car.csv", "side": "car"}]}`,
			file:         "t_s,power_kw\n" + strings.Repeat(row, rows),
		} {
			w, err := z.Create(name)
			require.NoError(t, err)
			_, err = io.WriteString(w, text)
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	// Few bytes and many rows: 5,000,001 of them are read no more than a file that is packed as no log is.
	b := long("car.csv", 5_000_001, "1,5\n")
	_, err := OpenZips(bytes.NewReader(b), int64(len(b)), "runs.zip")
	require.Error(t, err)
	assert.Contains(t, err.Error(), "it has more than 5000000 rows")
	for want, b := range map[string][]byte{
		"times its size, as no log does": long("car.csv", 9_000_000, "1,5\n"),
		"lies outside of its folder":     pack("run.json", "../car.csv"),
		"is in it twice":                 pack("run.json", "car.csv", "./car.csv"),
		"it holds 5001 files":            pack(many...),
		"unpacks to more than 1024 MB":   big,
		"no readable zip file":           []byte("PK\x03\x04"),
	} {
		_, err := OpenZips(bytes.NewReader(b), int64(len(b)), "runs.zip")
		require.Error(t, err, want)
		assert.Contains(t, err.Error(), want)
		_, _, err = Inside(bytes.NewReader(b), int64(len(b)), "runs.zip")
		require.Error(t, err, want)
	}
}
