package logbook

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Role is what somebody may do: a reader reads and asks for reckonings, a tester also brings runs in and puts them
// right, a keeper also removes them.
type Role string

// The roles, each with what the one before may do.
const (
	Reader Role = "reader"
	Tester Role = "tester"
	Keeper Role = "keeper"
)

// Recorder is what a device at the stalls has: it records there, and does nothing else.
const Recorder Role = "recorder"

// Roles lists them, from the least on.
var Roles = []Role{Reader, Tester, Keeper}

// May tells whether a role may do what needs another.
func (r Role) May(needed Role) bool {
	return slices.Index(Roles, r) >= slices.Index(Roles, needed) && slices.Contains(Roles, r)
}

// Token is what a program shows at the door, without the secret, of which only a hash is kept.
type Token struct {
	ID          int64
	Name        string
	Role        Role
	MadeAt      time.Time
	EndsAt      time.Time
	UsedAt      *time.Time // nil: never
	WithdrawnAt *time.Time // nil: it holds
	Crew        int64
	MadeBy      int64 // a person of the crew; 0: nobody in particular
}

// tokenBegins tells a token from other secrets, for people and for programs that look for lost ones.
const tokenBegins = "zincroad_"

// AddToken makes a token that holds until it ends, and gives its secret, which nobody can ask for again. A fast hash
// will do: the secret is chance, not a word of somebody's.
func (b *AccessStore) AddToken(ctx context.Context, name string, role Role, ends time.Time) (secret string, err error) {
	if strings.TrimSpace(name) == "" {
		return "", fmt.Errorf("%w: a token without a name", ErrRefused)
	}
	if !slices.Contains(Roles, role) {
		return "", fmt.Errorf("%w: the role %q, expected reader, tester or keeper", ErrRefused, role)
	}
	secret, _ = madeSecret()
	secret = tokenBegins + secret
	err = b.db.WithContext(ctx).Exec("INSERT INTO tokens (name, hash, role, ends_at) VALUES (?, ?, ?, ?)", name,
		secretHash(secret), role, ends).Error
	return secret, mapped("making a token", err)
}

const tokenColumns = `id, name, role, made_at, ends_at, used_at, withdrawn_at, coalesce(made_by, 0) AS made_by,
	crew_id AS crew`

// TokenOf gives the token of a secret while it holds, and notes that it was used; ErrNotFound where there is none.
func (b *AccessStore) TokenOf(ctx context.Context, secret string, now time.Time) (*Token, error) {
	ctx = Everywhere(ctx)
	var t Token
	err := b.db.WithContext(ctx).Raw(`SELECT `+tokenColumns+` FROM tokens
		WHERE hash = ? AND withdrawn_at IS NULL AND ends_at > ?`, secretHash(secret), now).Scan(&t).Error
	if err != nil {
		return nil, mapped("looking for a token", err)
	}
	if t.ID == 0 {
		return nil, fmt.Errorf("that token: %w", ErrNotFound)
	}
	if t.UsedAt == nil || now.Sub(*t.UsedAt) > usedEvery {
		err = b.db.WithContext(ctx).Exec("UPDATE tokens SET used_at = ? WHERE id = ?", now, t.ID).Error
		if unkept(err) { // it lets in all the same
			err = nil
		}
	}
	return &t, mapped("noting that a token was used", err)
}

// usedEvery is how exactly it is noted when a token was used last.
const usedEvery = time.Minute

// Tokens lists all that were made, the latest first.
func (b *AccessStore) Tokens(ctx context.Context) ([]Token, error) {
	var list []Token
	err := b.db.WithContext(ctx).Raw(`SELECT ` + tokenColumns + ` FROM tokens
		ORDER BY id DESC`).Scan(&list).Error
	return list, mapped("listing the tokens", err)
}

// WithdrawToken ends a token at once.
func (b *AccessStore) WithdrawToken(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Exec("UPDATE tokens SET withdrawn_at = now() WHERE id = ? AND withdrawn_at IS NULL", id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("token %d: %w", id, ErrNotFound)
	}
	return mapped("withdrawing a token", res.Error)
}
