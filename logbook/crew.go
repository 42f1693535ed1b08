package logbook

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql/driver"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/text/secure/precis"
	"gorm.io/gorm"
)

// A Person works with the logbook, or is a device that records at some stalls.
type Person struct {
	ID     int64
	CrewID int64
	Name   string
	Role   Role
	Hash   string  // of the password; empty: comes in otherwise
	Stalls Numbers // where a recorder may record
	Epoch  int     // a session of an earlier one has ended
	MadeAt time.Time
	SeenAt *time.Time // nil: never came in
}

// Actor is the person as an actor.
func (p *Person) Actor() Actor {
	return Actor{Name: p.Name, PersonID: p.ID, Role: p.Role, Crew: p.CrewID}
}

// called is a name in the one form that all ways of writing it come to (RFC 8266, 2.4), and the name as it is shown.
func called(name string) (key, shown string, err error) {
	shown, err = precis.Nickname.String(name)
	if err == nil {
		key, err = precis.Nickname.CompareKey(name)
	}
	if err != nil || len([]rune(shown)) > 60 {
		return "", "", fmt.Errorf("%w: the name %q, expected 1 to 60 letters", ErrRefused, name)
	}
	return key, shown, nil
}

const personColumns = "id, crew_id, name, role, hash, stalls, epoch, made_at, seen_at"

// Numbers are numbers of rows, as PostgreSQL writes a list of them: {1,2}.
type Numbers []int64

// GormDataType is the column's type.
func (Numbers) GormDataType() string { return "bigint[]" }

// Value is what is kept.
func (n Numbers) Value() (driver.Value, error) { return array(n), nil }

// Scan reads what is kept.
func (n *Numbers) Scan(kept any) error {
	*n = nil
	between := func(r rune) bool { return strings.ContainsRune("{},", r) }
	for _, word := range strings.FieldsFunc(fmt.Sprint(kept), between) {
		v, err := strconv.ParseInt(word, 10, 64)
		if err != nil {
			return fmt.Errorf("what is kept is no list of numbers: %w", err)
		}
		*n = append(*n, v)
	}
	return nil
}

// NewCrew makes another crew, whose logbook is empty and separate from all others, and gives its number. It begins with
// a keeper, added in it.
func (b *CrewStore) NewCrew(ctx context.Context, name string) (int64, error) {
	if !b.apart {
		return 0, fmt.Errorf("%w: the database's user may make no roles, so that crews cannot be kept apart", ErrRefused)
	}
	_, shown, err := called(name)
	if err != nil {
		return 0, err
	}
	var id int64
	err = b.db.WithContext(ctx).Raw("INSERT INTO crews (name) VALUES (?) RETURNING id", shown).Scan(&id).Error
	return id, mapped("making a crew", err)
}

// CrewCalled gives the number of a crew by its name.
func (b *CrewStore) CrewCalled(ctx context.Context, name string) (int64, error) {
	var ids []int64
	err := b.db.WithContext(ctx).Raw("SELECT id FROM crews WHERE name = ?", name).Scan(&ids).Error
	if err == nil && len(ids) == 0 {
		return 0, fmt.Errorf("crew %q: %w", name, ErrNotFound)
	}
	if err != nil {
		return 0, mapped("looking for a crew", err)
	}
	return ids[0], nil
}

// AddPerson takes somebody into the crew. With the first one, a keeper, the crew begins: what is in the logbook
// becomes theirs, and a password for everybody lets nobody in any more.
func (b *CrewStore) AddPerson(ctx context.Context, name string, role Role, hash string) (*Person, error) {
	var p *Person
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) (err error) {
		p, err = addPerson(tx, name, role, hash, nil)
		return err
	})
	return p, mapped("adding "+name, err)
}

func addPerson(tx *gorm.DB, name string, role Role, hash string, stalls Numbers) (*Person, error) {
	if !slices.Contains(append([]Role{Recorder}, Roles...), role) {
		return nil, fmt.Errorf("%w: the role %q, expected reader, tester or keeper", ErrRefused, role)
	}
	key, shown, err := called(name)
	if err != nil {
		return nil, err
	}
	if err := tx.Exec("LOCK TABLE people IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
		return nil, err
	}
	var others int64
	if err := tx.Raw("SELECT count(*) FROM people").Scan(&others).Error; err != nil {
		return nil, err
	}
	if others == 0 && role != Keeper {
		return nil, fmt.Errorf("%w: a crew begins with a keeper", ErrRefused)
	}
	p := Person{}
	err = tx.Raw("INSERT INTO people (name, called, role, hash, stalls) VALUES (?, ?, ?, ?, ?) RETURNING "+personColumns,
		shown, key, role, hash, array(stalls)).Scan(&p).Error
	if err != nil || others > 0 {
		return &p, err
	}
	if err := tx.Exec("SET LOCAL zincroad.quiet = 'on'").Error; err != nil {
		return nil, err
	}
	for _, q := range []string{"UPDATE runs SET owner_id = ? WHERE owner_id IS NULL",
		"UPDATE tokens SET made_by = ? WHERE made_by IS NULL"} {
		if err := tx.Exec(q, p.ID).Error; err != nil {
			return nil, err
		}
	}
	return &p, nil
}

