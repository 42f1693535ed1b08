package intake

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/internal/fuzzed"
)

// zeros is a text of so many spaces.
type zeros struct{ left int64 }

func (z *zeros) Read(p []byte) (int, error) {
	if z.left == 0 {
		return 0, io.EOF
	}
	n := min(int64(len(p)), z.left)
	for i := range p[:n] {
		p[i] = ' '
	}
	z.left -= n
	return int(n), nil
}

// bomb is a small zip of one file that unpacks to so many MB.
func bomb(t *testing.T, name string, mb int64) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	w, err := z.Create(name)
	require.NoError(t, err)
	_, err = io.Copy(w, &zeros{mb << 20})
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return out.Bytes()
}

// claiming is a zip of one file that says it unpacks to so many MB.
func claiming(t *testing.T, name string, mb uint64) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	_, err := z.CreateRaw(&zip.FileHeader{Name: name, Method: zip.Deflate, UncompressedSize64: mb << 20})
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return out.Bytes()
}

// Files that mean harm, or came to it, cost one sentence and no more memory than a log may take.
func TestHostileFilesAreRefused(t *testing.T) {
	for _, tt := range []struct {
		name    string
		content []byte
		says    string
	}{
		{"one-file.zip", bomb(t, "log.csv", 100), "times its size, as no log does"},
		{"much.zip", claiming(t, "log.csv", 129), `it unpacks to more than 128 MB; "zincroad import FILE" takes more`},
		{"much.xlsx", claiming(t, "xl/workbook.xml", 129),
			`it unpacks to more than 128 MB; "zincroad import FILE" takes more`},
		{"folder.zip", bomb(t, "run.json", 8), "larger than 4 MB"},
		{"huge-cell.csv", []byte("Time (s),SoC (%),Power (kW)\n0,," + strings.Repeat("9", 20<<20) + "\n"), "is no number"},
		{"huge-header.csv", []byte(strings.Repeat("x", 4<<20)), "no row names a column of times"},
		{"cut.parquet", []byte("PAR1 and nothing more"), "is no readable Parquet file"},
		{"deep.json", []byte(strings.Repeat("[", 100_000)), "no charging log"},
		{"wide.json", []byte(`[{` + strings.Repeat(`"a":1,`, 10) + `"b":2}]`), "no row names a column of times"},
		{"meter.json", []byte(`{"meterValue":[{"timestamp":"soon","sampledValue":[{"value":"x"}]}]}`),
			"holds no meter values"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			_, err := Bytes(tt.name, tt.content, Choices{})
			require.Error(t, err)
			faults := Refusal(tt.name, err)
			require.Len(t, faults, 1)
			assert.Contains(t, faults[0].Error(), tt.says)
			assert.NotContains(t, faults[0].Error(), "\n")
			assert.Less(t, len(faults[0].Error()), 300)
		})
	}
}

// A file on the disk may unpack to more than one that is held in memory, and not to anything either.
func TestFilesOnDiskMayUnpackToMore(t *testing.T) {
	dir := t.TempDir()
	for _, tt := range []struct {
		name, inside string
		mb           uint64
		says         string
	}{
		{"more.zip", "log.csv", 200, "times its size, as no log does"}, // its size alone is no fault
		{"workbook.xlsx", "xl/workbook.xml", 600, "unpacks to more than a log can be"},
		{"most.zip", "log.csv", 1030, "it unpacks to more than 1024 MB"},
	} {
		p := filepath.Join(dir, tt.name)
		require.NoError(t, os.WriteFile(p, claiming(t, tt.inside, tt.mb), 0o600))
		_, err := Path(p, Choices{})
		require.Error(t, err, tt.name)
		assert.Contains(t, Refusal(p, err)[0].Error(), tt.says)
	}
}

// Whatever a file holds: a run whose columns are as long as its times, or an error.
func FuzzBytes(f *testing.F) {
	for _, s := range []string{`[{"t":0,"soc":1,"power":2}]`, "{\"t\":0}\n{\"t\":1", "PAR1xxxxPAR1",
		`[2,"a","MeterValues",{"connectorId":1,"meterValue":[{"timestamp":"2026-02-03T18:20:00Z","sampledValue":[{"value":"1"}]}]}]`,
		"Time;Name;Value\n0;SoC;10\n0;kW;5\n", "Car,,Stall\ns,SoC,kW\n0,1,2\n", "clip 1:00\n0:10 12%\n",
		"Date,SoC,kW\n3/2/2026 6:00:00 PM,10,20\n", "t_s,soc_pct\n0,1\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, content []byte) {
		defer fuzzed.Watch(t)()
		b, err := Bytes("x", content, Choices{})
		if err != nil {
			return
		}
		for _, rec := range b.Run.Recordings {
			for c, col := range rec.Columns {
				if len(col) != len(rec.T) {
					t.Fatalf("%s: %d values for %d times", c, len(col), len(rec.T))
				}
			}
		}
	})
}
