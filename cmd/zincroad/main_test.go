package main

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/logbook/logbooktest"
)

var program string // the program itself, built once

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "zincroad-program-")
	if err == nil {
		program = filepath.Join(dir, "zincroad")
		var out []byte
		if out, err = exec.Command("go", "build", "-o", program, ".").CombinedOutput(); err != nil {
			err = fmt.Errorf("%w\n%s", err, out)
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// zincroad runs the program and gives what it printed and its exit status.
func zincroad(t *testing.T, args ...string) (out, errOut string, status int) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	c := exec.CommandContext(ctx, program, args...)
	var o, e bytes.Buffer
	c.Stdout, c.Stderr = &o, &e
	err := c.Run()
	if err != nil {
		var ee *exec.ExitError
		require.ErrorAs(t, err, &ee)
	}
	return o.String(), e.String(), c.ProcessState.ExitCode()
}

func sample(name string) string { return filepath.Join("../../docs/samples", name) }

var samples = []string{"run-folder.zip", "zincroad.csv", "spreadsheet.csv", "screen-notes.txt"}

func TestReadEverySample(t *testing.T) {
	for _, name := range samples {
		out, errOut, status := zincroad(t, "read", sample(name))
		assert.Zero(t, status, "%s: %s", name, errOut)
		assert.Empty(t, errOut, name)
		assert.Contains(t, out, "80 % in ", name)

		out, errOut, status = zincroad(t, "read", sample(name), "--json")
		assert.Zero(t, status, errOut)
		var m map[string]any
		require.NoError(t, json.Unmarshal([]byte(out), &m), name)
		for _, key := range []string{"format", "clock", "side", "posts", "windows", "peak", "ramp_s", "energy", "usable_kwh",
			"delivered_per_100_kwh", "plateaus", "cliffs", "ceilings", "legs", "recordings", "findings", "cost", "claims"} {
			assert.Contains(t, m, key, name)
		}
		assert.Equal(t, "zincroad-reading/1", m["format"])
		assert.NotEmpty(t, m["posts"], name)
	}
}

// Folder and zip of the same run say the same; sides and clocks can be chosen.
func TestReadFolderZipAndChoices(t *testing.T) {
	dir := t.TempDir()
	unzip(t, sample("run-folder.zip"), dir)
	fromZip, _, _ := zincroad(t, "read", sample("run-folder.zip"), "--json")
	fromFolder, _, status := zincroad(t, "read", dir, "--json")
	assert.Zero(t, status)
	assert.Equal(t, fromZip, fromFolder)

	out, _, _ := zincroad(t, "read", dir, "--json", "--side", "car", "--clock", "power")
	var r curve.Reading
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	assert.Equal(t, curve.PowerClock, r.Clock)
	assert.EqualValues(t, "car", r.Side)
	assert.Len(t, r.Legs, 2)
	_, errOut, status := zincroad(t, "read", dir, "--clock", "sundial")
	assert.Equal(t, 2, status)
	assert.Equal(t, "--clock: \"sundial\", expected plug or power\n", errOut)
}

func unzip(t *testing.T, file, dir string) {
	t.Helper()
	c := exec.Command("/usr/bin/python3", "-m", "zipfile", "-e", file, dir)
	out, err := c.CombinedOutput()
	require.NoError(t, err, string(out))
}

func TestBrokenInputOneLineForEachFaultAndStatus2(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		p := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(p, []byte(text), 0o644))
		return p
	}
	rows := write("rows.csv", "t_s,soc_pct,power_kw\n0,10,100\nx,11,100\n600,40,bad\n1200,70,100\n")
	out, errOut, status := zincroad(t, "read", rows, "--json")
	assert.Equal(t, 2, status)
	assert.Equal(t, "rows.csv:3: t_s: \"x\" is no time, expected seconds\nrows.csv:4: power_kw: \"bad\" is no number\n", errOut)
	assert.Contains(t, out, `"soc_pct": 70`, "the good rows are read all the same")

	for name, text := range map[string]string{"letter.csv": "Dear workshop\n", "empty.csv": "", "blob.zip": "PK\x03\x04rubbish"} {
		out, errOut, status := zincroad(t, "read", write(name, text))
		assert.Equal(t, 2, status, name)
		assert.Empty(t, out, name)
		assert.Equal(t, 1, strings.Count(errOut, "\n"), errOut)
	}
	_, errOut, status = zincroad(t, "read", filepath.Join(dir, "missing.csv"))
	assert.Equal(t, 2, status)
	assert.Contains(t, errOut, "missing.csv: not found")

	require.NoError(t, os.Mkdir(filepath.Join(dir, "run"), 0o755))
	write("run/run.json", "{\n \"format\": \"zincroad-run/1\",\n \"car\": {\"usable_kwh\": -4, \"chemistry\": \"tin\"},\n \"recordings\": [{\"file\": \"a.csv\"}]\n}\n")
	_, errOut, status = zincroad(t, "read", filepath.Join(dir, "run"))
	assert.Equal(t, 2, status)
	assert.Equal(t, "run.json:3: car.usable_kwh: -4, expected 0 to 2000\nrun.json:3: car.chemistry: \"tin\", expected NMC, NCA, LFP or other\n", errOut)
}

