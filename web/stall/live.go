package stall

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"zincroad/core/units"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// liveHub keeps one watch for each live run that somebody looks at, and tells every
// page of it what changed.
type liveHub struct {
	s  *Room
	mu sync.Mutex
	by map[int64]*watch
}

// The pace of live pages: at most one picture a second, one every few seconds
// though nothing came in, since ages and expectations move on.
const (
	livePace  = time.Second
	liveIdle  = 3 * time.Second
	pingEvery = 15 * time.Second
)

// watch follows one run for its pages.
type watch struct {
	pages map[chan frame]onlooker
	news  chan struct{}
	stop  context.CancelFunc
}

// onlooker is who a page is open for.
type onlooker struct {
	in   units.People
	name string // of the crew; empty: nobody in particular
}

// frame is one state of a page, by its parts.
type frame struct{ now, acts, last string }

// FollowLive hears of live runs from the database until the context ends, so that
// pages show what any copy of the program stores. Without it they notice every
// few seconds.
func (s *Room) FollowLive(ctx context.Context) {
	_ = s.book.Listen(ctx, s.live.kick)
}

// kick tells the watch of a run that something changed; 0 tells all of them.
func (h *liveHub) kick(id int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for of, w := range h.by {
		if id == 0 || id == of {
			select {
			case w.news <- struct{}{}:
			default:
			}
		}
	}
}

// join adds a page to a run's watch, beginning it if need be.
func (h *liveHub) join(of context.Context, id int64, who onlooker) (pages chan frame, leave func()) {
	h.mu.Lock()
	defer h.mu.Unlock()
	w := h.by[id]
	if w == nil {
		ctx, stop := context.WithCancel(logbook.InCrew(context.Background(), logbook.ActorOf(of).Crew))
		w = &watch{pages: map[chan frame]onlooker{}, news: make(chan struct{}, 1), stop: stop}
		h.by[id] = w
		go h.follow(ctx, id, w)
	}
	c := make(chan frame, 1)
	w.pages[c] = who
	select {
	case w.news <- struct{}{}:
	default:
	}
	return c, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(w.pages, c)
		if len(w.pages) == 0 {
			w.stop()
			delete(h.by, id)
		}
	}
}

// follow draws a run anew when something came in, and gives it to every page. A
// page that is slow gets the newest when it is ready.
func (h *liveHub) follow(ctx context.Context, id int64, w *watch) {
	c := &liveCache{}
	for ctx.Err() == nil {
		if err := h.show(ctx, id, w, c); err != nil && ctx.Err() == nil {
			h.s.Log.Warn("following a live run", "run", id, "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(livePace):
			select {
			case <-ctx.Done():
			case <-w.news:
			case <-time.After(liveIdle - livePace):
			}
		}
	}
}

// show gives every page of a run its newest state, drawn once for all readers of the same units.
func (h *liveHub) show(ctx context.Context, id int64, w *watch, c *liveCache) error {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	v, err := h.viewWith(ctx, id, c)
	if err != nil {
		return err
	}
	v.Here = h.here(w)
	drawn := map[units.People]frame{}
	for _, in := range units.Peoples {
		if drawn[in], err = h.draw(v, in); err != nil {
			return err
		}
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	for page, who := range w.pages {
		select {
		case <-page: // an older one that nobody took
		default:
		}
		page <- drawn[who.in]
	}
	return nil
}

// here lists by name who has a run's page open.
func (h *liveHub) here(w *watch) []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	var names []string
	for _, who := range w.pages {
		if who.name != "" && !slices.Contains(names, who.name) {
			names = append(names, who.name)
		}
	}
	slices.Sort(names)
	return names
}

// draw makes the parts of a live page, each of which is sent only when it changed.
func (h *liveHub) draw(v *liveView, in units.People) (frame, error) {
	var f frame
	for name, into := range map[string]*string{"live-now": &f.now, "live-acts": &f.acts, "live-last": &f.last} {
		var b bytes.Buffer
		if err := h.s.Draw(&b, ui.Reader{People: in}, "stall-live", name, v); err != nil {
			return frame{}, fmt.Errorf("drawing %s: %w", name, err)
		}
		*into = b.String()
	}
	return f, nil
}

// Events is the stream that a live page listens to, also that of a run that was ended while nobody looked: it says so.
func (s *Room) Events(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err == nil && row.StartedAt == nil {
		err = fmt.Errorf("run %d at the stall: %w", row.ID, logbook.ErrNotFound)
	}
	if err != nil {
		return err
	}
	rc := http.NewResponseController(w)
	_ = rc.SetWriteDeadline(time.Time{})
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	frames, leave := s.live.join(r.Context(), row.ID, onlooker{ui.MeasuresOf(r), ui.DoorOf(r.Context()).Name})
	defer leave()
	ping := time.NewTicker(pingEvery)
	defer ping.Stop()
	var was frame
	for {
		select {
		case <-r.Context().Done():
			return nil
		case <-s.closing:
			return nil
		case f := <-frames:
			f = f.trimmed(r.Context())
			fmt.Fprintf(w, "event: clock\ndata: %d\n\n", s.Now().UnixMilli())
			event(w, "now", f.now)
			if f.acts != was.acts {
				event(w, "acts", f.acts)
			}
			if f.last != was.last {
				event(w, "last", f.last)
			}
			was = f
		case <-ping.C:
			fmt.Fprint(w, ": still here\n\n")
		}
		if rc.Flush() != nil {
			return nil
		}
	}
}

// trimmed is a frame without the buttons that its reader would be refused.
func (f frame) trimmed(ctx context.Context) frame {
	for _, part := range []*string{&f.now, &f.acts, &f.last} {
		*part = string(ui.Trimmed(ctx, []byte(*part)))
	}
	return f
}

func event(w http.ResponseWriter, name, html string) {
	fmt.Fprintf(w, "event: %s\n", name)
	for _, line := range strings.Split(strings.ReplaceAll(strings.TrimSpace(html), "\r", ""), "\n") {
		fmt.Fprintf(w, "data: %s\n", line)
	}
	fmt.Fprint(w, "\n")
}
