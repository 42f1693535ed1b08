package logbook

import (
	"context"
	"fmt"
)

// Connect notes that a provider knows somebody by a subject; ErrTaken where it knows another of the crew by it.
func (b *CrewStore) Connect(ctx context.Context, person int64, issuer, subject string) error {
	return mapped("connecting with a provider", b.db.WithContext(ctx).Exec(
		"INSERT INTO identities (person_id, issuer, subject) VALUES (?, ?, ?)", person, issuer, subject).Error)
}

// Connected tells whether a provider knows somebody.
func (b *CrewStore) Connected(ctx context.Context, person int64, issuer string) (bool, error) {
	var is bool
	err := b.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT FROM identities WHERE person_id = ? AND issuer = ?)", person,
		issuer).Scan(&is).Error
	return is, mapped("asking for providers", err)
}

// Disconnect forgets by what a provider knows somebody.
func (b *CrewStore) Disconnect(ctx context.Context, person int64, issuer string) error {
	return mapped("disconnecting from a provider", b.db.WithContext(ctx).Exec(
		"DELETE FROM identities WHERE person_id = ? AND issuer = ?", person, issuer).Error)
}

// PersonKnown gives who is here and known to a provider by a subject; ErrNotFound where nobody is.
func (b *CrewStore) PersonKnown(ctx context.Context, issuer, subject string) (*Person, error) {
	ctx = Everywhere(ctx)
	var ids []int64
	err := b.db.WithContext(ctx).Raw("SELECT person_id FROM identities WHERE issuer = ? AND subject = ?", issuer, subject).
		Scan(&ids).Error
	if err == nil && len(ids) == 0 {
		return nil, fmt.Errorf("a person known to %s: %w", issuer, ErrNotFound)
	}
	if err != nil {
		return nil, mapped("looking for a person", err)
	}
	return b.Person(ctx, ids[0])
}
