package access

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strconv"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"zincroad/core/words"
	"zincroad/internal/caller"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// keys is what the room needs of passkeys.
type keys interface {
	AddPasskey(ctx context.Context, person int64, name string, credential []byte) error
	Answered(ctx context.Context, secret string, now time.Time) ([]byte, error)
	Asked(ctx context.Context, what []byte, until time.Time) (secret string, err error)
	Passkeys(ctx context.Context, person int64) ([]logbook.Passkey, error)
	RemovePasskey(ctx context.Context, person, id int64) error
	UsedPasskey(ctx context.Context, id int64, credential []byte) error
}

const (
	// How long somebody has to find their key.
	askedFor = 5 * time.Minute
	// askedCookie shows which question a browser answers.
	askedCookie = "zincroad-asked"
	// mostKeys is how many keys one person can have.
	mostKeys = 20
)

// canHaveKeys tells whether passkeys can be used at the name that a request went to: they belong to a name, and an
// address in numbers is none.
func canHaveKeys(r *http.Request) bool { return net.ParseIP(hostOf(r)) == nil }

func hostOf(r *http.Request) string {
	if host, _, err := net.SplitHostPort(r.Host); err == nil {
		return host
	}
	return r.Host
}

// party is this program as keys know it: by the name that a request went to, which is one that it goes by.
func (s *Room) party(r *http.Request) (*webauthn.WebAuthn, error) {
	return webauthn.New(&webauthn.Config{RPID: hostOf(r), RPDisplayName: "Zinc Road",
		RPOrigins: []string{s.scheme() + "://" + r.Host}})
}

func (s *Room) scheme() string {
	if s.sessions.Cookie.Secure {
		return "https"
	}
	return "http"
}

// holder is a person as the library for keys wants one.
type holder struct {
	*logbook.Person
	keys []logbook.Passkey
}

func (h holder) WebAuthnID() []byte          { return []byte(strconv.FormatInt(h.ID, 10)) }
func (h holder) WebAuthnName() string        { return h.Name }
func (h holder) WebAuthnDisplayName() string { return h.Name }

func (h holder) WebAuthnCredentials() (out []webauthn.Credential) {
	for _, k := range h.keys {
		var c webauthn.Credential
		if json.Unmarshal(k.Credential, &c) == nil {
			out = append(out, c)
		}
	}
	return out
}

// of gives the kept key of a credential.
func (h holder) of(id []byte) (logbook.Passkey, bool) {
	for _, k := range h.keys {
		var c webauthn.Credential
		if json.Unmarshal(k.Credential, &c) == nil && bytes.Equal(c.ID, id) {
			return k, true
		}
	}
	return logbook.Passkey{}, false
}

func (s *Room) holder(ctx context.Context, id int64) (*holder, error) {
	p, err := s.book.Somebody(ctx, id)
	if err != nil {
		return nil, err
	}
	ctx = logbook.InCrew(ctx, p.CrewID)
	list, err := s.book.Passkeys(ctx, id)
	return &holder{p, list}, err
}

// ask keeps what a browser is asked for, and asks it.
func (s *Room) ask(w http.ResponseWriter, r *http.Request, session *webauthn.SessionData, options any) error {
	kept, err := json.Marshal(session)
	if err != nil {
		return fmt.Errorf("asking for a key: %w", err)
	}
	secret, err := s.book.Asked(r.Context(), kept, s.Now().Add(askedFor))
	if err != nil {
		return err
	}
	http.SetCookie(w, &http.Cookie{Name: askedCookie, Value: secret, Path: "/", HttpOnly: true,
		Secure: s.sessions.Cookie.Secure, SameSite: http.SameSiteStrictMode, MaxAge: int(askedFor / time.Second)})
	ui.Answer(w, r, http.StatusOK, map[string]any{"options": options})
	return nil
}

// answers gives what the browser that answers was asked for; each question is answered once.
func (s *Room) answers(r *http.Request) (*webauthn.SessionData, error) {
	c, err := r.Cookie(askedCookie)
	if err != nil {
		return nil, fmt.Errorf("what was asked: %w", logbook.ErrNotFound)
	}
	kept, err := s.book.Answered(r.Context(), c.Value, s.Now())
	if err != nil {
		return nil, err
	}
	session := &webauthn.SessionData{}
	return session, json.Unmarshal(kept, session)
}

