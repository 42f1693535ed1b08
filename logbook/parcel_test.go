package logbook_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/formats/intake"
	"zincroad/formats/photo"
	"zincroad/logbook"
)

func picture(t *testing.T) *photo.Kept {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, 64, 48))
	for i := range 64 {
		img.Set(i, i%48, color.White)
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, nil))
	kept, err := photo.Keep(b.Bytes())
	require.NoError(t, err)
	return kept
}

// Photos travel with the run, and come in with it; one that is broken is left out and said, and costs nothing else.
func TestPhotosTravelWithTheRun(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	ctx := context.Background()
	id, err := b.Save(ctx, bundle(t, 10))
	require.NoError(t, err)
	kept := picture(t)
	for _, at := range []float64{-30, 600} {
		require.NoError(
			t,
			b.AddPhoto(ctx, &logbook.Photo{RunID: id, Kind: photo.Kind, Content: kept.Content, Small: kept.Small,
				TS: at}),
		)
	}
	require.NoError(
		t,
		b.AddPhoto(ctx, &logbook.Photo{RunID: id, Kind: photo.Kind, Content: []byte("no picture"), TS: 700}),
	)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	parcel, err := b.Parcel(ctx, row)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, parcel.WriteZip(&out))

	again, err := intake.Bytes("run.zip", out.Bytes(), intake.Choices{})
	require.NoError(t, err)
	assert.Equal(t, 1, again.LeftOut)
	require.Len(t, again.Faults, 1)
	assert.Contains(t, again.Faults[0].Error(), "photos/3.jpg")
	twin, err := b.Save(ctx, again)
	require.NoError(t, err)
	photos, err := b.Photos(ctx, twin)
	require.NoError(t, err)
	require.Len(t, photos, 2)
	assert.Equal(t, []float64{-30, 600}, []float64{photos[0].TS, photos[1].TS})
	assert.NotEmpty(t, photos[0].Small)
	whole, err := b.Photo(ctx, twin, photos[0].ID)
	require.NoError(t, err)
	size, err := jpeg.DecodeConfig(bytes.NewReader(whole.Content))
	require.NoError(t, err)
	assert.Equal(t, [2]int{64, 48}, [2]int{size.Width, size.Height})
}

// slow takes what is written to it and counts it; what is held at the worst moment is looked at on the way.
type slow struct {
	n    int
	most uint64
}

func (s *slow) Write(p []byte) (int, error) {
	if s.n>>18 != (s.n+len(p))>>18 { // every 256 KiB
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		s.most = max(s.most, m.HeapAlloc)
	}
	s.n += len(p)
	return len(p), nil
}

// A long run is sent a piece at a time: what is held does not grow with it. Its readings alone, 200,000 of them in
// nine columns, would be 14 MB.
func TestExportsHoldAPieceAtATime(t *testing.T) {
	b := server.Book(t)
	ctx := context.Background()
	var text strings.Builder
	text.WriteString(
		"t_s,soc_pct,power_kw,current_a,voltage_v,battery_temp_min_c,battery_temp_max_c,heater_kw,ambient_c\n",
	)
	const rows = 100_000
	for i := range rows {
		fmt.Fprintf(&text, "%d,%.3f,%d.5,%d,400,20,25,0,%d\n", i, 10+float64(i)/4000, i%150, i%300, i%20)
	}
	want := text.String()
	in, err := intake.Bytes("long.csv", []byte(want), intake.Choices{})
	require.NoError(t, err)
	id, err := b.Save(ctx, in)
	require.NoError(t, err)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	sum := sha256.Sum256([]byte(want))
	in, want = nil, ""
	text.Reset()
	runtime.GC()
	var before runtime.MemStats
	runtime.ReadMemStats(&before)
	for name, write := range map[string]func(io.Writer) error{
		"readings": func(w io.Writer) error { return b.WriteReadings(ctx, w, &row.Recordings[0]) },
		"folder": func(w io.Writer) error {
			parcel, err := b.Parcel(ctx, row)
			if err != nil {
				return err
			}
			return parcel.WriteZip(w)
		},
	} {
		s := &slow{}
		require.NoError(t, write(s), name)
		assert.Positive(t, s.n, name)
		assert.Less(t, s.most, before.HeapAlloc+3<<20, name)
	}
	file, err := b.File(ctx, &row.Recordings[0])
	require.NoError(t, err)
	came := sha256.New()
	require.NoError(t, file.Write(came))
	assert.Equal(t, sum[:], came.Sum(nil), "it comes as it went in, piece by piece")
	whole, err := b.Load(ctx, row)
	require.NoError(t, err)
	assert.Equal(t, rows, whole.Recordings[0].Len())
	var out bytes.Buffer
	require.NoError(t, b.WriteReadings(ctx, &out, &row.Recordings[0]))
	again, err := intake.Bytes("long.csv", out.Bytes(), intake.Choices{})
	require.NoError(t, err)
	assert.Equal(t, whole.Recordings[0].T, again.Run.Recordings[0].T)
	assert.Equal(t, whole.Recordings[0].Columns, again.Run.Recordings[0].Columns)
}
