package ui

import (
	"errors"
	"fmt"
	"io"
	"net/http"

	"zincroad/formats/photo"
	"zincroad/logbook"
)

// maxPhoto is how large a picture may be: what phones take, with room to spare.
const maxPhoto = 16 << 20

// ReadPhoto reads the picture that a form may bring along; nil where it brings
// none. fault is one sentence on one that cannot be kept.
func ReadPhoto(w http.ResponseWriter, r *http.Request) (p *logbook.Photo, fault string) {
	r.Body = http.MaxBytesReader(w, r.Body, maxPhoto+1<<20)
	if err := r.ParseMultipartForm(maxPhoto); errors.Is(err, http.ErrNotMultipart) {
		return nil, ""
	} else if err != nil {
		return nil, fmt.Sprintf("The picture could not be read: expected one of at most %d MB.", maxPhoto>>20)
	}
	file, head, err := r.FormFile("photo")
	if err != nil || head.Size == 0 {
		return nil, "" // none was chosen
	}
	defer file.Close()
	content, err := io.ReadAll(file)
	if err != nil {
		return nil, fmt.Sprintf("%q could not be read; choose it once more.", head.Filename)
	}
	kept, err := photo.Keep(content)
	switch {
	case errors.Is(err, photo.ErrKind):
		return nil, fmt.Sprintf("%q is no picture that can be shown: expected JPEG, PNG or WebP.", head.Filename)
	case errors.Is(err, photo.ErrSize):
		return nil, fmt.Sprintf("%q has more pixels than can be read; choose a smaller one.", head.Filename)
	case err != nil:
		return nil, fmt.Sprintf("%q cannot be read, it may not be whole; choose it once more.", head.Filename)
	}
	return &logbook.Photo{Kind: photo.Kind, Content: kept.Content, Small: kept.Small}, ""
}
