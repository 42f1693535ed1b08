package sheet_test

import (
	"bytes"
	"encoding/json"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/formats/sheet"
)

// What is written is read back by openpyxl, another implementation: numbers as numbers, texts as texts even
// where they look like formulas, and nothing where there is none.
func TestWriteIsReadByOpenpyxl(t *testing.T) {
	const python = "/usr/bin/python3"
	if exec.Command(python, "-I", "-c", "import openpyxl").Run() != nil {
		require.Empty(t, os.Getenv("ZINCROAD_REQUIRE_SCIPY"), "openpyxl is required, install python3-openpyxl")
		t.Skip("python3-openpyxl is not installed")
	}
	kw := 117.25
	var none *float64
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, []sheet.Page{
		{Name: "Windows", Rows: [][]any{{"window", "t_s", "kW"}, {"10–80 %", 1334.5, &kw}, {"=1+1", none, math.NaN()}}},
		{Name: "Runs", Rows: [][]any{{"run"}, {7}, {"@Larch & <Rowan>"}}},
	}))
	path := filepath.Join(t.TempDir(), "bench.xlsx")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	out, err := exec.Command(python, "-I", "-c", `
import json, sys, openpyxl
w = openpyxl.load_workbook(sys.argv[1])
print(json.dumps({s.title: [[[c.value, c.data_type] for c in row] for row in s.iter_rows()] for s in w}))`, path).Output()
	require.NoError(t, err)
	var got map[string][][][]any
	require.NoError(t, json.Unmarshal(out, &got))
	want := map[string][][][]any{
		"Windows": {{{"window", "s"}, {"t_s", "s"}, {"kW", "s"}}, {{"10–80 %", "s"}, {1334.5, "n"}, {117.25, "n"}},
			{{"=1+1", "s"}, {nil, "n"}, {nil, "n"}}},
		"Runs": {{{"run", "s"}}, {{7.0, "n"}}, {{"@Larch & <Rowan>", "s"}}},
	}
	assert.Equal(t, want["Runs"], got["Runs"])
	assert.Equal(t, want["Windows"], got["Windows"])
}
