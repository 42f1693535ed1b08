// Package photo makes of a picture that a phone took what is worth keeping with a run: the
// right way up, no larger than it takes to read a screen, and a small one for lists.
package photo

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	_ "image/png" // phones' screenshots
	"net/http"
	"slices"

	"golang.org/x/image/draw"
	_ "golang.org/x/image/webp" // what some cameras write
)

// How large what is kept may be, along its longer side, in pixels: figures on a screen that
// fills a third of the picture are still read (common practice, no source).
const (
	MostPixels  = 2048
	SmallPixels = 320
)

// mostDecoded is how many pixels a picture may have to be looked at, in all: a few bytes
// can claim to be more than any machine has memory for.
const mostDecoded = 100 << 20

// longest is how many pixels a side may have: as many as a JPEG can (ITU-T T.81, B.2.2: 16 bits).
const longest = 1<<16 - 1

// quality is that of the JPEGs written, of 100.
const quality = 85

// Kinds are the media types that are understood.
var Kinds = []string{"image/jpeg", "image/png", "image/webp"}

// Errors that callers tell apart.
var (
	ErrKind  = errors.New("no picture that can be shown: expected JPEG, PNG or WebP")
	ErrSize  = errors.New("a picture of more pixels than can be read")
	ErrWhole = errors.New("a picture that cannot be read: it may not be whole")
)

// Kept is a picture as it is kept: both as JPEG.
type Kept struct {
	Content []byte // at most MostPixels along its longer side
	Small   []byte // at most SmallPixels
	Width   int    // of Content
	Height  int
}

// Kind is the media type of what is kept.
const Kind = "image/jpeg"

// Keep reads a picture and gives what is to be kept of it. It fails with ErrKind, ErrSize
// or ErrWhole, wrapped.
func Keep(content []byte) (*Kept, error) {
	if !slices.Contains(Kinds, http.DetectContentType(content)) {
		return nil, ErrKind
	}
	head, _, err := image.DecodeConfig(bytes.NewReader(content))
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrWhole, err)
	}
	if head.Width <= 0 || head.Height <= 0 || max(head.Width, head.Height) > longest ||
		head.Width > mostDecoded/head.Height {
		return nil, fmt.Errorf("%d by %d: %w", head.Width, head.Height, ErrSize)
	}
	taken, _, err := image.Decode(bytes.NewReader(content))
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrWhole, err)
	}
	large := upright(fitted(taken, MostPixels), orientation(content))
	k := &Kept{Width: large.Bounds().Dx(), Height: large.Bounds().Dy()}
	if k.Content, err = written(large); err != nil {
		return nil, err
	}
	k.Small, err = written(fitted(large, SmallPixels))
	return k, err
}

func written(i image.Image) ([]byte, error) {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, i, &jpeg.Options{Quality: quality}); err != nil {
		return nil, fmt.Errorf("writing the picture: %w", err)
	}
	return b.Bytes(), nil
}

// fitted gives a picture no larger than so many pixels along its longer side; a smaller one
// stays as large as it is. What is transparent is white.
func fitted(i image.Image, most int) *image.RGBA {
	w, h := i.Bounds().Dx(), i.Bounds().Dy()
	long := max(w, h)
	if long > 2*most { // halved, every point counts; and it takes little room
		return fitted(scaled(i, max(1, w/2), max(1, h/2)), most)
	}
	if long > most {
		w, h = max(1, w*most/long), max(1, h*most/long)
	}
	return scaled(i, w, h)
}

func scaled(i image.Image, w, h int) *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.Draw(out, out.Bounds(), image.White, image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(out, out.Bounds(), i, i.Bounds(), draw.Over, nil)
	return out
}
