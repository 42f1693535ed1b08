package photo

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/internal/fuzzed"
)

// taken is a picture of 64 by 32 whose left upper quarter is red and right upper one blue,
// on white, as a JPEG whose camera was held as an orientation says.
func taken(t *testing.T, orientation uint16) []byte {
	t.Helper()
	i := image.NewRGBA(image.Rect(0, 0, 64, 32))
	for y := range 32 {
		for x := range 64 {
			c := color.RGBA{255, 255, 255, 255}
			if y < 16 && x < 16 {
				c = color.RGBA{255, 0, 0, 255}
			} else if y < 16 && x >= 48 {
				c = color.RGBA{0, 0, 255, 255}
			}
			i.SetRGBA(x, y, c)
		}
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, i, &jpeg.Options{Quality: 100}))
	tiff := binary.LittleEndian.AppendUint32([]byte("II*\x00"), 8)
	tiff = binary.LittleEndian.AppendUint16(tiff, 1)
	tiff = binary.LittleEndian.AppendUint16(tiff, 0x0112)
	tiff = binary.LittleEndian.AppendUint16(tiff, 3)
	tiff = binary.LittleEndian.AppendUint32(tiff, 1)
	tiff = binary.LittleEndian.AppendUint32(tiff, uint32(orientation))
	body := append([]byte("Exif\x00\x00"), tiff...)
	segment := binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(body)+2))
	return append(append(append([]byte{}, b.Bytes()[:2]...), append(segment, body...)...), b.Bytes()[2:]...)
}

func isColour(t *testing.T, i image.Image, x, y int, red, blue bool) {
	t.Helper()
	r, _, b, _ := i.At(x, y).RGBA()
	assert.Equal(t, red, r > 0x8000 && b < 0x8000, "red at %d, %d", x, y)
	assert.Equal(t, blue, b > 0x8000 && r < 0x8000, "blue at %d, %d", x, y)
}

// Turned to the right (6) the left edge comes up: red, which was at the upper left, is at the
// upper right, and blue, which was at the upper right, at the lower right. Turned to the left
// (8) it is the other way round, and so on for every way of holding a camera.
func TestPicturesStandUpright(t *testing.T) {
	for orientation, at := range map[uint16][4]int{
		1: {4, 4, 60, 4}, 2: {60, 4, 4, 4}, 3: {60, 28, 4, 28}, 4: {4, 28, 60, 28},
		5: {4, 4, 4, 60}, 6: {28, 4, 28, 60}, 7: {28, 60, 28, 4}, 8: {4, 60, 4, 4},
	} {
		k, err := Keep(taken(t, orientation))
		require.NoError(t, err)
		i, err := jpeg.Decode(bytes.NewReader(k.Content))
		require.NoError(t, err)
		wide, high := 64, 32
		if orientation >= 5 {
			wide, high = 32, 64
		}
		require.Equal(t, image.Pt(wide, high), i.Bounds().Size(), "orientation %d", orientation)
		isColour(t, i, at[0], at[1], true, false)
		isColour(t, i, at[2], at[3], false, true)
	}
}

func TestPicturesAreNoLargerThanNeeded(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 4000, 1000))))
	k, err := Keep(b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, 2048, k.Width)
	assert.Equal(t, 512, k.Height)
	small, err := jpeg.DecodeConfig(bytes.NewReader(k.Small))
	require.NoError(t, err)
	assert.Equal(t, 320, small.Width)
	assert.Equal(t, 80, small.Height)
}

func TestPicturesThatAreNone(t *testing.T) {
	_, err := Keep([]byte("%PDF-1.7"))
	require.ErrorIs(t, err, ErrKind)
	whole := taken(t, 1)
	_, err = Keep(whole[:len(whole)/2])
	require.ErrorIs(t, err, ErrWhole)
	// A header that claims 65,535 by 65,535 pixels in some thirty bytes.
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 1, 1))))
	bomb := b.Bytes()
	binary.BigEndian.PutUint32(bomb[16:], 65_535)
	binary.BigEndian.PutUint32(bomb[20:], 65_535)
	_, err = Keep(bomb)
	require.Error(t, err)
}

// Nothing that a phone may send ends the program.
func FuzzKeep(f *testing.F) {
	f.Add([]byte("\xff\xd8\xff\xe1\x00\x0aExif\x00\x00II"))
	f.Fuzz(func(t *testing.T, content []byte) {
		defer fuzzed.Watch(t)()
		if k, err := Keep(content); err == nil {
			assert.LessOrEqual(t, max(k.Width, k.Height), MostPixels)
		}
		assert.Contains(t, []int{1, 2, 3, 4, 5, 6, 7, 8}, orientation(content))
	})
}
