// Package access lets people, devices and programs in, and says who may do what.
package access

import (
	"context"
	"embed"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"zincroad/internal/caller"
	"zincroad/internal/password"
	"zincroad/logbook"
	"zincroad/web/rights"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Book is what the room needs of the logbook.
type Book interface {
	Door(ctx context.Context) (logbook.Door, error)
	ForgetSessions(ctx context.Context) error
	AddToken(ctx context.Context, name string, role logbook.Role, ends time.Time) (secret string, err error)
	Tokens(ctx context.Context) ([]logbook.Token, error)
	WithdrawToken(ctx context.Context, id int64) error
	MayChange(ctx context.Context, a logbook.Actor, id int64) (bool, error)
	Sites(ctx context.Context) ([]logbook.Site, error)
	crew
	keys
	providers
}

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book     Book
	sessions *scs.SessionManager
	names    *httprate.RateLimiter // tries with one name, from browsers that it did not come in by
	provider *vouching             // nil: none is trusted
	proxied  bool                  // a proxy stands in front and says where requests come from
}

const (
	// A session ends a month after it began; the store ends one that was left idle. Nothing but entering changes a
	// session, so that no answer stores one again that was ended meanwhile.
	lifetime = 30 * 24 * time.Hour
	// How long what stays open may go on after its reader signed out.
	watchEvery = 5 * time.Second

	// How long signing in is proof enough for what gives others a way in, or takes one away: half an hour, which
	// ASVS 3.7.1 leaves open and a keeper at work does not feel.
	provedFor = 30 * time.Minute

	signedIn   = "in"     // of a session of the password for everybody
	personIs   = "person" // of one of a person: who, and
	provedAt   = "proved" // when they came in, in seconds since 1970
	epochIs    = "epoch"  // since when
	namedTries = 10       // a minute, with one name, from strangers' browsers together
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
	s.names = httprate.NewRateLimiter(namedTries, time.Minute, httprate.WithLimitHandler(s.tooManyNamed))
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
	tries := httprate.LimitBy(password.TriesAMinute, time.Minute, s.From, httprate.WithLimitHandler(s.tooMany))
	keyTries := httprate.LimitBy(keysAMinute, time.Minute, s.From)
	r.Get("/enter", s.door)
	r.With(tries).Post("/enter", s.Do(s.enter))
	r.Post("/leave", s.Do(s.leave))
	r.Get("/join/{secret}", s.Do(s.invited))
	r.With(httprate.LimitBy(joinsAMinute, time.Minute, s.From)).Post("/join/{secret}", s.Do(s.join))
	r.Get("/me", s.Do(s.me))
	r.With(tries).Post("/me/password", s.Do(s.newPassword))
	r.Post("/me/passkeys/begin", s.Do(s.beginKey))
	r.Post("/me/passkeys", s.Do(s.addKey))
	r.Post("/me/passkeys/{id}/remove", s.Do(s.removeKey))
	r.With(keyTries).Post("/enter/passkey/begin", s.Do(s.beginEnter))
	r.With(keyTries).Post("/enter/passkey", s.Do(s.enterByKey))
	r.With(keyTries).Get("/enter/with", s.Do(s.with))
	r.With(keyTries).Get("/enter/with/back", s.Do(s.back))
	r.Post("/me/disconnect", s.Do(s.disconnect))
	r.Get("/crew", s.Do(s.crew))
	r.Post("/crew", s.Do(s.begin))
	r.Post("/crew/invitations", s.Do(s.invite))
	r.Post("/crew/invitations/{id}/withdraw", s.Do(s.withdrawInvitation))
	r.Post("/crew/{id}/link", s.Do(s.link))
	r.Post("/crew/{id}/role", s.Do(s.setRole))
	r.Post("/crew/{id}/leave", s.Do(s.sendAway))
	r.Get("/tokens", s.Do(s.tokens))
	r.Post("/tokens", s.Do(s.addToken))
	r.Post("/tokens/{id}/withdraw", s.Do(s.withdrawToken))
}

