package web

import (
	"fmt"
	"net"
	"net/http"
	"net/url"

	"zincroad/core/trace"
	"zincroad/formats/profile"
	"zincroad/logbook"
)

// feedForm is the form for a source of readings, as it was typed.
func feedForm() *fields {
	return newFields(url.Values{"connector": {"1"}, "profile": {string(profile.Example())}})
}

// feedsPage shows a live run's sources, and takes new ones.
func (s *Server) feedsPage(w http.ResponseWriter, r *http.Request) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return
	}
	s.showFeeds(w, r, http.StatusOK, row, feedForm())
}

type feedsView struct {
	*fields
	Row   *logbook.Run
	Feeds []logbook.Feed
	Host  string // where charge points are to report to
}

func (s *Server) showFeeds(w http.ResponseWriter, r *http.Request, status int, row *logbook.Run, f *fields) {
	feeds, err := s.book.Feeds(r.Context(), row.ID)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, "stall-feeds", status, Frame{Title: "Sources", Page: "stall", Data: feedsView{f, row, feeds, r.Host}})
}

// addFeed adds an adapter or a charge point to a live run.
func (s *Server) addFeed(w http.ResponseWriter, r *http.Request) {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return
	}
	feed := &logbook.Feed{RunID: row.ID, Kind: f.word("kind", []string{logbook.AdapterFeed, logbook.ChargePointFeed}), Address: f.needed("address", "An address"), Connector: 1}
	side := trace.StallSide
	switch feed.Kind {
	case logbook.AdapterFeed:
		side, feed.Profile = trace.CarSide, f.long("profile")
		if _, _, err := net.SplitHostPort(feed.Address); err != nil && feed.Address != "" {
			f.fault("address", "%q: expected a host and a port, such as 192.168.4.1:35000.", feed.Address)
		}
		if _, err := profile.Parse([]byte(feed.Profile)); err != nil {
			f.fault("profile", "%s", sentence(err.Error()))
		}
	case logbook.ChargePointFeed:
		if n := f.number("connector", 1, 99); n != nil {
			feed.Connector = int(*n)
		}
	default:
		f.fault("kind", "An adapter or a charge point?")
	}
	if !f.ok() {
		other := feedForm()
		for k, v := range other.Values {
			if f.Values.Get(k) == "" {
				f.Values[k] = v
			}
		}
		s.showFeeds(w, r, http.StatusUnprocessableEntity, row, f)
		return
	}
	if err := s.book.AddFeed(r.Context(), feed, side); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/stall/%d", row.ID), http.StatusSeeOther)
}

func (s *Server) deleteFeed(w http.ResponseWriter, r *http.Request) {
	row, err := s.rowOf(r)
	if err == nil {
		var id int64
		if id, err = idParam(r, "feed"); err == nil {
			err = s.book.DeleteFeed(r.Context(), row.ID, id)
		}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/stall/%d/sources", row.ID), http.StatusSeeOther)
}
