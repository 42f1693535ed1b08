package sheet_test

import (
	"bytes"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"zincroad/formats/sheet"
)

// workbook writes cells by their names, with a number format for some columns.
func workbook(t *testing.T, date1904 bool, formats map[string]string, cells map[string]any) []byte {
	t.Helper()
	f := excelize.NewFile()
	require.NoError(t, f.SetWorkbookProps(&excelize.WorkbookPropsOptions{Date1904: &date1904}))
	for cell, v := range cells {
		if s, formula := v.(string); formula && strings.HasPrefix(s, "=") {
			require.NoError(t, f.SetCellFormula("Sheet1", cell, s))
			continue
		}
		require.NoError(t, f.SetCellValue("Sheet1", cell, v))
	}
	for column, format := range formats {
		style, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
		require.NoError(t, err)
		require.NoError(t, f.SetCellStyle("Sheet1", column+"1", column+"2", style))
	}
	var out bytes.Buffer
	require.NoError(t, f.Write(&out))
	return out.Bytes()
}

// Serial 46056.75 is 18:00 on 2026-02-03: 46056 days after 1899-12-30 (1970-01-01 is 25569, and 20487
// days later is 2026-02-03). In the 1904 system the same day is 1,462 less.
func TestCellsAreWrittenAsTheyAreShown(t *testing.T) {
	for _, tt := range []struct {
		name, format, want string
		value              any
		date1904           bool
	}{
		{"a number", "0.00", "46056.75", 46056.75, false},
		{"a date", "dd/mm/yyyy hh:mm", "2026-02-03 18:00:00.000", 46056.75, false},
		{"a date of the other system", "yyyy-mm-dd hh:mm:ss", "2026-02-03 18:00:00.000", 44594.75, true},
		{"a time of day", "hh:mm:ss", "18:00:00.000", 0.75, false},
		{"a duration", "[h]:mm:ss", "30:00:00.000", 1.25, false},
		{"minutes and seconds", "mm:ss.0", "00:01:30.500", 90.5 / 86400, false},
		{"a text in a column of dates", "dd/mm/yyyy", "soon", "soon", false},
		{"words in a format make no date", `0.0" days"`, "12.5", 12.5, false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			b := workbook(t, tt.date1904, map[string]string{"A": tt.format}, map[string]any{"A1": tt.value, "A2": tt.value})
			sheets, err := sheet.Workbook(bytes.NewReader(b), int64(len(b)), "x.xlsx")
			require.NoError(t, err)
			require.Len(t, sheets, 1)
			assert.Equal(t, tt.want+"\n"+tt.want+"\n", string(sheets[0].CSV))
		})
	}
}

// Rows stand in their own lines, blank ones too; a formula without a kept value says so, and is not worked
// out; a line break in a cell does not move what is below.
func TestRowsKeepTheirLines(t *testing.T) {
	b := workbook(
		t,
		false,
		nil,
		map[string]any{"A1": "log", "A4": "t", "B4": "kW\nnow", "A5": 0, "B5": "=2*A6", "A6": 10, "B6": 20},
	)
	require.True(t, sheet.IsWorkbook(bytes.NewReader(b), int64(len(b))))
	sheets, err := sheet.Workbook(bytes.NewReader(b), int64(len(b)), "x.xlsx")
	require.NoError(t, err)
	assert.Equal(t, []string{"log", "", "", "t,kW now", "0,a formula without a value", "10,20", ""},
		strings.Split(string(sheets[0].CSV), "\n"))
}

type parquetRow struct {
	At   time.Time `parquet:"at,timestamp(microsecond)"`
	SoC  float64   `parquet:"soc"`
	KW   *float32  `parquet:"kw,optional"`
	Note string    `parquet:"note"`
	Cell struct {
		Min float64 `parquet:"min"`
	} `parquet:"cell"`
	All []float64 `parquet:"all"`
}

// A footer that says it is two gigabytes long takes no room in a file of twelve bytes.
func TestParquetFooterThatLies(t *testing.T) {
	lying := []byte("PAR1xxxxPAR1") // 0x78787878 bytes
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, err := sheet.Parquet(bytes.NewReader(lying), int64(len(lying)), "log.parquet", 1<<30)
	runtime.ReadMemStats(&after)
	require.Error(t, err)
	assert.Equal(t, "log.parquet is no readable Parquet file", err.Error())
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(64<<20))
}

// Times in UTC to the digit, null as nothing, columns inside others by both names, lists left out.
func TestParquetColumns(t *testing.T) {
	kw := float32(118.5)
	at := time.Date(2026, 2, 3, 19, 20, 0, 250_000_000, time.FixedZone("", 3600))
	var out bytes.Buffer
	rows := []parquetRow{
		{At: at, SoC: 10.25, KW: &kw, Note: "a,\nb", All: []float64{1, 2}},
		{At: at.Add(time.Second), SoC: 10.5},
	}
	rows[1].Cell.Min = 3.5
	require.NoError(t, parquet.Write(&out, rows))
	b := out.Bytes()
	require.True(t, sheet.IsParquet(b))
	text, err := sheet.Parquet(bytes.NewReader(b), int64(len(b)), "x.parquet", 1<<30)
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	require.Len(t, lines, 3)
	head := strings.Split(lines[0], ",")
	assert.ElementsMatch(t, []string{"at", "soc", "kw", "note", "cell.min"}, head)
	assert.Contains(t, lines[1], "2026-02-03T18:20:00.25Z")
	assert.Contains(t, lines[1], "118.5")
	assert.Contains(t, lines[1], `"a, b"`)
	assert.Contains(t, lines[2], "3.5")
	assert.NotContains(t, lines[2], "118.5")
	_, err = sheet.Parquet(bytes.NewReader(b[:len(b)/2]), int64(len(b)/2), "x.parquet", 1<<30)
	assert.ErrorContains(t, err, "no readable Parquet file")
}
