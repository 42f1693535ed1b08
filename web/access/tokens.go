package access

import (
	"fmt"
	"net/http"
	"net/url"
	"time"

	"zincroad/logbook"
	"zincroad/web/ui"
)

// mostDays is how long a token may hold.
const mostDays = 3650

// usualDays is how long one holds of which nothing else is said.
const usualDays = 30

type tokensView struct {
	*ui.Fields
	Roles  []role
	Tokens []token
	Secret string // of the one that was made a moment ago
}

type role struct {
	Key, May string
	Alone    string // to the person itself
	On       bool
}

type token struct {
	logbook.Token
	Over bool
}

// roles say what each may do.
var roles = []role{
	{Key: string(logbook.Reader), May: "reads, and asks for reckonings"},
	{Key: string(logbook.Tester), May: "also brings runs in, and puts them right"},
	{Key: string(logbook.Keeper), May: "also removes them"},
}

// tokens lists what programs show at the door.
func (s *Room) tokens(w http.ResponseWriter, r *http.Request) error {
	return s.showTokens(w, r, http.StatusOK, usual(), "")
}

// usual is a form that nobody has typed in yet.
func usual() *ui.Fields {
	return ui.NewFields(url.Values{"role": {string(logbook.Reader)}, "days": {fmt.Sprint(usualDays)}})
}

func (s *Room) showTokens(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields, secret string) error {
	v := tokensView{Fields: f, Secret: secret}
	for _, x := range roles {
		x.On = x.Key == f.Values.Get("role")
		v.Roles = append(v.Roles, x)
	}
	list, err := s.book.Tokens(r.Context())
	if err != nil {
		return err
	}
	for _, t := range list {
		v.Tokens = append(v.Tokens, token{t, t.WithdrawnAt != nil || !s.Now().Before(t.EndsAt)})
	}
	w.Header().Set("Cache-Control", "no-store")
	s.Render(w, r, "tokens", status, ui.Frame{Title: "Tokens", Page: "tokens", Data: v})
	return nil
}

// addToken makes a token, and shows its secret once.
func (s *Room) addToken(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	name := f.Needed("name", "what the token is for")
	as := logbook.Role(f.Word("role", []string{string(logbook.Reader), string(logbook.Tester), string(logbook.Keeper)}))
	days := float64(usualDays)
	if n := f.Number("days", 1, mostDays); n != nil {
		days = *n
	}
	if as == "" {
		f.Fault("role", "A reader, a tester or a keeper?")
	}
	if !f.OK() {
		return s.showTokens(w, r, http.StatusUnprocessableEntity, f, "")
	}
	secret, err := s.book.AddToken(r.Context(), name, as, s.Now().Add(time.Duration(days*24*float64(time.Hour))))
	if err != nil {
		return err
	}
	return s.showTokens(w, r, http.StatusOK, usual(), secret)
}

// withdrawToken ends a token at once.
func (s *Room) withdrawToken(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.WithdrawToken(r.Context(), id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, "/tokens", http.StatusSeeOther)
	return nil
}
