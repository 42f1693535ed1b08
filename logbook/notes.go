package logbook

import (
	"context"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
)

// A Note is what somebody of a crew wrote to the others on a run, in Markdown.
type Note struct {
	ID       int64
	RunID    int64
	AuthorID int64
	Author   string
	Text     string
	FromS    *float64 // since the run's start; nil: of the whole run
	ToS      *float64
	MadeAt   time.Time
	Run      string // its car and site, where notes of several runs are listed
}

// AddNote keeps what the person that a context works for writes on a run, and mentions those whose names stand in it
// behind an @.
func (b *CrewStore) AddNote(ctx context.Context, n *Note) error {
	n.AuthorID = ActorOf(ctx).PersonID
	return mapped("keeping a note", b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Raw(`INSERT INTO notes (run_id, author_id, text, from_s, to_s) VALUES (?, ?, ?, ?, ?) RETURNING id`,
			n.RunID, n.AuthorID, n.Text, n.FromS, n.ToS).Scan(&n.ID).Error; err != nil {
			return err
		}
		var people []Person
		if err := tx.Raw("SELECT " + personColumns + " FROM people WHERE left_at IS NULL").Scan(&people).Error; err != nil {
			return err
		}
		for _, p := range people {
			if p.ID == n.AuthorID || !mentions(n.Text, p.Name) {
				continue
			}
			if err := tx.Exec("INSERT INTO mentions (note_id, person_id) VALUES (?, ?)", n.ID, p.ID).Error; err != nil {
				return err
			}
		}
		return nil
	}))
}

// mentions tells whether a text has a name in it behind an @, and not only the beginning of a longer word.
func mentions(text, name string) bool {
	text, name = strings.ToLower(text), "@"+strings.ToLower(name)
	for at := 0; ; at++ {
		i := strings.Index(text[at:], name)
		if i < 0 {
			return false
		}
		at += i
		rest := []rune(text[at+len(name):])
		if len(rest) == 0 || !isWord(rest[0]) {
			return true
		}
	}
}

func isWord(r rune) bool {
	return strings.ToLower(string(r)) != strings.ToUpper(string(r)) || r >= '0' && r <= '9'
}

const noteColumns = "n.id, n.run_id, n.author_id, p.name AS author, n.text, n.from_s, n.to_s, n.made_at"

// Notes lists what was written on a run, in order, and takes the mentions of who reads it as seen.
func (b *CrewStore) Notes(ctx context.Context, runID int64) ([]Note, error) {
	var list []Note
	err := b.db.WithContext(ctx).Raw("SELECT "+noteColumns+` FROM notes n JOIN people p ON p.id = n.author_id
		WHERE n.run_id = ? ORDER BY n.id`, runID).Scan(&list).Error
	if err == nil && len(list) > 0 {
		err = b.db.WithContext(ctx).Exec(`UPDATE mentions SET seen_at = now() WHERE person_id = ? AND seen_at IS NULL
			AND note_id IN (SELECT id FROM notes WHERE run_id = ?)`, ActorOf(ctx).PersonID, runID).Error
		if unkept(err) { // it is read all the same
			err = nil
		}
	}
	return list, mapped("reading the notes", err)
}

// RemoveNote takes a note away: its author may, and a keeper.
func (b *CrewStore) RemoveNote(ctx context.Context, runID, id int64) error {
	a := ActorOf(ctx)
	res := b.db.WithContext(ctx).Exec("DELETE FROM notes WHERE id = ? AND run_id = ? AND (author_id = ? OR ?)", id, runID,
		a.PersonID, a.May(Keeper))
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("that note: %w", ErrNotFound)
	}
	return mapped("removing a note", res.Error)
}

// Mentioned lists the notes that mention somebody who has not seen them yet, the latest first.
func (b *CrewStore) Mentioned(ctx context.Context, person int64) ([]Note, error) {
	var list []Note
	err := b.db.WithContext(ctx).Raw("SELECT "+noteColumns+`, trim(coalesce(c.name, '') || ' ' || coalesce(r.title, ''))
			AS run
		FROM mentions m JOIN notes n ON n.id = m.note_id JOIN people p ON p.id = n.author_id
			JOIN runs r ON r.id = n.run_id LEFT JOIN cars c ON c.id = r.car_id
		WHERE m.person_id = ? AND m.seen_at IS NULL AND r.deleted_at IS NULL ORDER BY n.id DESC LIMIT 50`, person).
		Scan(&list).Error
	return list, mapped("looking for mentions", err)
}

// Unseen is how many they are.
func (b *CrewStore) Unseen(ctx context.Context, person int64) (int, error) {
	var n int
	err := b.db.WithContext(ctx).Raw("SELECT count(*) FROM mentions WHERE person_id = ? AND seen_at IS NULL", person).
		Scan(&n).Error
	return n, mapped("counting mentions", err)
}
