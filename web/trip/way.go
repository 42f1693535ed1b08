package trip

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"path/filepath"
	"strings"

	"zincroad/core/trip"
	"zincroad/formats/trackfile"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// nearKm is how far there and back a site may lie from a way to be put on it unasked.
const nearKm = 20

// along fills in what a way that was chosen a moment ago says: its length, and where it passes sites.
func (v *View) along() {
	chosen := ""
	if v.Way != nil {
		chosen = fmt.Sprint(v.Way.ID)
	}
	if chosen != v.Values.Get("way_was") && v.Way != nil {
		km := func(name string, n float64) {
			n = math.Round(v.In.Show("km", n)*10) / 10
			v.Values.Set(name, ui.PlainNumber(&n))
		}
		km("distance", v.Way.Track.LengthKm())
		for _, p := range v.Places {
			if p.site.Latitude == nil || v.Values.Get(p.At) != "" {
				continue
			}
			if at, detour := v.Way.Track.Aside(*p.site.Latitude, *p.site.Longitude); detour <= nearKm {
				km(p.At, at)
				km(p.Detour, detour)
			}
		}
	}
	v.Values.Set("way_was", chosen)
}

// takeWay keeps a track that was sent, and goes on with it.
func (s *Room) takeWay(w http.ResponseWriter, r *http.Request) error {
	name, content, err := ui.Upload(w, r)
	var track *trip.Track
	if err == nil {
		track, err = trackfile.Read(content)
	}
	if err != nil { // what was chosen stays
		text := ui.Sentence(err.Error())
		if name != "" {
			text = fmt.Sprintf("%s: %s.", name, err)
		}
		return s.show(w, r, r.URL.Query(), http.StatusUnprocessableEntity, &ui.Notice{Text: text, Bad: true})
	}
	way := &logbook.Way{Name: strings.TrimSuffix(name, filepath.Ext(name)), Track: *track}
	if way.Name == "" {
		way.Name = name
	}
	if err := s.book.SaveWay(r.Context(), way); err != nil {
		return err
	}
	s.onWay(w, r, way.ID)
	return nil
}

// onWay shows what else was chosen on a way.
func (s *Room) onWay(w http.ResponseWriter, r *http.Request, id int64) {
	q := r.URL.Query()
	q.Set("way", fmt.Sprint(id))
	q.Del("way_was")
	http.Redirect(w, r, "/trip?"+q.Encode(), http.StatusSeeOther)
}

// deleteWay removes a way, and offers to bring it back.
func (s *Room) deleteWay(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.DeleteWay(r.Context(), id)
	}
	if err != nil {
		return err
	}
	return s.show(w, r, url.Values{}, http.StatusOK,
		&ui.Notice{Text: "The way is removed.", Undo: fmt.Sprintf("/trip/ways/%d/restore", id)})
}

func (s *Room) restoreWay(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.RestoreWay(r.Context(), id)
	}
	if err != nil {
		return err
	}
	s.onWay(w, r, id)
	return nil
}
