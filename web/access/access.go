// Package access lets in who knows the program's password, where one is set.
package access

import (
	"context"
	"embed"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"zincroad/internal/caller"
	"zincroad/internal/password"
	"zincroad/logbook"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Book is what the room needs of the logbook.
type Book interface {
	PasswordHash(ctx context.Context) (string, error)
	ForgetSessions(ctx context.Context) error
	AddToken(ctx context.Context, name string, role logbook.Role, ends time.Time) (secret string, err error)
	Tokens(ctx context.Context) ([]logbook.Token, error)
	WithdrawToken(ctx context.Context, id int64) error
}

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book     Book
	sessions *scs.SessionManager
	proxied  bool // a proxy stands in front and says where requests come from
}

const (
	// A session ends a month after it began; the store ends one that was left idle. Nothing but entering changes a
	// session, so that no answer stores one again that was ended meanwhile.
	lifetime = 30 * 24 * time.Hour
	// How long what stays open may go on after its reader signed out.
	watchEvery = 5 * time.Second

	signedIn = "in"
)

// New furnishes the room; store keeps who is signed in. It fails when its own template is broken.
func New(u *ui.UI, book Book, store scs.CtxStore) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	m := scs.New()
	m.Store, m.Lifetime, m.HashTokenInStore = store, lifetime, true
	m.Cookie.Name, m.Cookie.HttpOnly, m.Cookie.SameSite = "zincroad", true, http.SameSiteLaxMode
	s := &Room{Pages: pages, book: book, sessions: m}
	m.ErrorFunc = s.Fail
	return s, nil
}

// BehindProxy makes the session's cookie one for TLS alone, which the proxy in front speaks, and takes its word on
// where requests come from; before serving.
func (s *Room) BehindProxy() { s.sessions.Cookie.Secure, s.proxied = true, true }

// From is the address that a request came from.
func (s *Room) From(r *http.Request) (string, error) {
	return caller.Address(r, s.proxied), nil
}

// Routes are the room's own paths.
func (s *Room) Routes(r chi.Router) {
	r.Get("/enter", s.door)
	r.With(httprate.LimitBy(password.TriesAMinute, time.Minute, s.From, httprate.WithLimitHandler(s.tooMany))).
		Post("/enter", s.Do(s.enter))
	r.Post("/leave", s.Do(s.leave))
	r.Get("/tokens", s.Do(s.tokens))
	r.Post("/tokens", s.Do(s.addToken))
	r.Post("/tokens/{id}/withdraw", s.Do(s.withdrawToken))
}

// Gate lets through who is signed in, everybody where no password is set, and what a door needs.
func (s *Room) Gate(next http.Handler) http.Handler {
	return s.sessions.LoadAndSave(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		hash, err := s.book.PasswordHash(r.Context())
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		if hash == "" {
			next.ServeHTTP(w, r)
			return
		}
		w.Header().Set("Cache-Control", "no-store") // what is behind a password stays out of the browser's store
		in := s.sessions.GetBool(r.Context(), signedIn)
		r = r.WithContext(ui.WithDoor(r.Context(), in))
		switch {
		case in || r.URL.Path == "/enter":
			next.ServeHTTP(w, r)
		case isForm(r):
			s.askFirst(w, r)
		case r.Method != http.MethodGet || ui.IsPart(r):
			// The page stays with what was typed in it, and can send it again when another tab has signed in.
			http.Error(w, "Sign in first: open /enter in another tab, then send this again.", http.StatusUnauthorized)
		default:
			http.Redirect(w, r, "/enter?to="+url.QueryEscape(r.URL.RequestURI()), http.StatusSeeOther)
		}
	}))
}