// beginKey asks a browser to make a key for who is signed in.
func (s *Room) beginKey(w http.ResponseWriter, r *http.Request) error {
	h, err := s.holder(r.Context(), logbook.ActorOf(r.Context()).PersonID)
	if err != nil {
		return err
	}
	if len(h.keys) >= mostKeys {
		return fmt.Errorf("%w: a person has at most %d passkeys", logbook.ErrRefused, mostKeys)
	}
	party, err := s.party(r)
	if err != nil {
		return ui.BadRequest("passkeys belong to a name, and this address has none")
	}
	var have []protocol.CredentialDescriptor
	for _, c := range h.WebAuthnCredentials() {
		have = append(have, c.Descriptor())
	}
	options, session, err := party.BeginRegistration(h, webauthn.WithExclusions(have),
		webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired}))
	if err != nil {
		return fmt.Errorf("asking for a new key: %w", err)
	}
	return s.ask(w, r, session, options)
}

// addKey keeps the key that a browser made.
func (s *Room) addKey(w http.ResponseWriter, r *http.Request) error {
	session, err := s.answers(r)
	if err != nil {
		return err
	}
	h, err := s.holder(r.Context(), logbook.ActorOf(r.Context()).PersonID)
	if err != nil {
		return err
	}
	party, err := s.party(r)
	if err != nil {
		return ui.BadRequest("passkeys belong to a name, and this address has none")
	}
	made, err := party.FinishRegistration(h, *session, r)
	if err != nil {
		return notThisKey(err)
	}
	kept, err := json.Marshal(made)
	if err != nil {
		return fmt.Errorf("keeping a key: %w", err)
	}
	name := words.Line(r.URL.Query().Get("name"))
	if name == "" || len([]rune(name)) > 60 {
		name = "a key"
	}
	if err := s.book.AddPasskey(r.Context(), h.ID, name, kept); err != nil {
		return err
	}
	ui.Answer(w, r, http.StatusOK, map[string]any{"to": "/me"})
	return nil
}

// removeKey takes one of the own keys away.
func (s *Room) removeKey(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.RemovePasskey(r.Context(), logbook.ActorOf(r.Context()).PersonID, id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, "/me", http.StatusSeeOther)
	return nil
}

// beginEnter asks a browser for a key, whoever's.
func (s *Room) beginEnter(w http.ResponseWriter, r *http.Request) error {
	party, err := s.party(r)
	if err != nil {
		return ui.BadRequest("passkeys belong to a name, and this address has none")
	}
	options, session, err := party.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return fmt.Errorf("asking for a key: %w", err)
	}
	return s.ask(w, r, session, options)
}

// enterByKey signs in whose key a browser showed. A key that was copied, which its count of uses tells, lets nobody in.
func (s *Room) enterByKey(w http.ResponseWriter, r *http.Request) error {
	session, err := s.answers(r)
	if err != nil {
		return err
	}
	party, err := s.party(r)
	if err != nil {
		return ui.BadRequest("passkeys belong to a name, and this address has none")
	}
	var of *holder
	_, used, err := party.FinishPasskeyLogin(func(_, user []byte) (webauthn.User, error) {
		id, err := strconv.ParseInt(string(user), 10, 64)
		if err != nil {
			return nil, errors.New("nobody has this key")
		}
		of, err = s.holder(r.Context(), id)
		return of, err
	}, *session, r)
	if err != nil {
		s.Log.Warn("a passkey that lets nobody in", "from", caller.Address(r, s.proxied))
		return notThisKey(err)
	}
	kept, known := of.of(used.ID)
	if !known || used.Authenticator.CloneWarning {
		s.Log.Warn("a passkey that was copied", "person", of.ID, "from", caller.Address(r, s.proxied))
		return notThisKey(errors.New("copied"))
	}
	text, err := json.Marshal(used)
	if err == nil {
		err = s.book.UsedPasskey(logbook.InCrew(r.Context(), of.CrewID), kept.ID, text)
	}
	if err != nil {
		return err
	}
	if err := s.signIn(w, r, of.Person); err != nil {
		return err
	}
	ui.Answer(w, r, http.StatusOK, map[string]any{"to": ui.Inside(r.URL.Query().Get("to"))})
	return nil
}

// notThisKey is the one answer to every key that does not let in.
func notThisKey(error) error { return ui.Refused("This passkey lets nobody in here.") }
