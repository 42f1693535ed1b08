package boxed

import (
	"archive/zip"
	"bytes"
	"compress/zlib"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"hash/crc32"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/formats/intake"
	"zincroad/formats/photo"
)

// blackPNG is a picture of so many pixels of one bit each, all of them black (the format of RFC 2083, 5: signature,
// then chunks of length, name, content and CRC).
func blackPNG(t *testing.T, w, h uint32) []byte {
	out := bytes.NewBufferString("\x89PNG\r\n\x1a\n")
	chunk := func(name string, content []byte) {
		require.NoError(t, binary.Write(out, binary.BigEndian, uint32(len(content))))
		whole := append([]byte(name), content...)
		out.Write(whole)
		require.NoError(t, binary.Write(out, binary.BigEndian, crc32.ChecksumIEEE(whole)))
	}
	head := binary.BigEndian.AppendUint32(nil, w)
	head = binary.BigEndian.AppendUint32(head, h)
	chunk("IHDR", append(head, 1, 0, 0, 0, 0))
	var rows bytes.Buffer
	z := zlib.NewWriter(&rows)
	for left := int(h) * int(1+(w+7)/8); left > 0; left -= 1 << 20 {
		_, err := z.Write(make([]byte, min(left, 1<<20)))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	chunk("IDAT", rows.Bytes())
	chunk("IEND", nil)
	return out.Bytes()
}

func zipped(t *testing.T, files map[string]func(io.Writer)) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, write := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		write(w)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

// Files that are made to take all a machine has are refused, or read, within the bounds; and the next file is read.
func TestFilesThatWouldGrow(t *testing.T) {
	const mega = 1 << 20
	again := func(text string, n int) func(io.Writer) {
		return func(w io.Writer) {
			for range n {
				_, _ = io.WriteString(w, text)
			}
		}
	}
	type row struct {
		Time  float64 `parquet:"time,dict"`
		Power string  `parquet:"power,dict"`
	}
	var long bytes.Buffer
	rows := make([]row, 256)
	for i := range rows {
		rows[i] = row{float64(i), strings.Repeat("9", 4*mega)}
	}
	require.NoError(t, parquet.Write(&long, rows))
	book := func(cells io.Writer) {
		again(`<row><c t="inlineStr"><is><t>`+strings.Repeat("a", mega)+`</t></is></c></row>`, 500)(cells)
	}
	for name, content := range map[string][]byte{
		"many objects.json":  bytes.Repeat([]byte(`{"a":1}`), 48*mega/7),
		"object a line.json": bytes.Repeat([]byte("{\"a\":1}\n"), 48*mega/8),
		"deep.json":          bytes.Repeat([]byte(`[`), 48*mega),
		"wide.csv":           bytes.Repeat([]byte(`,`), 48*mega),
		"lines.csv":          append([]byte("t_s,power_kw\n"), bytes.Repeat([]byte("1,1\n"), 12*mega)...),
		"nothing.csv":        make([]byte, 64*mega),
		"long value.parquet": long.Bytes(),
		"book.xlsx": zipped(t, map[string]func(io.Writer){
			"[Content_Types].xml": again(" ", 1), "xl/workbook.xml": again(" ", 1), "xl/worksheets/sheet1.xml": book}),
		"folder.zip": zipped(t, map[string]func(io.Writer){
			"run.json": again(`{"title":"a"}`, 1), "car.csv": again("t_s,power_kw\n1,1\n", 12*mega)}),
	} {
		t.Run(name, func(t *testing.T) {
			list, err := All(t.Context(), name, content, intake.Choices{})
			if err == nil {
				require.NotEmpty(t, list[0].Run.Recordings, "read or refused")
				return
			}
			fault := intake.Refusal(name, err)[0]
			require.NotEmpty(t, fault.Reason)
			require.NotContains(t, fault.Reason, "goroutine", "nothing fell over")
		})
	}
	for name, size := range map[string][2]uint32{"thin": {1, 104857600}, "square": {40000, 40000}} {
		t.Run(name, func(t *testing.T) {
			_, err := Photo(t.Context(), blackPNG(t, size[0], size[1]))
			require.ErrorIs(t, err, photo.ErrSize)
		})
	}
	b, err := Bytes(t.Context(), "next.json", []byte(`[{"t_s":0,"power_kw":50},{"t_s":1,"power_kw":51}]`),
		intake.Choices{})
	require.NoError(t, err)
	require.Equal(t, []float64{50, 51}, b.Run.Recordings[0].Columns[trace.Power])
}

// Who goes away is not read for any longer: the process ends with the request.
func TestReadingEndsWithTheRequest(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	content := append([]byte("t_s,power_kw\n"), bytes.Repeat([]byte("1,1\n"), 12<<20)...)
	_, err := All(ctx, "long.csv", content, intake.Choices{})
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.NoError(t, atOnce.Acquire(t.Context(), 2), "both turns are free again")
	atOnce.Release(2)
}

// What comes out of the process is what reading here gives, to the last number.
func TestAFileReadsTheSameInItsOwnProcess(t *testing.T) {
	folder := zipped(t, map[string]func(io.Writer){
		"run.json": func(w io.Writer) {
			fmt.Fprint(w, `{"format":"zincroad-run/1","title":"Alder at Tidemill","car":{"name":"Alder","max_kw":150},`+
				`"conditions":{"ambient_c":0},"marks":[{"t_s":0,"kind":"plug-in"}],`+
				`"recordings":[{"file":"car.csv","side":"car","clock_offset_s":4}]}`)
		},
		"car.csv": func(w io.Writer) { fmt.Fprint(w, "t_s,power_kw,soc_pct\n0,0,10\n1,,10\n2,50,11\n") },
	})
	for name, content := range map[string][]byte{
		"folder.zip": folder,
		"table.json": []byte(`[{"t_s":0,"power_kw":0},{"t_s":1,"power_kw":null},{"t_s":2,"power_kw":51}]`),
		"typed.txt":  append(bytes.Repeat([]byte("\n"), plainText), "0:00 plugged in\n0:30 10% 50kW\n1:00 11% 80kW\n"...),
		"other.csv":  append(bytes.Repeat([]byte("\n"), plainText), "Time (s);Leistung (kW)\n0;1,5\n1;2,5\n"...),
		"refused":    []byte("{}"),
		"letter.txt": append(bytes.Repeat([]byte("\n"), plainText), "Dear all, nothing was measured."...),
	} {
		t.Run(name, func(t *testing.T) {
			require.False(t, plain(content))
			want, wantErr := intake.All(name, content, intake.Choices{})
			got, err := All(t.Context(), name, content, intake.Choices{})
			if wantErr != nil {
				require.Equal(t, intake.Refusal(name, wantErr), intake.Refusal(name, err))
				return
			}
			require.NoError(t, err)
			require.Len(t, got, len(want))
			for i, w := range want {
				g := got[i]
				require.Equal(t, w.Kind, g.Kind)
				require.Equal(t, w.Layout, g.Layout)
				require.Equal(t, w.Files, g.Files)
				require.Equal(t, fmt.Sprintf("%+v", w.Faults), fmt.Sprintf("%+v", g.Faults))
				require.Equal(t, len(w.Run.Recordings), len(g.Run.Recordings))
				for k, rec := range w.Run.Recordings { // NaN is not itself
					require.Equal(t, fmt.Sprintf("%+v", *rec), fmt.Sprintf("%+v", *g.Run.Recordings[k]))
				}
				require.Equal(t, told(t, w), told(t, g))
			}
		})
	}
}

// told is what a run's document says.
func told(t *testing.T, b *intake.Bundle) string {
	text, err := json.Marshal(b.Run)
	require.NoError(t, err)
	return string(text)
}