// Watch lets a request that stays open go on only while its sender would still be let in: whoever signs out, here or
// everywhere, or whom a new password shuts out, sees nothing more within seconds. While the database is away nobody is
// asked to leave.
func (s *Room) Watch(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		token := ""
		if c, err := r.Cookie(s.sessions.Cookie.Name); err == nil {
			token = c.Value
		}
		ctx, end := context.WithCancel(r.Context())
		defer end()
		go func() {
			again := time.NewTicker(watchEvery)
			defer again.Stop()
			for {
				select {
				case <-ctx.Done():
					return
				case <-again.C:
					if !s.stillIn(token) {
						end()
					}
				}
			}
		}()
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// stillIn tells whether the holder of a session's token would be let in now, by the session as it is kept and not as
// the request found it.
func (s *Room) stillIn(token string) bool {
	ctx, cancel := context.WithTimeout(context.Background(), watchEvery)
	defer cancel()
	hash, err := s.book.PasswordHash(ctx)
	if err != nil || hash == "" {
		return true
	}
	ctx, err = s.sessions.Load(ctx, token)
	return err != nil || s.sessions.GetBool(ctx, signedIn)
}

// isForm tells whether a request is a form that a person sent, of fields alone.
func isForm(r *http.Request) bool {
	return r.Method == http.MethodPost && !ui.IsPart(r) && !ui.IsScript(r) &&
		strings.HasPrefix(r.Header.Get("Content-Type"), "application/x-www-form-urlencoded")
}

// again is the field that says that what stands beside it was typed into a form before, to be sent on.
const again = "zincroad-again"

// askFirst asks somebody who is signed out for the password, with all that they have just typed beside it: it
// goes to where it was to go when they are in.
func (s *Room) askFirst(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	v := doorView{Fields: ui.NewFields(url.Values{}), To: r.URL.RequestURI(), Typed: f.Values}
	v.Fault("password", "You were signed out. What you typed is kept, and goes on when you are in.")
	s.Render(w, r, "enter", http.StatusUnauthorized, ui.Frame{Title: "Sign in", Data: v})
}

type doorView struct {
	*ui.Fields
	To    string
	In    bool
	Typed url.Values // into a form before
}

func (s *Room) door(w http.ResponseWriter, r *http.Request) {
	s.showDoor(w, r, http.StatusOK, ui.NewFields(url.Values{}))
}

func (s *Room) showDoor(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields) {
	v := doorView{Fields: f, To: r.FormValue("to"), In: s.sessions.GetBool(r.Context(), signedIn)}
	if f.Values.Get(again) != "" {
		v.Typed = f.Values
		for _, own := range []string{again, "to", "username"} {
			v.Typed.Del(own)
		}
	}
	w.Header().Set("Cache-Control", "no-store")
	s.Render(w, r, "enter", status, ui.Frame{Title: "Sign in", Data: v})
}

// enter holds a password against the one that is set. A session gets a new token when it becomes one of
// somebody who is signed in.
func (s *Room) enter(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	hash, err := s.book.PasswordHash(r.Context())
	if err != nil {
		return err
	}
	right := false
	if hash != "" {
		if right, err = password.Matches(r.Context(), hash, f.Values.Get("password")); err != nil {
			return err
		}
	}
	if !right {
		f.Values.Del("password")
		f.Fault("password", "This is not the password.")
		s.Log.Warn("a wrong password", "from", caller.Address(r, s.proxied))
		s.showDoor(w, r, http.StatusUnprocessableEntity, f)
		return nil
	}
	if err := s.sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	s.sessions.Put(r.Context(), signedIn, true)
	s.Log.Info("signed in", "from", caller.Address(r, s.proxied))
	to := ui.Inside(f.Values.Get("to"))
	if f.Values.Get(again) != "" { // the browser sends the same fields on
		http.Redirect(w, r, to, http.StatusTemporaryRedirect)
		return nil
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

func (s *Room) tooMany(w http.ResponseWriter, r *http.Request) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	f.Values.Del("password")
	f.Fault("password", "Too many tries from this address: wait a minute.")
	s.showDoor(w, r, http.StatusTooManyRequests, f)
}

// leave signs out here, or everywhere.
func (s *Room) leave(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	if err := s.sessions.Destroy(r.Context()); err != nil {
		return err
	}
	if f.Values.Get("everywhere") != "" {
		if err := s.book.ForgetSessions(r.Context()); err != nil {
			return err
		}
	}
	http.Redirect(w, r, "/enter", http.StatusSeeOther)
	return nil
}
