package access

import (
	"context"
	"net/http"
	"net/url"
	"time"

	"zincroad/internal/caller"
	"zincroad/internal/password"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// again is the field that says that what stands beside it was typed into a form before, to be sent on.
const again = "zincroad-again"

// knownBrowser is the cookie of a browser that somebody came in by: strangers' tries with their name are not counted
// with its own.
const knownBrowser = "zincroad-known"

// askFirst asks somebody to come in first, and says why, with all that they have just typed beside it: it goes to where
// it was to go when they are in.
func (s *Room) askFirst(w http.ResponseWriter, r *http.Request, door logbook.Door, why string) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	v := doorView{Fields: ui.NewFields(url.Values{}), To: r.URL.RequestURI(), Typed: f.Values, Crew: door.Crew}
	v.Fault("password", "%s", why)
	s.Render(w, r, "enter", http.StatusUnauthorized, ui.Frame{Title: "Sign in", Data: v})
}

type doorView struct {
	*ui.Fields
	To    string
	In    bool
	Crew  bool       // people come in by name
	Keys  bool       // or by a passkey
	With  string     // or by this provider; empty: none
	Typed url.Values // into a form before
}

func (s *Room) door(w http.ResponseWriter, r *http.Request) {
	s.showDoor(w, r, http.StatusOK, ui.NewFields(url.Values{}))
}

func (s *Room) showDoor(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields) {
	at := ui.DoorOf(r.Context())
	v := doorView{Fields: f, To: r.FormValue("to"), In: at.In, Crew: at.Crew, Keys: at.Crew && canHaveKeys(r)}
	if s.provider != nil && at.Crew {
		v.With = s.provider.Name
	}
	if f.Values.Get(again) != "" {
		v.Typed = f.Values
		for _, own := range []string{again, "to", "username"} {
			v.Typed.Del(own)
		}
	}
	w.Header().Set("Cache-Control", "no-store")
	s.Render(w, r, "enter", status, ui.Frame{Title: "Sign in", Data: v})
}

// enter holds a password against the one that is set, or against a person's. A wrong name and a wrong password have one
// answer, and take as long.
func (s *Room) enter(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	door, err := s.book.Door(r.Context())
	if err != nil {
		return err
	}
	typed := f.Values.Get("password")
	if !door.Crew {
		right, err := matches(r.Context(), door.Hash, typed)
		if err != nil {
			return err
		}
		if !right {
			return s.wrong(w, r, f, "This is not the password.")
		}
		return s.letIn(w, r, f, nil)
	}
	name := f.Values.Get("username")
	if limited, err := s.tried(w, r, name); limited || err != nil {
		return err
	}
	p, err := s.book.PersonCalled(r.Context(), name)
	if p == nil && !isNotFound(err) {
		return err
	}
	hash := ""
	if p != nil {
		hash = p.Hash
	}
	right, err := matches(r.Context(), hash, typed)
	if err != nil {
		return err
	}
	if !right {
		return s.wrong(w, r, f, "This name and this password do not belong together.")
	}
	return s.letIn(w, r, f, p)
}

// matches holds a password against a hash. Where there is none it takes as long, and never matches.
func matches(ctx context.Context, hash, typed string) (bool, error) {
	if hash == "" {
		_, err := password.Matches(ctx, password.Nobodys, typed)
		return false, err
	}
	return password.Matches(ctx, hash, typed)
}

// tried counts a try with a name: those of a browser that the name came in by before by themselves, those of all others
// together, so that whoever tries a name out locks nobody out.
func (s *Room) tried(w http.ResponseWriter, r *http.Request, name string) (limited bool, err error) {
	key := "name " + name
	if c, err := r.Cookie(knownBrowser); err == nil {
		known, err := s.book.BrowserKnown(r.Context(), c.Value, name)
		if err != nil {
			return false, err
		}
		if known {
			key = "browser " + c.Value
		}
	}
	return s.names.RespondOnLimit(w, r, key), nil
}

func (s *Room) wrong(w http.ResponseWriter, r *http.Request, f *ui.Fields, says string) error {
	f.Values.Del("password")
	f.Fault("password", "%s", says)
	s.Log.Warn("a wrong password", "from", caller.Address(r, s.proxied))
	s.showDoor(w, r, http.StatusUnprocessableEntity, f)
	return nil
}

// letIn signs somebody in, a person or, with nil, whoever knows the password for everybody, and goes on to where they
// were going.
func (s *Room) letIn(w http.ResponseWriter, r *http.Request, f *ui.Fields, p *logbook.Person) error {
	if err := s.signIn(w, r, p); err != nil {
		return err
	}
	to := ui.Inside(f.Values.Get("to"))
	if f.Values.Get(again) != "" { // the browser sends the same fields on
		http.Redirect(w, r, to, http.StatusTemporaryRedirect)
		return nil
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

// signIn makes a session that of somebody who is in; it gets a new token.
func (s *Room) signIn(w http.ResponseWriter, r *http.Request, p *logbook.Person) error {
	ctx := r.Context()
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.sessions.Remove(ctx, signedIn)
	if p == nil {
		s.sessions.Put(ctx, signedIn, true)
		s.Log.Info("signed in", "from", caller.Address(r, s.proxied))
		return nil
	}
	s.sessions.Put(ctx, personIs, p.ID)
	s.sessions.Put(ctx, epochIs, p.Epoch)
	s.sessions.Put(ctx, provedAt, s.Now().Unix())
	chosen, err := s.book.Chosen(ctx, p.ID)
	if err != nil {
		return err
	}
	ui.Choose(w, chosen)
	s.Log.Info("signed in", "person", p.ID, "from", caller.Address(r, s.proxied))
	if c, err := r.Cookie(knownBrowser); err == nil {
		if known, err := s.book.BrowserKnown(ctx, c.Value, p.Name); err != nil || known {
			return err
		}
	}
	secret, err := s.book.KnowBrowser(ctx, p.ID)
	if err != nil {
		return err
	}
	http.SetCookie(w, &http.Cookie{Name: knownBrowser, Value: secret, Path: "/enter", HttpOnly: true,
		Secure: s.sessions.Cookie.Secure, SameSite: http.SameSiteStrictMode, MaxAge: int(knownFor / time.Second)})
	return s.book.Seen(ctx, p.ID)
}

// knownFor is how long a browser is known by its cookie.
const knownFor = 365 * 24 * time.Hour

func (s *Room) tooMany(w http.ResponseWriter, r *http.Request) {
	s.tooOften(w, r, "Too many tries from this address: wait a minute.")
}

func (s *Room) tooManyNamed(w http.ResponseWriter, r *http.Request) {
	s.tooOften(w, r, "Too many tries with this name: wait a minute, or sign in where you were signed in before.")
}

func (s *Room) tooOften(w http.ResponseWriter, r *http.Request, says string) {
	f, ok := s.Form(w, r)
	if !ok {
		return
	}
	for name := range f.Values {
		if name == "password" || name == "current" || name == "new" {
			f.Values.Del(name)
		}
	}
	f.Fault("password", "%s", says)
	if r.URL.Path == "/me/password" {
		f.Fault("current", "%s", says)
		if err := s.showMe(w, r, http.StatusTooManyRequests, f); err != nil {
			s.Fail(w, r, err)
		}
		return
	}
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
		var err error
		if id := logbook.ActorOf(r.Context()).PersonID; id != 0 {
			err = s.book.SignOutEverywhere(r.Context(), id)
		} else {
			err = s.book.ForgetSessions(r.Context())
		}
		if err != nil {
			return err
		}
	}
	http.Redirect(w, r, "/enter", http.StatusSeeOther)
	return nil
}
