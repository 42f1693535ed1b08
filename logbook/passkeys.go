package logbook

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// A Passkey is a key on a person's own device. The credential is as the library for them writes it.
type Passkey struct {
	ID         int64
	PersonID   int64
	Name       string
	Credential json.RawMessage `gorm:"type:jsonb"`
	MadeAt     time.Time
	UsedAt     *time.Time // nil: never
}

// Passkeys lists a person's keys, the latest first.
func (b *CrewStore) Passkeys(ctx context.Context, person int64) ([]Passkey, error) {
	var list []Passkey
	err := b.db.WithContext(ctx).Raw(`SELECT id, person_id, name, credential, made_at, used_at FROM passkeys
		WHERE person_id = ? ORDER BY id DESC`, person).Scan(&list).Error
	return list, mapped("listing the passkeys", err)
}

// AddPasskey keeps a new key of a person.
func (b *CrewStore) AddPasskey(ctx context.Context, person int64, name string, credential []byte) error {
	return mapped("keeping a passkey", b.db.WithContext(ctx).Exec(
		"INSERT INTO passkeys (person_id, name, credential) VALUES (?, ?, ?::jsonb)", person, name, string(credential)).Error)
}

// UsedPasskey notes that a key was used, and what it is like since.
func (b *CrewStore) UsedPasskey(ctx context.Context, id int64, credential []byte) error {
	return mapped("noting a passkey", b.db.WithContext(ctx).Exec(
		"UPDATE passkeys SET credential = ?::jsonb, used_at = now() WHERE id = ?", string(credential), id).Error)
}

// RemovePasskey takes a key of a person away.
func (b *CrewStore) RemovePasskey(ctx context.Context, person, id int64) error {
	res := b.db.WithContext(ctx).Exec("DELETE FROM passkeys WHERE id = ? AND person_id = ?", id, person)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("passkey %d: %w", id, ErrNotFound)
	}
	return mapped("removing a passkey", res.Error)
}

// Asked keeps what a browser is asked for until it answers, and gives the secret that it shows then.
func (b *CrewStore) Asked(ctx context.Context, what []byte, until time.Time) (secret string, err error) {
	secret, hash := madeSecret()
	err = b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM ceremonies WHERE ends_at < now()").Error; err != nil {
			return err
		}
		return tx.Exec("INSERT INTO ceremonies (asked, hash, ends_at) VALUES (?::jsonb, ?, ?)", string(what), hash,
			until).Error
	})
	return secret, mapped("keeping what was asked", err)
}

// Answered gives what was asked of a browser that shows a secret, once and until it ends; ErrNotFound where there is
// nothing.
func (b *CrewStore) Answered(ctx context.Context, secret string, now time.Time) ([]byte, error) {
	var asked []string
	err := b.db.WithContext(ctx).Raw("DELETE FROM ceremonies WHERE hash = ? AND ends_at > ? RETURNING asked::text",
		secretHash(secret), now).Scan(&asked).Error
	if err == nil && len(asked) == 0 {
		return nil, fmt.Errorf("what was asked: %w", ErrNotFound)
	}
	if err != nil {
		return nil, mapped("looking for what was asked", err)
	}
	return []byte(asked[0]), nil
}
