package logbook

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// PasswordHash gives the hash of the program's password; empty where none is set.
func (b *AccessStore) PasswordHash(ctx context.Context) (string, error) {
	var hash string
	err := b.db.WithContext(ctx).Raw("SELECT hash FROM password").Scan(&hash).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return "", nil
	}
	return hash, mapped("reading the password", err)
}

// SetPassword keeps the hash of a new password and signs everybody out; an empty one takes the password away.
func (b *AccessStore) SetPassword(ctx context.Context, hash string) error {
	return mapped("storing the password", b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		for _, q := range []string{"DELETE FROM sessions", "DELETE FROM password"} {
			if err := tx.Exec(q).Error; err != nil {
				return err
			}
		}
		if hash == "" {
			return nil
		}
		return tx.Exec("INSERT INTO password (hash) VALUES (?)", hash).Error
	}))
}

// ForgetSessions signs everybody out.
func (b *AccessStore) ForgetSessions(ctx context.Context) error {
	return mapped("signing out", b.db.WithContext(ctx).Exec("DELETE FROM sessions").Error)
}

// Sessions keeps who is signed in, for any copy of the program; it is a store of package scs. It ends sessions left
// idle itself: what scs does about it is to store every session again with every answer, which would bring back
// one that was ended while the request was under way.
type Sessions struct{ Store *AccessStore }

const (
	sessionTimeout = 5 * time.Second

	sessionIdle = 7 * 24 * time.Hour // a phone that was lost is no way in for ever
	// That a session is used is noted this often at most, not with every request.
	sessionNoted = time.Hour
)

// FindCtx gives a session that has neither run out nor been left idle for a week, and notes that it is used.
func (s Sessions) FindCtx(ctx context.Context, token string) (data []byte, found bool, err error) {
	var rows []struct {
		Data   []byte
		UsedAt time.Time
	}
	db := s.Store.db.WithContext(ctx)
	err = db.Raw(`SELECT data, used_at FROM sessions WHERE token = ? AND expires_at > now()
		AND used_at > now() - make_interval(secs => ?)`, token, sessionIdle.Seconds()).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, false, mapped("reading a session", err)
	}
	if time.Since(rows[0].UsedAt) > sessionNoted {
		if err := db.Exec("UPDATE sessions SET used_at = now() WHERE token = ?", token).Error; err != nil {
			s.Store.log.Warn("noting that a session is used", "error", err) // by the next request, then
		}
	}
	return rows[0].Data, true, nil
}

// CommitCtx keeps a session until it runs out, and drops those that have.
func (s Sessions) CommitCtx(ctx context.Context, token string, data []byte, until time.Time) error {
	return mapped("keeping a session", s.Store.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec(`DELETE FROM sessions WHERE expires_at <= now() OR used_at <= now() - make_interval(secs => ?)`,
			sessionIdle.Seconds()).Error; err != nil {
			return err
		}
		return tx.Exec(`INSERT INTO sessions (token, data, expires_at) VALUES (?, ?, ?)
			ON CONFLICT (token) DO UPDATE SET data = excluded.data, expires_at = excluded.expires_at`, token, data, until).Error
	}))
}

// DeleteCtx ends a session.
func (s Sessions) DeleteCtx(ctx context.Context, token string) error {
	return mapped("ending a session", s.Store.db.WithContext(ctx).Exec("DELETE FROM sessions WHERE token = ?",
		token).Error)
}

// Find is FindCtx without a context.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	ctx, cancel := context.WithTimeout(context.Background(), sessionTimeout)
	defer cancel()
	return s.FindCtx(ctx, token)
}

// Commit is CommitCtx without a context.
func (s Sessions) Commit(token string, data []byte, until time.Time) error {
	ctx, cancel := context.WithTimeout(context.Background(), sessionTimeout)
	defer cancel()
	return s.CommitCtx(ctx, token, data, until)
}

// Delete is DeleteCtx without a context.
func (s Sessions) Delete(token string) error {
	ctx, cancel := context.WithTimeout(context.Background(), sessionTimeout)
	defer cancel()
	return s.DeleteCtx(ctx, token)
}

// StationHash gives the hash of a charge point's password; false where it has none.
func (b *AccessStore) StationHash(ctx context.Context, name string) (string, bool, error) {
	ctx = Everywhere(ctx)
	var hashes []string
	err := b.db.WithContext(ctx).Raw("SELECT hash FROM station_passwords WHERE name = ?", name).Scan(&hashes).Error
	if err != nil || len(hashes) == 0 {
		return "", false, mapped(fmt.Sprintf("reading the password of charge point %q", name), err)
	}
	return hashes[0], true, nil
}

// SetStation keeps the hash of a charge point's password.
func (b *AccessStore) SetStation(ctx context.Context, name, hash string) error {
	return mapped(
		"storing a charge point's password",
		b.db.WithContext(ctx).Exec(`INSERT INTO station_passwords (name, hash)
		VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET hash = excluded.hash, made_at = now()`, name, hash).Error,
	)
}
