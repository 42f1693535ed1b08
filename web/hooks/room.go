// Package hooks is the room of those who are told what happens: programs at addresses that somebody named, by signed
// messages, which are tried again until they are heard.
package hooks

import (
	"context"
	"embed"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"

	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Book is what the room needs of the logbook.
type Book interface {
	AddHook(ctx context.Context, name, address string, events []logbook.Event) (secret string, err error)
	Hooks(ctx context.Context) ([]logbook.Hook, error)
	WithdrawHook(ctx context.Context, id int64) error
	TryHook(ctx context.Context, id int64) error
	Told(ctx context.Context, most int) ([]logbook.Telling, error)
}

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book Book
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book}, nil
}

// Routes are the room's pages.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.Do(s.page))
	r.Post("/", s.Do(s.add))
	r.Post("/{id}/withdraw", s.Do(s.withdraw))
	r.Post("/{id}/try", s.Do(s.try))
}

// eventNames are the events as a page says them.
var eventNames = map[logbook.Event]string{logbook.RunFinished: "a run has ended or come in",
	logbook.FiguresChange: "a run's figures have changed", logbook.Trial: "a trial"}

// mostTold is how much of what was told a page shows.
const mostTold = 30

type view struct {
	*ui.Fields
	Choices []choice
	Hooks   []hook
	Told    []told
	Secret  string // of the one that was made a moment ago
}

type choice struct {
	Key, Name string
	On        bool
}

type hook struct {
	logbook.Hook
	Of string // its events, in words
}

type told struct {
	logbook.Telling
	Hook, What, Became string
}

func (s *Room) page(w http.ResponseWriter, r *http.Request) error {
	return s.show(w, r, http.StatusOK, ui.NewFields(url.Values{"event": {string(logbook.RunFinished)}}), "")
}

func (s *Room) show(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields, secret string) error {
	v := view{Fields: f, Secret: secret}
	for _, e := range logbook.Events {
		v.Choices = append(v.Choices, choice{string(e), eventNames[e], slices.Contains(f.Values["event"], string(e))})
	}
	list, err := s.book.Hooks(r.Context())
	if err != nil {
		return err
	}
	names := map[int64]string{}
	for _, h := range list {
		var of []string
		for _, e := range h.Events {
			of = append(of, eventNames[e])
		}
		names[h.ID] = h.Name
		v.Hooks = append(v.Hooks, hook{h, strings.Join(of, "; ")})
	}
	tellings, err := s.book.Told(r.Context(), mostTold)
	if err != nil {
		return err
	}
	for _, t := range tellings {
		v.Told = append(v.Told, told{t, names[t.HookID], eventNames[t.Event], s.became(t)})
	}
	w.Header().Set("Cache-Control", "no-store")
	s.Render(w, r, "hooks", status, ui.Frame{Title: "Hooks", Page: "hooks", Data: v})
	return nil
}

// became says what came of an event.
func (s *Room) became(t logbook.Telling) string {
	switch {
	case t.DoneAt != nil:
		return t.Said
	case t.Tries == 0:
		return "on its way"
	}
	return fmt.Sprintf("%s; tried %d %s, again at %s UTC", t.Said, t.Tries, words.Plural(t.Tries, "time"),
		t.NextAt.UTC().Format("15:04:05"))
}

// add makes a hook, and shows its secret once.
func (s *Room) add(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	name, address := f.Needed("name", "what the hook is for"), f.Text("address")
	to, err := url.Parse(address)
	if err != nil || to.Scheme != "http" && to.Scheme != "https" || to.Host == "" || to.User != nil {
		f.Fault("address", "An address that begins with http:// or https://, without a password in it.")
	}
	var events []logbook.Event
	for _, e := range f.Values["event"] {
		events = append(events, logbook.Event(e))
	}
	if len(events) == 0 {
		f.Fault("event", "Choose what it is told.")
	}
	if !f.OK() {
		return s.show(w, r, http.StatusUnprocessableEntity, f, "")
	}
	secret, err := s.book.AddHook(r.Context(), name, address, events)
	if err != nil {
		return err
	}
	return s.show(w, r, http.StatusOK, ui.NewFields(url.Values{"event": {string(logbook.RunFinished)}}), secret)
}

func (s *Room) withdraw(w http.ResponseWriter, r *http.Request) error {
	return s.change(w, r, s.book.WithdrawHook)
}

func (s *Room) try(w http.ResponseWriter, r *http.Request) error {
	return s.change(w, r, s.book.TryHook)
}

// change does something to the hook that an address names, and goes back to the page.
func (s *Room) change(w http.ResponseWriter, r *http.Request, do func(context.Context, int64) error) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = do(r.Context(), id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, "/hooks", http.StatusSeeOther)
	return nil
}
