package runs

import (
	"fmt"
	"net/http"

	"zincroad/formats/photo"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// photo gives a picture as it is kept, or with ?small the one for lists.
func (s *Room) photo(w http.ResponseWriter, r *http.Request) error {
	p, err := s.photoOf(r)
	if err != nil {
		return err
	}
	if r.URL.Query().Has("small") && len(p.Small) > 0 {
		p.Kind, p.Content = photo.Kind, p.Small
	}
	w.Header().Set("Content-Type", p.Kind)
	if w.Header().Get("Cache-Control") == "" { // behind a password the browser keeps none
		w.Header().Set("Cache-Control", "private, max-age=86400")
	}
	_, _ = w.Write(p.Content)
	return nil
}

func (s *Room) photoOf(r *http.Request) (*logbook.Photo, error) {
	runID, err := ui.IDParam(r, "id")
	if err != nil {
		return nil, err
	}
	id, err := ui.IDParam(r, "photo")
	if err != nil {
		return nil, err
	}
	return s.book.Photo(r.Context(), runID, id)
}

func (s *Room) deletePhoto(w http.ResponseWriter, r *http.Request) { s.putPhotoAside(w, r, true) }

func (s *Room) restorePhoto(w http.ResponseWriter, r *http.Request) { s.putPhotoAside(w, r, false) }

// putPhotoAside takes a photo off the page, or brings it back.
func (s *Room) putPhotoAside(w http.ResponseWriter, r *http.Request, aside bool) {
	p, err := s.photoOf(r)
	if err == nil {
		err = s.book.PutPhotoAside(r.Context(), p.RunID, p.ID, aside)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	to := ui.RunPath(p.RunID)
	if aside {
		to += fmt.Sprintf("?photo=%d", p.ID)
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}
