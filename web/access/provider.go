package access

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"zincroad/internal/caller"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Provider is an OpenID Connect provider that vouches for people.
type Provider struct {
	Name     string // as people call it
	Issuer   string // its address
	ClientID string // what it calls this program
	Secret   string // empty: none
}

// providers is what the room needs of whom a provider knows.
type providers interface {
	Connect(ctx context.Context, person int64, issuer, subject string) error
	Connected(ctx context.Context, person int64, issuer string) (bool, error)
	Disconnect(ctx context.Context, person int64, issuer string) error
	PersonKnown(ctx context.Context, issuer, subject string) (*logbook.Person, error)
}

// vouching is the provider that the program trusts, asked for what it is like when it is first needed.
type vouching struct {
	Provider
	mu    sync.Mutex
	found *oidc.Provider
}

// Trust lets people in for whom a provider vouches; before serving.
func (s *Room) Trust(p Provider) { s.provider = &vouching{Provider: p} }

// patience is how long the provider has for one answer.
const patience = 10 * time.Second

func (v *vouching) ready(ctx context.Context) (*oidc.Provider, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.found != nil {
		return v.found, nil
	}
	// The provider keeps what it is asked with for fetching keys later: it outlives this request.
	asking := oidc.ClientContext(context.WithoutCancel(ctx), &http.Client{Timeout: patience})
	found, err := oidc.NewProvider(asking, v.Issuer)
	if err != nil {
		return nil, fmt.Errorf("asking %s: %w", v.Name, err)
	}
	v.found = found
	return found, nil
}

// question is what a browser took along to the provider.
type question struct {
	State, Nonce, Verifier string
	To                     string
	Person                 int64 // who connects; 0: somebody comes in
}

func (s *Room) flow(r *http.Request, found *oidc.Provider) *oauth2.Config {
	back := url.URL{Scheme: s.scheme(), Host: r.Host, Path: "/enter/with/back"}
	return &oauth2.Config{ClientID: s.provider.ClientID, ClientSecret: s.provider.Secret, Endpoint: found.Endpoint(),
		RedirectURL: back.String(), Scopes: []string{oidc.ScopeOpenID}}
}

// with sends a browser to the provider: to come in, or to connect who is signed in with it.
func (s *Room) with(w http.ResponseWriter, r *http.Request) error {
	if s.provider == nil {
		return fmt.Errorf("there is no page %s: %w", r.URL.Path, logbook.ErrNotFound)
	}
	found, err := s.provider.ready(r.Context())
	if err != nil {
		return s.unvouched(w, r, err)
	}
	q := question{State: rand.Text(), Nonce: rand.Text(), Verifier: oauth2.GenerateVerifier(),
		To: ui.Inside(r.URL.Query().Get("to"))}
	if r.URL.Query().Get("connect") != "" {
		q.Person, q.To = logbook.ActorOf(r.Context()).PersonID, "/me"
	}
	kept, err := json.Marshal(q)
	if err != nil {
		return fmt.Errorf("asking %s: %w", s.provider.Name, err)
	}
	secret, err := s.book.Asked(r.Context(), kept, s.Now().Add(askedFor))
	if err != nil {
		return err
	}
	// Lax: the browser comes back from another site.
	http.SetCookie(w, &http.Cookie{Name: askedCookie, Value: secret, Path: "/", HttpOnly: true,
		Secure: s.sessions.Cookie.Secure, SameSite: http.SameSiteLaxMode, MaxAge: int(askedFor / time.Second)})
	http.Redirect(w, r, s.flow(r, found).AuthCodeURL(q.State, oidc.Nonce(q.Nonce),
		oauth2.S256ChallengeOption(q.Verifier)), http.StatusSeeOther)
	return nil
}

