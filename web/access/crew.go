package access

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/internal/password"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// crew is what the room needs of who works with the logbook.
type crew interface {
	Accept(ctx context.Context, secret, name, hash string, now time.Time) (*logbook.Person, error)
	AddPerson(ctx context.Context, name string, role logbook.Role, hash string) (*logbook.Person, error)
	BrowserKnown(ctx context.Context, secret, name string) (bool, error)
	Chosen(ctx context.Context, person int64) (map[string]string, error)
	InvitationOf(ctx context.Context, secret string, now time.Time) (*logbook.Invitation, error)
	Invitations(ctx context.Context, now time.Time) ([]logbook.Invitation, error)
	Invite(ctx context.Context, i logbook.Invitation) (secret string, err error)
	KnowBrowser(ctx context.Context, person int64) (string, error)
	Leave(ctx context.Context, id int64) error
	People(ctx context.Context) ([]logbook.Person, error)
	Mentioned(ctx context.Context, person int64) ([]logbook.Note, error)
	Unseen(ctx context.Context, person int64) (int, error)
	Person(ctx context.Context, id int64) (*logbook.Person, error)
	PersonCalled(ctx context.Context, name string) (*logbook.Person, error)
	Seen(ctx context.Context, id int64) error
	Somebody(ctx context.Context, id int64) (*logbook.Person, error)
	SetPersonHash(ctx context.Context, id int64, hash string) error
	SetRole(ctx context.Context, id int64, role logbook.Role) error
	SignOutEverywhere(ctx context.Context, id int64) error
	WithdrawInvitation(ctx context.Context, id int64) error
}

func isNotFound(err error) bool { return errors.Is(err, logbook.ErrNotFound) }

const (
	// An invitation is sent to somebody who reads it within days.
	invitedFor = 7 * 24 * time.Hour
	// A link has more chance in it than can be tried out; this is so that nobody keeps the program hashing.
	joinsAMinute = 20
	keysAMinute  = 60 // of keys too
)

type crewView struct {
	*ui.Fields
	People  []logbook.Person
	Me      int64
	Roles   []role
	Invited []logbook.Invitation
	Stalls  []stallChoice
	Link    string // that was made a moment ago
	LinkFor string
	Keeper  bool // whoever asks is one
	Begins  bool // there is no crew yet, and whoever asks may begin one
}

type stallChoice struct {
	ID   int64
	Name string
	On   bool
}

// crew shows who works with the logbook.
func (s *Room) crew(w http.ResponseWriter, r *http.Request) error {
	return s.showCrew(w, r, http.StatusOK, crewView{Fields: freshInvitation()})
}

func freshInvitation() *ui.Fields { return ui.NewFields(url.Values{"role": {string(logbook.Tester)}}) }

func (s *Room) showCrew(w http.ResponseWriter, r *http.Request, status int, v crewView) error {
	ctx := r.Context()
	door, err := s.book.Door(ctx)
	if err != nil {
		return err
	}
	v.Begins = !door.Crew
	if !v.Begins {
		if v.People, err = s.book.People(ctx); err != nil {
			return err
		}
		me := logbook.ActorOf(ctx)
		v.Me = me.PersonID
		if v.Keeper = me.May(logbook.Keeper); v.Keeper {
			if v.Invited, err = s.book.Invitations(ctx, s.Now()); err != nil {
				return err
			}
			sites, err := s.book.Sites(ctx)
			if err != nil {
				return err
			}
			for _, site := range sites {
				for _, t := range site.Stalls {
					v.Stalls = append(v.Stalls, stallChoice{t.ID, site.Name + " " + t.Name, false})
				}
			}
		}
		v.Roles = append(v.Roles, crewRoles...)
		for i := range v.Roles {
			v.Roles[i].On = v.Roles[i].Key == v.Values.Get("role")
		}
	}
	w.Header().Set("Cache-Control", "no-store")
	s.Render(w, r, "crew", status, ui.Frame{Title: "Crew", Page: "crew", Data: v})
	return nil
}

// crewRoles say what each may do.
var crewRoles = []role{
	{Key: string(logbook.Reader), May: "sees everything and takes it along",
		Alone: "you see everything and can take it along"},
	{Key: string(logbook.Tester), May: "also records, brings in, and changes own runs and shared ones",
		Alone: "you see everything, record, bring logs in, and change your own runs and shared ones"},
	{Key: string(logbook.Keeper), May: "also looks after cars, sites, everybody's runs, and the crew",
		Alone: "you may do everything"},
	{Key: string(logbook.Recorder), May: "a tablet in the van: it records at its stalls, and does nothing else"},
}

