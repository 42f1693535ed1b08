package logbook

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// Answered is what a write under a key was answered with.
type Answered struct {
	Asked   []byte // SHA-256 of what was asked; nil: it is being done
	Status  int
	Headers map[string]string
	Body    []byte
}

// answersKept is for how long; a program that was cut off asks again sooner. beingDone is how long a write takes at
// most: one that is older was cut off by a crash, and may be done anew.
const (
	answersKept = 24 * time.Hour
	beingDone   = 15 * time.Minute
)

// ClaimKey takes a key for a write that somebody is about to do; nil: it is theirs. Else what that write was answered
// with, or that it is being done.
func (b *AccessStore) ClaimKey(ctx context.Context, actor, key string) (*Answered, error) {
	var out *Answered
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		err := tx.Exec("DELETE FROM answered WHERE at < now() - make_interval(secs => ?) OR asked IS NULL AND at < now() - "+
			"make_interval(secs => ?)", answersKept.Seconds(), beingDone.Seconds()).Error
		if err != nil {
			return err
		}
		res := tx.Exec("INSERT INTO answered (actor, key) VALUES (?, ?) ON CONFLICT DO NOTHING", actor, key)
		if res.Error != nil || res.RowsAffected == 1 {
			return res.Error
		}
		var row struct {
			Asked, Body []byte
			Status      *int
			Headers     *string
		}
		err = tx.Raw("SELECT asked, status, headers, body FROM answered WHERE actor = ? AND key = ?", actor, key).
			Scan(&row).Error
		if err != nil {
			return err
		}
		out = &Answered{Asked: row.Asked, Body: row.Body}
		if row.Status != nil && row.Headers != nil {
			out.Status = *row.Status
			return json.Unmarshal([]byte(*row.Headers), &out.Headers)
		}
		return nil
	})
	return out, mapped("claiming a key", err)
}

// KeepAnswer keeps what a write under a key was answered with.
func (b *AccessStore) KeepAnswer(ctx context.Context, actor, key string, a *Answered) error {
	headers, err := json.Marshal(a.Headers)
	if err != nil {
		return fmt.Errorf("keeping an answer: %w", err)
	}
	return mapped("keeping an answer", b.db.WithContext(ctx).Exec(`UPDATE answered SET asked = ?, status = ?,
		headers = ?::jsonb, body = ?, at = now() WHERE actor = ? AND key = ?`, a.Asked, a.Status, string(headers), a.Body,
		actor, key).Error)
}

// DropKey gives a key back: its write was not done.
func (b *AccessStore) DropKey(ctx context.Context, actor, key string) error {
	return mapped("giving a key back",
		b.db.WithContext(ctx).Exec("DELETE FROM answered WHERE actor = ? AND key = ?", actor, key).Error)
}
