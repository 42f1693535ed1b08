package ui

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
)

// maxUpload is how large a file may be, in bytes.
const maxUpload = 256 << 20

// Upload reads the file of a form. The error is a sentence for people.
func Upload(w http.ResponseWriter, r *http.Request) (name string, content []byte, err error) {
	r.Body = http.MaxBytesReader(w, r.Body, maxUpload)
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
		content, err := io.ReadAll(p)
		var tooLarge *http.MaxBytesError
		if errors.As(err, &tooLarge) {
			return "", nil, fmt.Errorf("the file is larger than %d MB", maxUpload>>20)
		}
		if err != nil {
			return "", nil, errors.New("the file broke off on its way; nothing was stored")
		}
		return filepath.Base(p.FileName()), content, nil
	}
}

// GoTo sends the browser on, also from a script's request.
func GoTo(w http.ResponseWriter, r *http.Request, to string) {
	if IsPart(r) {
		w.Header().Set("HX-Redirect", to)
		return
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}