// Gate lets through who is signed in and may do what is asked, everybody where nothing keeps strangers out, and what
// a door needs.
func (s *Room) Gate(next http.Handler) http.Handler {
	return s.sessions.LoadAndSave(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		door, err := s.book.Door(r.Context())
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		if door.Open() {
			next.ServeHTTP(w, r)
			return
		}
		w.Header().Set("Cache-Control", "no-store") // what is behind a password stays out of the browser's store
		actor, in, err := s.comes(r.Context(), door)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		judge := &rights.Judge{Actor: actor, Routes: chi.RouteContext(r.Context()).Routes, Runs: s.book}
		at := ui.Door{Set: true, In: in, Crew: door.Crew}
		if actor.PersonID != 0 && r.Method == http.MethodGet && !ui.IsPart(r) {
			if at.News, err = s.book.Unseen(r.Context(), actor.PersonID); err != nil {
				s.Fail(w, r, err)
				return
			}
		}
		ctx := ui.WithDoor(logbook.By(r.Context(), actor), at)
		if !actor.May(logbook.Keeper) {
			ctx = ui.WithRights(ctx, func(method, path string) bool {
				no, err := judge.May(ctx, method, path)
				return err == nil && no == nil
			})
		}
		r = r.WithContext(ctx)
		switch {
		case s.isDoor(r):
			next.ServeHTTP(w, r)
		case in && door.Crew && s.asksProof(r) && isForm(r):
			s.askFirst(w, r, door, longAgo+": sign in once more, and it goes on.")
		case in && door.Crew && s.asksProof(r):
			s.Fail(w, r, ui.Refused(longAgo+": sign out and in again first"))
		case in:
			s.judged(next, judge, w, r)
		case isForm(r):
			s.askFirst(w, r, door, "You were signed out. What you typed is kept, and goes on when you are in.")
		case r.Method != http.MethodGet || ui.IsPart(r):
			// The page stays with what was typed in it, and can send it again when another tab has signed in.
			http.Error(w, "Sign in first: open /enter in another tab, then send this again.", http.StatusUnauthorized)
		default:
			http.Redirect(w, r, "/enter?to="+url.QueryEscape(r.URL.RequestURI()), http.StatusSeeOther)
		}
	}))
}

const longAgo = "It is more than half an hour since you signed in, and this decides who comes in"

// waysIn are the requests that give somebody a way in, or take one away.
var waysIn = []string{"/crew/invitations", "/crew/{id}/link", "/crew/{id}/role", "/crew/{id}/leave",
	"/me/passkeys/begin", "/me/passkeys/{id}/remove", "/me/disconnect", "/tokens", "/tokens/{id}/withdraw"}

// asksProof tells whether a request decides who comes in, and was sent long after its sender proved who they are:
// somebody else may stand at their screen.
func (s *Room) asksProof(r *http.Request) bool {
	pattern := chi.RouteContext(r.Context()).Routes.Find(chi.NewRouteContext(), r.Method, r.URL.Path)
	return r.Method == http.MethodPost && slices.Contains(waysIn, pattern) && s.longAgo(r.Context())
}

// longAgo tells whether it is too long since somebody proved who they are.
func (s *Room) longAgo(ctx context.Context) bool {
	return s.Now().Sub(time.Unix(s.sessions.GetInt64(ctx, provedAt), 0)) > provedFor
}

// isDoor tells whether a request is for what anybody needs to come in.
func (s *Room) isDoor(r *http.Request) bool {
	pattern := chi.RouteContext(r.Context()).Routes.Find(chi.NewRouteContext(), r.Method, r.URL.Path)
	needs, ok := rights.Of(r.Method, pattern)
	return ok && needs.Role == ""
}

// judged does what is asked where the actor may do it; pages show them nothing else.
func (s *Room) judged(next http.Handler, judge *rights.Judge, w http.ResponseWriter, r *http.Request) {
	no, err := judge.May(r.Context(), r.Method, r.URL.Path)
	switch {
	case err != nil:
		s.Fail(w, r, err)
	case no != nil:
		s.Fail(w, r, ui.Refused(no.Says(judge.Actor)))
	default:
		next.ServeHTTP(w, r)
	}
}

// comes tells who a session is of, and whether they are in.
func (s *Room) comes(ctx context.Context, door logbook.Door) (logbook.Actor, bool, error) {
	nobody := logbook.Actor{Name: logbook.Owner}
	if !door.Crew {
		return nobody, s.sessions.GetBool(ctx, signedIn), nil
	}
	id := s.sessions.GetInt64(ctx, personIs)
	if id == 0 {
		return nobody, false, nil
	}
	p, err := s.book.Somebody(ctx, id)
	if errors.Is(err, logbook.ErrNotFound) || err == nil && p.Epoch != s.sessions.GetInt(ctx, epochIs) {
		return nobody, false, nil
	}
	if err != nil {
		return nobody, false, err
	}
	return p.Actor(), true, nil
}

// Watch lets a request that stays open go on only while its sender would still be let in: whoever signs out, here or
// everywhere, or whom a new password shuts out, sees nothing more within seconds. While the database is away nobody
// is asked to leave.
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
	door, err := s.book.Door(ctx)
	if err != nil || door.Open() {
		return true
	}
	ctx, err = s.sessions.Load(ctx, token)
	if err != nil {
		return true
	}
	_, in, err := s.comes(ctx, door)
	return err != nil || in
}

// isForm tells whether a request is a form that a person sent, of fields alone.
func isForm(r *http.Request) bool {
	return r.Method == http.MethodPost && !ui.IsPart(r) && !ui.IsScript(r) &&
		strings.HasPrefix(r.Header.Get("Content-Type"), "application/x-www-form-urlencoded")
}