// People lists who is here, by name.
func (b *CrewStore) People(ctx context.Context) ([]Person, error) {
	var list []Person
	err := b.db.WithContext(ctx).Raw("SELECT " + personColumns + " FROM people WHERE left_at IS NULL ORDER BY called").
		Scan(&list).Error
	return list, mapped("listing the crew", err)
}

// Person gives one who is here.
func (b *CrewStore) Person(ctx context.Context, id int64) (*Person, error) {
	return b.person(ctx, "id = ?", id)
}

// Somebody gives one who is here, of whichever crew: to find out who comes.
func (b *CrewStore) Somebody(ctx context.Context, id int64) (*Person, error) {
	return b.Person(Everywhere(ctx), id)
}

// PersonCalled gives one who is here by a name, however it is written, of whichever crew: a name is one person's on
// the whole server.
func (b *CrewStore) PersonCalled(ctx context.Context, name string) (*Person, error) {
	key, _, err := called(name)
	if err != nil {
		return nil, fmt.Errorf("%q: %w", name, ErrNotFound)
	}
	return b.person(Everywhere(ctx), "called = ?", key)
}

func (b *CrewStore) person(ctx context.Context, where string, what any) (*Person, error) {
	var list []Person
	err := b.db.WithContext(ctx).Raw("SELECT "+personColumns+" FROM people WHERE left_at IS NULL AND "+where, what).
		Scan(&list).Error
	if err == nil && len(list) == 0 {
		return nil, fmt.Errorf("person %v: %w", what, ErrNotFound)
	}
	if err != nil {
		return nil, mapped("looking for a person", err)
	}
	return &list[0], nil
}

// Seen notes that somebody came in.
func (b *CrewStore) Seen(ctx context.Context, id int64) error {
	return mapped("noting who came in",
		b.db.WithContext(Everywhere(ctx)).Exec("UPDATE people SET seen_at = now() WHERE id = ?", id).Error)
}

// SetRole gives somebody another role and signs them out everywhere. A crew keeps a keeper.
func (b *CrewStore) SetRole(ctx context.Context, id int64, role Role) error {
	if !slices.Contains(Roles, role) {
		return fmt.Errorf("%w: the role %q, expected reader, tester or keeper", ErrRefused, role)
	}
	return b.changed(ctx, "changing a role", id, role == Keeper, `UPDATE people SET role = @role, epoch = epoch + 1
		WHERE id = @id AND left_at IS NULL AND role <> 'recorder'`, map[string]any{"role": role})
}

// Leave takes somebody out of the crew at once, and ends the tokens that they made; what they did keeps their name. A
// crew keeps a keeper.
func (b *CrewStore) Leave(ctx context.Context, id int64) error {
	return b.changed(ctx, "leaving the crew", id, false, `WITH gone AS (UPDATE tokens SET withdrawn_at = now()
			WHERE made_by = @id AND withdrawn_at IS NULL),
		unknown AS (DELETE FROM known_browsers WHERE person_id = @id)
		UPDATE people SET left_at = now(), hash = '', epoch = epoch + 1
		WHERE id = @id AND left_at IS NULL`, map[string]any{})
}

// SetPersonHash keeps the hash of somebody's new password, and signs them out everywhere.
func (b *CrewStore) SetPersonHash(ctx context.Context, id int64, hash string) error {
	return b.changed(ctx, "storing a password", id, true, `UPDATE people SET hash = @hash, epoch = epoch + 1
		WHERE id = @id AND left_at IS NULL`, map[string]any{"hash": hash})
}

// SignOutEverywhere ends all of somebody's sessions, and what their browsers were known by.
func (b *CrewStore) SignOutEverywhere(ctx context.Context, id int64) error {
	return b.changed(ctx, "signing out", id, true, `WITH gone AS (DELETE FROM known_browsers WHERE person_id = @id)
		UPDATE people SET epoch = epoch + 1 WHERE id = @id AND left_at IS NULL`, map[string]any{})
}

