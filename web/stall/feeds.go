package stall

import (
	"context"
	"net"
	"net/http"
	"net/url"
	"strconv"

	"zincroad/core/trace"
	"zincroad/formats/profile"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// feedForm is the form for a source of readings, filled in as it was for the last
// run with this car and at this stall.
func (s *Room) feedForm(ctx context.Context, row *logbook.Run) (*ui.Fields, error) {
	v := url.Values{"connector": {"1"}, "profile": {string(profile.Example())}}
	adapter, err := s.book.LastFeed(ctx, row, logbook.AdapterFeed)
	if err != nil {
		return nil, err
	}
	if adapter != nil {
		v.Set("adapter", adapter.Address)
		v.Set("profile", adapter.Profile)
	}
	point, err := s.book.LastFeed(ctx, row, logbook.ChargePointFeed)
	if err != nil {
		return nil, err
	}
	if point != nil {
		v.Set("point", point.Address)
		v.Set("connector", strconv.Itoa(point.Connector))
	}
	return ui.NewFields(v), nil
}

// feedsPage shows a live run's sources, and takes new ones.
func (s *Room) feedsPage(w http.ResponseWriter, r *http.Request) error {
	row, ok := s.liveOf(w, r)
	if !ok {
		return nil
	}
	f, err := s.feedForm(r.Context(), row)
	if err != nil {
		return err
	}
	s.showFeeds(w, r, http.StatusOK, row, f)
	return nil
}

type feedsView struct {
	*ui.Fields
	Row   *logbook.Run
	Feeds []logbook.Feed
	Host  string // where charge points are to report to
}

func (s *Room) showFeeds(w http.ResponseWriter, r *http.Request, status int, row *logbook.Run, f *ui.Fields) {
	feeds, err := s.book.Feeds(r.Context(), row.ID)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, "stall-feeds", status,
		ui.Frame{Title: "Sources", Page: "stall", Site: ui.SiteOf(row), Data: feedsView{f, row, feeds, r.Host}})
}

// addFeed adds an adapter or a charge point to a live run.
func (s *Room) addFeed(w http.ResponseWriter, r *http.Request) error {
	row, f, ok := s.formOf(w, r)
	if !ok {
		return nil
	}
	feed := &logbook.Feed{
		RunID:     row.ID,
		Kind:      f.Word("kind", []string{logbook.AdapterFeed, logbook.ChargePointFeed}),
		Connector: 1,
	}
	side := trace.StallSide
	switch feed.Kind {
	case logbook.AdapterFeed:
		side, feed.Address, feed.Profile = trace.CarSide, f.Needed("adapter", "An address"), f.Long("profile")
		if _, _, err := net.SplitHostPort(feed.Address); err != nil && feed.Address != "" {
			f.Fault("adapter", "%q: expected a host and a port, such as 192.168.4.1:35000.", feed.Address)
		}
		if _, err := profile.Parse([]byte(feed.Profile)); err != nil {
			f.Fault("profile", "%s", ui.Sentence(err.Error()))
		}
	case logbook.ChargePointFeed:
		feed.Address = f.Needed("point", "Its name")
		if n := f.Number("connector", 1, 99); n != nil {
			feed.Connector = int(*n)
		}
	default:
		f.Fault("kind", "An adapter or a charge point?")
	}
	if !f.OK() {
		other, err := s.feedForm(r.Context(), row)
		if err != nil {
			return err
		}
		for k, v := range other.Values {
			if !f.Values.Has(k) { // of the other form
				f.Values[k] = v
			}
		}
		s.showFeeds(w, r, http.StatusUnprocessableEntity, row, f)
		return nil
	}
	if err := s.book.AddFeed(r.Context(), feed, side); err != nil {
		return err
	}
	http.Redirect(w, r, ui.StallRunPath(row.ID), http.StatusSeeOther)
	return nil
}

// deleteFeed takes a source away; what it recorded stays.
func (s *Room) deleteFeed(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err == nil {
		var id int64
		if id, err = ui.IDParam(r, "feed"); err == nil {
			err = s.book.DeleteFeed(r.Context(), row.ID, id)
		}
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.StallRunPath(row.ID, "/sources"), http.StatusSeeOther)
	return nil
}