// back takes a browser that comes from the provider: whom it vouches for comes in, or is connected.
func (s *Room) back(w http.ResponseWriter, r *http.Request) error {
	if s.provider == nil {
		return fmt.Errorf("there is no page %s: %w", r.URL.Path, logbook.ErrNotFound)
	}
	q, token, err := s.vouched(r)
	if err != nil {
		return s.unvouched(w, r, err)
	}
	if q.Person != 0 {
		if q.Person != logbook.ActorOf(r.Context()).PersonID {
			return s.unvouched(w, r, errors.New("somebody else is signed in by now"))
		}
		err := s.book.Connect(r.Context(), q.Person, token.Issuer, token.Subject)
		if errors.Is(err, logbook.ErrTaken) {
			return fmt.Errorf("%w: %s knows one of the crew by this already", logbook.ErrRefused, s.provider.Name)
		}
		if err == nil {
			http.Redirect(w, r, q.To, http.StatusSeeOther)
		}
		return err
	}
	p, err := s.book.PersonKnown(r.Context(), token.Issuer, token.Subject)
	if isNotFound(err) {
		return s.unvouched(w, r, errors.New("nobody of the crew is connected with it"))
	}
	if err != nil {
		return err
	}
	if err := s.signIn(w, r, p); err != nil {
		return err
	}
	http.Redirect(w, r, q.To, http.StatusSeeOther)
	return nil
}

// vouched holds what a browser brought back against what it took along; each is good once.
func (s *Room) vouched(r *http.Request) (*question, *oidc.IDToken, error) {
	c, err := r.Cookie(askedCookie)
	if err != nil {
		return nil, nil, errors.New("nothing was asked for")
	}
	kept, err := s.book.Answered(r.Context(), c.Value, s.Now())
	if err != nil {
		return nil, nil, err
	}
	q := &question{}
	if err := json.Unmarshal(kept, q); err != nil || q.State == "" ||
		subtle.ConstantTimeCompare([]byte(q.State), []byte(r.URL.Query().Get("state"))) != 1 {
		return nil, nil, errors.New("this is no answer to what was asked for")
	}
	if r.URL.Query().Get("code") == "" {
		return nil, nil, errors.New("it vouches for nobody")
	}
	found, err := s.provider.ready(r.Context())
	if err != nil {
		return nil, nil, err
	}
	ctx, cancel := context.WithTimeout(r.Context(), patience)
	defer cancel()
	got, err := s.flow(r, found).Exchange(ctx, r.URL.Query().Get("code"), oauth2.VerifierOption(q.Verifier))
	if err != nil {
		return nil, nil, fmt.Errorf("exchanging the code: %w", err)
	}
	raw, ok := got.Extra("id_token").(string)
	if !ok {
		return nil, nil, errors.New("it sent no token")
	}
	token, err := found.Verifier(&oidc.Config{ClientID: s.provider.ClientID, Now: s.Now}).Verify(ctx, raw)
	if err != nil {
		return nil, nil, fmt.Errorf("looking at the token: %w", err)
	}
	if subtle.ConstantTimeCompare([]byte(token.Nonce), []byte(q.Nonce)) != 1 {
		return nil, nil, errors.New("the token is of another time")
	}
	return q, token, nil
}

// unvouched is the one answer to whoever the provider does not bring in; the log says why.
func (s *Room) unvouched(w http.ResponseWriter, r *http.Request, why error) error {
	s.Log.Warn("a provider brought nobody in", "provider", s.provider.Name, "error", why,
		"from", caller.Address(r, s.proxied))
	f := ui.NewFields(url.Values{})
	f.Fault("password", "%s did not bring anybody in. Sign in by your name, and connect it on your own page.",
		s.provider.Name)
	s.showDoor(w, r, http.StatusForbidden, f)
	return nil
}

// disconnect forgets by what the provider knows who is signed in.
func (s *Room) disconnect(w http.ResponseWriter, r *http.Request) error {
	if s.provider != nil {
		if err := s.book.Disconnect(r.Context(), logbook.ActorOf(r.Context()).PersonID, s.provider.Issuer); err != nil {
			return err
		}
	}
	http.Redirect(w, r, "/me", http.StatusSeeOther)
	return nil
}