// begin makes whoever asks the first of a crew, its keeper. Only somebody at this machine may, where nothing keeps
// strangers out, or who knows the password for everybody.
func (s *Room) begin(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	door, err := s.book.Door(r.Context())
	if err != nil {
		return err
	}
	if door.Crew {
		return fmt.Errorf("%w: there is a crew already", logbook.ErrRefused)
	}
	if from, _ := s.From(r); door.Open() && !isLoopback(from) {
		return ui.Refused("A crew is begun at the machine that the program runs on: zincroad crew add NAME --role keeper.")
	}
	name, hash, err := s.chosen(f)
	if err != nil {
		return err
	}
	if f.OK() {
		p, err := s.book.AddPerson(r.Context(), name, logbook.Keeper, hash)
		if err == nil {
			if err := s.signIn(w, r, p); err != nil {
				return err
			}
			http.Redirect(w, r, "/crew", http.StatusSeeOther)
			return nil
		}
		if !errors.Is(err, logbook.ErrRefused) && !errors.Is(err, logbook.ErrTaken) {
			return err
		}
		f.Fault("name", "%s", "Expected a name of 1 to 60 letters.")
	}
	f.Values.Del("new")
	return s.showCrew(w, r, http.StatusUnprocessableEntity, crewView{Fields: f})
}

func isLoopback(address string) bool {
	ip := net.ParseIP(address)
	return ip != nil && ip.IsLoopback()
}

// chosen reads a name and a new password off a form, and gives the password's hash.
func (s *Room) chosen(f *ui.Fields) (name, hash string, err error) {
	name = f.Needed("name", "your name")
	hash, err = newHash(f, name)
	return name, hash, err
}

// newHash reads a new password off a form, and gives its hash; a fault stands at the field.
func newHash(f *ui.Fields, name string) (string, error) {
	typed := f.Values.Get("new")
	if fault := password.CheckFor(typed, name); fault != "" {
		f.Fault("new", "%s", fault)
	}
	if !f.OK() {
		return "", nil
	}
	return password.Hash(typed)
}

// invite makes a link by which somebody new comes in.
func (s *Room) invite(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	i := logbook.Invitation{Name: f.Text("name"), EndsAt: s.Now().Add(invitedFor)}
	i.Role = logbook.Role(f.Word("role", []string{string(logbook.Reader), string(logbook.Tester), string(logbook.Keeper),
		string(logbook.Recorder)}))
	if i.Role == logbook.Recorder {
		for _, text := range f.Values["stall"] {
			if id, err := strconv.ParseInt(text, 10, 64); err == nil {
				i.Stalls = append(i.Stalls, id)
			}
		}
		if len(i.Stalls) == 0 {
			f.Fault("stall", "At which stalls does it record?")
		}
		if i.Name == "" {
			f.Fault("name", "What is the device called?")
		}
	}
	if !f.OK() {
		return s.showCrew(w, r, http.StatusUnprocessableEntity, crewView{Fields: f})
	}
	secret, err := s.book.Invite(r.Context(), i)
	if err != nil {
		return err
	}
	return s.showLink(w, r, secret, "")
}

// link makes a link by which a person who lost the way in comes in again, with a new password.
func (s *Room) link(w http.ResponseWriter, r *http.Request) error {
	p, err := s.personOf(r)
	if err != nil {
		return err
	}
	secret, err := s.book.Invite(r.Context(), logbook.Invitation{PersonID: p.ID, EndsAt: s.Now().Add(invitedFor)})
	if err != nil {
		return err
	}
	return s.showLink(w, r, secret, p.Name)
}

func (s *Room) showLink(w http.ResponseWriter, r *http.Request, secret, name string) error {
	at := url.URL{Scheme: s.scheme(), Host: r.Host, Path: "/join/" + secret}
	return s.showCrew(w, r, http.StatusOK, crewView{Fields: freshInvitation(), Link: at.String(), LinkFor: name})
}

func (s *Room) withdrawInvitation(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.WithdrawInvitation(r.Context(), id)
	}
	return toCrew(w, r, err)
}

func (s *Room) setRole(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	p, err := s.personOf(r)
	if err == nil {
		err = s.book.SetRole(r.Context(), p.ID, logbook.Role(f.Values.Get("role")))
	}
	return toCrew(w, r, err)
}

func (s *Room) sendAway(w http.ResponseWriter, r *http.Request) error {
	p, err := s.personOf(r)
	if err == nil {
		err = s.book.Leave(r.Context(), p.ID)
	}
	return toCrew(w, r, err)
}

func toCrew(w http.ResponseWriter, r *http.Request, err error) error {
	if err != nil {
		return err
	}
	http.Redirect(w, r, "/crew", http.StatusSeeOther)
	return nil
}

func (s *Room) personOf(r *http.Request) (*logbook.Person, error) {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return nil, err
	}
	return s.book.Person(r.Context(), id)
}

type joinView struct {
	*ui.Fields
	Invitation *logbook.Invitation
	Secret     string
	May        string
	Device     bool
}

// invited shows what an invitation lets in to.
func (s *Room) invited(w http.ResponseWriter, r *http.Request) error {
	i, err := s.invitationOf(r)
	if err != nil {
		return err
	}
	return s.showInvited(w, r, http.StatusOK, i, ui.NewFields(url.Values{"name": {i.Name}}))
}

