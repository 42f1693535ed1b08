package ui

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"path/filepath"

	"zincroad/formats/runfolder"
	"zincroad/formats/sheet"
)

// MaxUpload is how large a file may be that is held while it is looked at, in bytes: three weeks of a reading a second
// in six columns. A larger one the command import reads piece by piece.
const MaxUpload = 64 << 20

// Upload reads the file of a form. The error is a sentence for people.
func Upload(w http.ResponseWriter, r *http.Request) (name string, content []byte, err error) {
	r.Body = http.MaxBytesReader(w, r.Body, MaxUpload)
	mr, err := r.MultipartReader()
	if err != nil {
		return "", nil, errors.New("no file came with the form")
	}
	for {
		p, err := mr.NextPart()
		if err != nil {
			return "", nil, errors.New("no file came with the form")
		}
		if p.FormName() != "file" || p.FileName() == "" {
			continue
		}
		content, err := readPart(p, r.ContentLength)
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return "", nil, fmt.Errorf("the file is larger than %d MB; \"zincroad import FILE\" reads one of any size",
				MaxUpload>>20)
		}
		if err != nil {
			return "", nil, errors.New("the file broke off on its way; nothing was stored")
		}
		return filepath.Base(p.FileName()), content, Hold(r.Context(), unpacked(content))
	}
}

// unpacked is how many bytes more a file comes to when it is read: what a zip or a workbook says, and as much as may
// be for a Parquet file, of which it cannot be told.
func unpacked(content []byte) int64 {
	switch {
	case runfolder.IsZip(content):
		return int64(min(runfolder.Unpacked(bytes.NewReader(content), int64(len(content))), MostHeld))
	case sheet.IsParquet(content):
		return MostHeld
	}
	return 0
}

// readPart reads a part of a body of so many bytes, -1 where that is not known, into room made once: a buffer that
// grows takes twice as much.
func readPart(p io.Reader, size int64) ([]byte, error) {
	var b bytes.Buffer
	if size > 0 {
		b.Grow(int(min(size, MaxUpload)) + bytes.MinRead)
	}
	_, err := b.ReadFrom(p)
	return b.Bytes(), err
}

// GoTo sends the browser on, also from a script's request.
func GoTo(w http.ResponseWriter, r *http.Request, to string) {
	if IsPart(r) {
		w.Header().Set("HX-Redirect", to)
		return
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}
