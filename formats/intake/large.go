package intake

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/jsontable"
	"zincroad/formats/meter"
	"zincroad/formats/runfolder"
	"zincroad/formats/sheet"
)

// LargeFrom is the size in bytes from which a table is read as a stream.
const LargeFrom = 48 << 20

// Large is a table of text that is too large to be held: how it is read, and how many rows it has,
// about.
type Large struct {
	Name   string
	Layout csvlog.Layout
	Side   trace.Side
	Zone   *time.Location
	Rows   int
	Open   func() (io.ReadCloser, error) // from its beginning, as often as is asked
}

// LargeTable looks at a file on disk; false where it is small, or anything but one side's table of
// text.
func LargeTable(path string, c Choices) (*Large, bool, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, false, fmt.Errorf("opening %s: %w", path, err)
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil || info.IsDir() || info.Size() < LargeFrom {
		return nil, false, nil
	}
	head := make([]byte, 1<<16)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return nil, false, fmt.Errorf("reading %s: %w", path, err)
	}
	head = head[:n]
	if runfolder.IsZip(head) || sheet.IsParquet(head) || meter.Looks(head) || jsontable.Looks(head) {
		return nil, false, nil
	}
	layout, err := csvlog.Guess(f, info.Size(), path)
	if err != nil {
		return nil, false, err
	}
	if c.Side == "" {
		c.Side = likelySide(path, trace.CarSide)
	}
	if len(layout.Sides(c.Side)) > 1 {
		return nil, false, nil
	}
	return &Large{
		Name:   filepath.Base(path),
		Layout: layout,
		Side:   c.Side,
		Zone:   c.Zone,
		Rows:   csvlog.Rows(head, info.Size()),
		Open:   func() (io.ReadCloser, error) { return os.Open(path) },
	}, true, nil
}