func (s *Room) invitationOf(r *http.Request) (*logbook.Invitation, error) {
	i, err := s.book.InvitationOf(r.Context(), chi.URLParam(r, "secret"), s.Now())
	if isNotFound(err) {
		return nil, fmt.Errorf("that invitation was used, has ended or was withdrawn: ask for another: %w",
			logbook.ErrNotFound)
	}
	return i, err
}

func (s *Room) showInvited(w http.ResponseWriter, r *http.Request, status int, i *logbook.Invitation,
	f *ui.Fields) error {
	v := joinView{Fields: f, Invitation: i, Secret: chi.URLParam(r, "secret"), Device: i.Role == logbook.Recorder}
	for _, x := range crewRoles {
		if x.Key == string(i.Role) {
			v.May = x.Alone
		}
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("Referrer-Policy", "no-referrer") // the address is the way in
	s.Render(w, r, "join", status, ui.Frame{Title: "Come in", Data: v})
	return nil
}

// join uses an invitation up, and signs in.
func (s *Room) join(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	i, err := s.invitationOf(r)
	if err != nil {
		return err
	}
	name, hash := i.Name, ""
	if i.Role != logbook.Recorder {
		if i.PersonID == 0 {
			name = f.Needed("name", "your name")
		}
		if hash, err = newHash(f, name); err != nil {
			return err
		}
	}
	if f.OK() {
		p, err := s.book.Accept(r.Context(), chi.URLParam(r, "secret"), name, hash, s.Now())
		switch {
		case err == nil:
			if err := s.signIn(w, r, p); err != nil {
				return err
			}
			to := "/"
			if p.Role == logbook.Recorder {
				to = "/stall"
			}
			http.Redirect(w, r, to, http.StatusSeeOther)
			return nil
		case errors.Is(err, logbook.ErrTaken):
			f.Fault("name", "Somebody of the crew has this name.")
		case errors.Is(err, logbook.ErrRefused):
			f.Fault("name", "Expected a name of 1 to 60 letters.")
		default:
			return err
		}
	}
	f.Values.Del("new")
	return s.showInvited(w, r, http.StatusUnprocessableEntity, i, f)
}

type meView struct {
	*ui.Fields
	Person *logbook.Person
	May    string
	Kept   bool
	Keys   []logbook.Passkey
	News   []logbook.Note
	With   string // the provider that is trusted; empty: none
	Knows  bool   // it knows them
	CanKey bool   // keys can be used at this address
}

// me shows who is signed in, and how they come in.
func (s *Room) me(w http.ResponseWriter, r *http.Request) error {
	return s.showMe(w, r, http.StatusOK, ui.NewFields(url.Values{}))
}

func (s *Room) showMe(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields) error {
	id := logbook.ActorOf(r.Context()).PersonID
	if id == 0 {
		http.Redirect(w, r, "/settings", http.StatusSeeOther)
		return nil
	}
	p, err := s.book.Person(r.Context(), id)
	if err != nil {
		return err
	}
	v := meView{Fields: f, Person: p, Kept: r.URL.Query().Get("kept") != ""}
	if v.Keys, err = s.book.Passkeys(r.Context(), p.ID); err != nil {
		return err
	}
	if v.News, err = s.book.Mentioned(r.Context(), p.ID); err != nil {
		return err
	}
	if s.provider != nil {
		v.With = s.provider.Name
		if v.Knows, err = s.book.Connected(r.Context(), p.ID, s.provider.Issuer); err != nil {
			return err
		}
	}
	v.CanKey = canHaveKeys(r)
	for _, x := range crewRoles {
		if x.Key == string(p.Role) {
			v.May = x.Alone
		}
	}
	s.Render(w, r, "me", status, ui.Frame{Title: p.Name, Page: "me", Data: v})
	return nil
}

// newPassword changes one's own password, which signs out everywhere else.
func (s *Room) newPassword(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	id := logbook.ActorOf(r.Context()).PersonID
	p, err := s.book.Person(r.Context(), id)
	if err != nil {
		return err
	}
	if p.Hash != "" {
		right, err := matches(r.Context(), p.Hash, f.Values.Get("current"))
		if err != nil {
			return err
		}
		if !right {
			f.Fault("current", "This is not your password.")
		}
	} else if s.longAgo(r.Context()) {
		f.Fault("new", "%s: sign out and in again first.", longAgo)
	}
	hash, err := newHash(f, p.Name)
	if err != nil {
		return err
	}
	if !f.OK() {
		f.Values.Del("current")
		f.Values.Del("new")
		return s.showMe(w, r, http.StatusUnprocessableEntity, f)
	}
	if err := s.book.SetPersonHash(r.Context(), p.ID, hash); err != nil {
		return err
	}
	if p, err = s.book.Person(r.Context(), id); err != nil {
		return err
	}
	if err := s.signIn(w, r, p); err != nil {
		return err
	}
	http.Redirect(w, r, "/me?kept=1", http.StatusSeeOther)
	return nil
}