// Import, export and read again, on a database of its own.
func TestImportAndExport(t *testing.T) {
	s, err := logbooktest.Start()
	require.NoError(t, err)
	defer s.Stop()
	url := "--database-url=" + s.URL(t)
	for _, name := range samples {
		out, errOut, status := zincroad(t, "import", url, sample(name))
		assert.Zero(t, status, errOut)
		assert.Contains(t, out, "is run ")
		out, _, _ = zincroad(t, "import", url, sample(name))
		assert.Contains(t, out, "is in the logbook already as run", name)
	}
	dir := t.TempDir()
	to := filepath.Join(dir, "out.zip")
	_, errOut, status := zincroad(t, "export", url, "1", "-o", to)
	require.Zero(t, status, errOut)
	want, _, _ := zincroad(t, "read", sample("run-folder.zip"), "--json")
	got, _, _ := zincroad(t, "read", to, "--json")
	assert.Equal(t, want, got)
	_, _, status = zincroad(t, "export", url, "99")
	assert.Equal(t, 2, status)
}

// kill -9 in the middle of an import leaves the whole run or nothing of it, and
// what was acknowledged before is there.
func TestKilledInTheMiddleOfAnImport(t *testing.T) {
	s, err := logbooktest.Start()
	require.NoError(t, err)
	defer s.Stop()
	url := s.URL(t)
	_, errOut, status := zincroad(t, "import", "--database-url="+url, sample("zincroad.csv"))
	require.Zero(t, status, errOut)

	const rows = 400000
	big := filepath.Join(t.TempDir(), "big.csv")
	var text bytes.Buffer
	text.WriteString("t_s,soc_pct,power_kw\n")
	for i := range rows {
		fmt.Fprintf(&text, "%d,%.3f,100\n", i, 10+float64(i)*70/rows)
	}
	require.NoError(t, os.WriteFile(big, text.Bytes(), 0o644))
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	count := func(q string) (n int) {
		require.NoError(t, db.QueryRow(q).Scan(&n))
		return n
	}
	copying := "SELECT count(*) FROM pg_stat_activity WHERE state = 'active' AND query ILIKE 'copy%readings%'"
	killed := 0
	for range 3 {
		c := exec.Command(program, "import", "--database-url="+url, big)
		require.NoError(t, c.Start())
		for deadline := time.Now().Add(30 * time.Second); count(copying) == 0 && time.Now().Before(deadline); {
			time.Sleep(5 * time.Millisecond)
		}
		if count(copying) > 0 {
			killed++
		}
		require.NoError(t, c.Process.Kill())
		_ = c.Wait()
		for deadline := time.Now().Add(30 * time.Second); count(copying) > 0 && time.Now().Before(deadline); {
			time.Sleep(10 * time.Millisecond)
		}
		assert.Equal(t, count("SELECT count(*) FROM runs"), count("SELECT count(DISTINCT r.run_id) FROM recordings r JOIN recording_files f ON f.recording_id = r.id"))
		assert.Equal(t, 1, count("SELECT count(*) FROM runs"), "nothing of the killed import")
		assert.Equal(t, count("SELECT readings FROM recordings"), count("SELECT count(*) FROM readings"), "everything acknowledged")
	}
	assert.Positive(t, killed, "the kill came while readings were copied")
	_, errOut, status = zincroad(t, "import", "--database-url="+url, big)
	require.Zero(t, status, errOut)
	assert.Equal(t, 2, count("SELECT count(*) FROM runs"))
	assert.Equal(t, rows, count("SELECT count(*) FROM readings WHERE recording_id = (SELECT max(id) FROM recordings)"))
}