// changed runs a statement on one person, in whose course the crew must not lose its last keeper.
func (b *CrewStore) changed(ctx context.Context, doing string, id int64, keeps bool, q string,
	with map[string]any) error {
	with["id"] = id
	return mapped(doing, b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if !keeps {
			var others []int64
			if err := tx.Raw("SELECT id FROM people WHERE role = 'keeper' AND left_at IS NULL FOR UPDATE").
				Scan(&others).Error; err != nil {
				return err
			}
			if len(others) == 1 && others[0] == id {
				return fmt.Errorf("%w: the last keeper stays one", ErrRefused)
			}
		}
		res := tx.Exec(q, with)
		if res.Error == nil && res.RowsAffected == 0 {
			return gorm.ErrRecordNotFound
		}
		return res.Error
	}))
}

// An Invitation lets somebody in once: somebody new, or a person who lost the way in.
type Invitation struct {
	ID       int64
	CrewID   int64
	Name     string // of somebody new, as a proposal
	Role     Role
	Stalls   Numbers // of a recorder
	PersonID int64   // 0: somebody new
	MadeAt   time.Time
	EndsAt   time.Time
}

// secretBytes is how much of a link is left to chance: more than can be tried out.
const secretBytes = 32

func byChance() []byte {
	chance := make([]byte, secretBytes)
	_, _ = rand.Read(chance) // it never fails
	return chance
}

// madeSecret makes what somebody shows at the door, and the hash that is kept of it.
func madeSecret() (secret string, hash []byte) {
	secret = base64.RawURLEncoding.EncodeToString(byChance())
	return secret, secretHash(secret)
}

func secretHash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// Invite makes an invitation and gives the secret of its link, which nobody can ask for again. Another one for the same
// person ends it.
func (b *CrewStore) Invite(ctx context.Context, i Invitation) (secret string, err error) {
	if i.PersonID == 0 && !slices.Contains(append([]Role{Recorder}, Roles...), i.Role) {
		return "", fmt.Errorf("%w: the role %q, expected reader, tester or keeper", ErrRefused, i.Role)
	}
	secret, hash := madeSecret()
	err = b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if i.PersonID != 0 {
			var p Person
			if err := tx.Raw("SELECT "+personColumns+" FROM people WHERE id = ? AND left_at IS NULL", i.PersonID).
				Scan(&p).Error; err != nil {
				return err
			}
			if p.ID == 0 {
				return gorm.ErrRecordNotFound
			}
			i.Name, i.Role, i.Stalls = p.Name, p.Role, p.Stalls
			if err := tx.Exec("UPDATE invitations SET used_at = now() WHERE person_id = ? AND used_at IS NULL",
				i.PersonID).Error; err != nil {
				return err
			}
		}
		return tx.Exec(`INSERT INTO invitations (name, hash, role, stalls, person_id, made_by, ends_at)
			VALUES (?, ?, ?, ?, nullif(?, 0), working_person(), ?)`, i.Name, hash, i.Role, array(i.Stalls), i.PersonID,
			i.EndsAt).Error
	})
	return secret, mapped("inviting", err)
}

const invitationColumns = "id, crew_id, name, role, stalls, coalesce(person_id, 0) AS person_id, made_at, ends_at"

// Invitations lists those that still let in, the latest first.
func (b *CrewStore) Invitations(ctx context.Context, now time.Time) ([]Invitation, error) {
	var list []Invitation
	err := b.db.WithContext(ctx).Raw("SELECT "+invitationColumns+
		" FROM invitations WHERE used_at IS NULL AND ends_at > ? ORDER BY id DESC", now).Scan(&list).Error
	return list, mapped("listing the invitations", err)
}

// WithdrawInvitation ends one at once.
func (b *CrewStore) WithdrawInvitation(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Exec("UPDATE invitations SET used_at = now() WHERE id = ? AND used_at IS NULL", id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("invitation %d: %w", id, ErrNotFound)
	}
	return mapped("withdrawing an invitation", res.Error)
}

// InvitationOf gives the invitation of a link's secret while it lets in; ErrNotFound where there is none.
func (b *CrewStore) InvitationOf(ctx context.Context, secret string, now time.Time) (*Invitation, error) {
	return invitationOf(b.db.WithContext(Everywhere(ctx)), secret, now, "")
}

func invitationOf(tx *gorm.DB, secret string, now time.Time, lock string) (*Invitation, error) {
	var list []Invitation
	err := tx.Raw("SELECT "+invitationColumns+" FROM invitations WHERE hash = ? AND used_at IS NULL AND ends_at > ?"+lock,
		secretHash(secret), now).Scan(&list).Error
	if err == nil && len(list) == 0 {
		return nil, fmt.Errorf("that invitation: %w", ErrNotFound)
	}
	if err != nil {
		return nil, mapped("looking for an invitation", err)
	}
	return &list[0], nil
}

