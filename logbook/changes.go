package logbook

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"
)

// Change is one thing that somebody made, changed or removed.
type Change struct {
	ID       int64
	At       time.Time
	Actor    string
	PersonID *int64 // nil: nobody in particular
	Entity   string // runs, marks, recordings, photos, corrections, cars and so on: a table
	EntityID int64
	RunID    *int64
	Before   Noted // nil: it was made
	After    Noted // nil: it was removed
}

// Noted is a row as it was noted, or what of it differs, by column.
type Noted map[string]any

// GormDataType is the column's type.
func (Noted) GormDataType() string { return "jsonb" }

// Value is what is kept.
func (n Noted) Value() (driver.Value, error) {
	if n == nil {
		return nil, nil
	}
	text, err := json.Marshal(n)
	return string(text), err
}

// Scan reads what is kept as JSON.
func (n *Noted) Scan(kept any) error {
	*n = nil
	switch v := kept.(type) {
	case nil:
		return nil
	case string:
		return json.Unmarshal([]byte(v), n)
	case []byte:
		return json.Unmarshal(v, n)
	}
	return fmt.Errorf("what was noted is no JSON but %T", kept)
}

// mostChanges is how many changes are listed.
const mostChanges = 200

// Changes lists what was changed of a run, the latest first.
func (b *RunStore) Changes(ctx context.Context, runID int64) ([]Change, error) {
	var list []Change
	err := b.db.WithContext(ctx).Raw("SELECT * FROM changes WHERE run_id = ? ORDER BY id DESC LIMIT ?", runID,
		mostChanges).Scan(&list).Error
	return list, mapped("reading what was changed", err)
}

// LastActor tells who changed something last; "Somebody" where nobody is noted.
func (b *RunStore) LastActor(ctx context.Context, entity string, id int64) (string, error) {
	var who []string
	err := b.db.WithContext(ctx).Raw(`SELECT actor FROM changes WHERE entity = ? AND entity_id = ?
		ORDER BY id DESC LIMIT 1`, entity, id).Scan(&who).Error
	if err != nil || len(who) == 0 || who[0] == Owner {
		return "Somebody", mapped("asking who changed it", err)
	}
	return who[0], nil
}

// undoable are the tables of which a change can be undone by itself.
var undoable = []string{"runs", "marks", "recordings"}

// CanUndo tells whether a change can be undone by itself: a part of a run that was changed or removed, or a mark.
func (c Change) CanUndo() bool { return slices.Contains(undoable, c.Entity) }

// UndoChange puts back what a change of a run changed: the values before it, the mark that it removed; a mark that it
// made is removed. What was changed since is overwritten, and that is a change in its turn.
func (b *RunStore) UndoChange(ctx context.Context, runID, id int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var c Change
		if err := tx.Raw("SELECT * FROM changes WHERE id = ? AND run_id = ?", id, runID).Scan(&c).Error; err != nil {
			return err
		}
		if c.ID == 0 {
			return gorm.ErrRecordNotFound
		}
		if !c.CanUndo() {
			return fmt.Errorf("%w: a change of %s", ErrRefused, c.Entity)
		}
		if err := undo(tx, c); err != nil {
			return err
		}
		return touch(tx, runID)
	})
	return mapped("undoing the change", err)
}

func undo(tx *gorm.DB, c Change) error {
	table := pgx.Identifier{c.Entity}.Sanitize() // of undoable
	if c.Before == nil {
		return tx.Exec("DELETE FROM "+table+" WHERE id = ?", c.EntityID).Error
	}
	before, err := json.Marshal(c.Before)
	if err != nil {
		return err
	}
	if c.After == nil {
		return tx.Exec("INSERT INTO "+table+" OVERRIDING SYSTEM VALUE SELECT * FROM jsonb_populate_record(NULL::"+table+
			", ?)", string(before)).Error
	}
	var set, from string
	for column := range c.Before {
		if set != "" {
			set, from = set+", ", from+", "
		}
		name := pgx.Identifier{column}.Sanitize()
		set, from = set+name, from+"x."+name
	}
	return tx.Exec("UPDATE "+table+" SET ("+set+") = (SELECT "+from+" FROM jsonb_populate_record(NULL::"+table+
		", ?) AS x) WHERE id = ?", string(before), c.EntityID).Error
}
