package web

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"

	"zincroad/logbook"
)

// maxPhoto is how large a picture may be: what phones take, with room to spare.
const maxPhoto = 16 << 20

// readPhoto reads the picture that a form may bring along; nil where it brings
// none. fault is one sentence on one that cannot be kept.
func readPhoto(w http.ResponseWriter, r *http.Request) (p *logbook.Photo, fault string) {
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
	kind := http.DetectContentType(content)
	if !slices.Contains(logbook.PhotoKinds, kind) {
		return nil, fmt.Sprintf("%q is no picture that can be shown: expected JPEG, PNG or WebP.", head.Filename)
	}
	return &logbook.Photo{Kind: kind, Content: content}, ""
}

// photo gives a picture as it was taken.
func (s *Server) photo(w http.ResponseWriter, r *http.Request) {
	p, err := s.photoOf(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", p.Kind)
	w.Header().Set("Cache-Control", "private, max-age=86400")
	_, _ = w.Write(p.Content)
}

func (s *Server) photoOf(r *http.Request) (*logbook.Photo, error) {
	runID, err := idParam(r, "id")
	if err != nil {
		return nil, err
	}
	id, err := idParam(r, "photo")
	if err != nil {
		return nil, err
	}
	return s.book.Photo(r.Context(), runID, id)
}

func (s *Server) deletePhoto(w http.ResponseWriter, r *http.Request) { s.putPhotoAside(w, r, true) }

func (s *Server) restorePhoto(w http.ResponseWriter, r *http.Request) { s.putPhotoAside(w, r, false) }

func (s *Server) putPhotoAside(w http.ResponseWriter, r *http.Request, aside bool) {
	p, err := s.photoOf(r)
	if err == nil {
		err = s.book.PutPhotoAside(r.Context(), p.RunID, p.ID, aside)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	to := fmt.Sprintf("/runs/%d", p.RunID)
	if aside {
		to += fmt.Sprintf("?photo=%d", p.ID)
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}