// Accept uses an invitation up: somebody new comes into the crew under a name, or a person has a new password; a
// recorder has none. ErrTaken where the name is somebody's.
func (b *CrewStore) Accept(ctx context.Context, secret, name, hash string, now time.Time) (*Person, error) {
	var p *Person
	of, err := b.InvitationOf(ctx, secret, now)
	if err != nil {
		return nil, err
	}
	err = b.db.WithContext(InCrew(ctx, of.CrewID)).Transaction(func(tx *gorm.DB) error {
		i, err := invitationOf(tx, secret, now, " FOR UPDATE")
		if err != nil {
			return err
		}
		if err := tx.Exec("UPDATE invitations SET used_at = ? WHERE id = ?", now, i.ID).Error; err != nil {
			return err
		}
		if i.PersonID == 0 {
			if i.Role == Recorder {
				name, hash = i.Name, ""
			}
			p, err = addPerson(tx, name, i.Role, hash, i.Stalls)
			return err
		}
		p = &Person{}
		return tx.Raw("UPDATE people SET hash = ?, epoch = epoch + 1 WHERE id = ? AND left_at IS NULL RETURNING "+
			personColumns, hash, i.PersonID).Scan(p).Error
	})
	if err == nil && p.ID == 0 {
		err = gorm.ErrRecordNotFound
	}
	if errors.Is(err, ErrNotFound) || errors.Is(err, ErrRefused) {
		return nil, err
	}
	return p, mapped("coming in by an invitation", err)
}

// KnowBrowser notes that somebody came in by a browser, and gives the secret that it shows from then on.
func (b *CrewStore) KnowBrowser(ctx context.Context, person int64) (string, error) {
	secret, hash := madeSecret()
	err := b.db.WithContext(Everywhere(ctx)).Exec(`INSERT INTO known_browsers (person_id, hash, crew_id)
		SELECT id, ?, crew_id FROM people WHERE id = ?`, hash, person).Error
	return secret, mapped("noting a browser", err)
}

// BrowserKnown tells whether somebody of that name came in by the browser that shows a secret.
func (b *CrewStore) BrowserKnown(ctx context.Context, secret, name string) (bool, error) {
	key, _, err := called(name)
	if err != nil || strings.TrimSpace(secret) == "" {
		return false, nil
	}
	var known bool
	err = b.db.WithContext(Everywhere(ctx)).Raw(`SELECT EXISTS (SELECT FROM known_browsers k
		JOIN people p ON p.id = k.person_id WHERE k.hash = ? AND p.called = ? AND p.left_at IS NULL)`,
		secretHash(secret), key).Scan(&known).Error
	return known, mapped("asking for a browser", err)
}

// A Door is what stands between a stranger and the logbook: a password for everybody, a crew of whom each comes in by
// name, or nothing.
type Door struct {
	Hash string // of the password for everybody
	Crew bool
}

// Open tells whether nobody is asked who they are.
func (d Door) Open() bool { return d.Hash == "" && !d.Crew }

// Door tells what keeps strangers out.
func (b *CrewStore) Door(ctx context.Context) (Door, error) {
	var d Door
	err := b.db.WithContext(Everywhere(ctx)).Raw(`SELECT coalesce((SELECT hash FROM password), '') AS hash,
		EXISTS (SELECT FROM people) AS crew`).Scan(&d).Error
	return d, mapped("asking for the door", err)
}

// KeepChosen keeps what the person that a context works for has chosen, beside what they chose before; of nobody in
// particular nothing is kept.
func (b *CrewStore) KeepChosen(ctx context.Context, chosen map[string]string) error {
	id := ActorOf(ctx).PersonID
	if id == 0 {
		return nil
	}
	text, err := json.Marshal(chosen)
	if err != nil {
		return fmt.Errorf("keeping what was chosen: %w", err)
	}
	return mapped("keeping what was chosen", b.db.WithContext(ctx).Exec(
		"UPDATE people SET chosen = chosen || ?::jsonb WHERE id = ?", string(text), id).Error)
}

// Chosen gives what somebody has chosen.
func (b *CrewStore) Chosen(ctx context.Context, person int64) (map[string]string, error) {
	var texts []string
	err := b.db.WithContext(Everywhere(ctx)).Raw("SELECT chosen::text FROM people WHERE id = ?", person).Scan(&texts).Error
	out := map[string]string{}
	if err == nil && len(texts) == 1 {
		err = json.Unmarshal([]byte(texts[0]), &out)
	}
	return out, mapped("reading what was chosen", err)
}
