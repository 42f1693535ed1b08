package logbook

import (
	"context"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"zincroad/core/curve"
)

// Event is something that hooks are told.
type Event string

// The events: a run that was recorded has ended, or one has come in, and its figures are there; figures of a run that
// were there are others now; and a trial, of which nothing happened.
const (
	RunFinished   Event = "run.finished"
	FiguresChange Event = "run.figures"
	Trial         Event = "trial"
)

// Events are those that a hook may ask for.
var Events = []Event{RunFinished, FiguresChange}

// Hook is an address that is told events. Its secret is shown once.
type Hook struct {
	ID          int64
	Name        string
	Address     string
	Events      []Event `gorm:"-"`
	Asked       string  // the same, with commas between them
	Secret      []byte
	MadeAt      time.Time
	WithdrawnAt *time.Time // nil: it is told
}

// Telling is an event on its way to a hook, or there.
type Telling struct {
	ID     int64
	HookID int64
	Event  Event
	RunID  *int64
	At     time.Time
	Body   string
	Tries  int
	NextAt time.Time
	DoneAt *time.Time // told, or given up
	Said   string     // what came back last

	Address string
	Secret  []byte
}

// secretBegins tells a hook's secret from others, as the usual header form has it.
const secretBegins = "whsec_"

// AddHook makes a hook, and gives its secret, which nobody can ask for again.
func (b *HookStore) AddHook(ctx context.Context, name, address string, events []Event) (secret string, err error) {
	if strings.TrimSpace(name) == "" || len(events) == 0 {
		return "", fmt.Errorf("%w: a hook without a name, or without an event", ErrRefused)
	}
	asked := make([]string, len(events))
	for i, e := range events {
		if !slices.Contains(Events, e) {
			return "", fmt.Errorf("%w: the event %q", ErrRefused, e)
		}
		asked[i] = string(e)
	}
	chance := byChance()
	err = b.db.WithContext(ctx).Exec(`INSERT INTO hooks (name, address, events, secret)
		VALUES (?, ?, string_to_array(?, ','), ?)`, name, address, strings.Join(asked, ","), chance).Error
	return secretBegins + base64.StdEncoding.EncodeToString(chance), mapped("making a hook", err)
}

// Hooks lists them, the newest first.
func (b *HookStore) Hooks(ctx context.Context) ([]Hook, error) {
	var list []Hook
	err := b.db.WithContext(ctx).Raw(`SELECT id, name, address, array_to_string(events, ',') AS asked, made_at,
		withdrawn_at FROM hooks ORDER BY id DESC`).Scan(&list).Error
	for i := range list {
		for _, e := range strings.Split(list[i].Asked, ",") {
			list[i].Events = append(list[i].Events, Event(e))
		}
	}
	return list, mapped("listing the hooks", err)
}

// WithdrawHook ends a hook: it is told nothing from then on, not even what was on its way.
func (b *HookStore) WithdrawHook(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Exec("UPDATE hooks SET withdrawn_at = now() WHERE id = ? AND withdrawn_at IS NULL", id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("hook %d: %w", id, ErrNotFound)
	}
	return mapped("withdrawing the hook", res.Error)
}

// TryHook has a trial told to a hook.
func (b *HookStore) TryHook(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Exec(`INSERT INTO hook_events (hook_id, event)
		SELECT id, ? FROM hooks WHERE id = ? AND withdrawn_at IS NULL`, Trial, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("hook %d: %w", id, ErrNotFound)
	}
	return mapped("trying the hook", res.Error)
}

// Told lists what hooks were told last, or are yet to be.
func (b *HookStore) Told(ctx context.Context, most int) ([]Telling, error) {
	var list []Telling
	err := b.db.WithContext(ctx).Raw(`SELECT id, hook_id, event, run_id, at, tries, next_at, done_at, said FROM hook_events
		ORDER BY id DESC LIMIT ?`, most).Scan(&list).Error
	return list, mapped("listing what was told", err)
}

// tell puts an event on its way to whoever asked for it; within the change that it is of. Figures that change before a
// run's end was told are told with that.
func tell(tx *gorm.DB, event Event, runID int64) error {
	return tx.Exec(`INSERT INTO hook_events (hook_id, event, run_id)
		SELECT id, @event, @run FROM hooks h WHERE withdrawn_at IS NULL AND @event = ANY (events) AND NOT EXISTS (
			SELECT 1 FROM hook_events e WHERE e.hook_id = h.id AND e.run_id = @run AND e.event = @end
				AND e.done_at IS NULL AND e.body = '')
		ON CONFLICT DO NOTHING`, map[string]any{"event": event, "run": runID, "end": RunFinished}).Error
}

// figuresWithin is how long an event waits for a run's figures, which the background works out.
const figuresWithin = 10 * time.Minute

// NextTelling takes the event that is due, and holds it for so long that no other copy of the program tells it too;
// nil where none is. An event of a run waits until its figures are there.
func (b *HookStore) NextTelling(ctx context.Context, now time.Time, hold time.Duration) (*Telling, error) {
	ctx = Everywhere(ctx)
	var list []Telling
	err := b.db.WithContext(ctx).Raw(`UPDATE hook_events e SET tries = tries + 1, next_at = @later FROM hooks h
		WHERE h.id = e.hook_id AND e.id = (
			SELECT x.id FROM hook_events x JOIN hooks y ON y.id = x.hook_id LEFT JOIN runs r ON r.id = x.run_id
			WHERE x.done_at IS NULL AND x.next_at <= @now AND y.withdrawn_at IS NULL
				AND (r.id IS NULL OR x.at < @longago OR r.read_revision = r.revision AND r.read_version >= @version)
			ORDER BY x.next_at, x.id LIMIT 1 FOR UPDATE OF x SKIP LOCKED)
		RETURNING e.id, e.hook_id, e.event, e.run_id, e.at, e.body, e.tries, h.address, h.secret`,
		map[string]any{"now": now, "later": now.Add(hold), "longago": now.Add(-figuresWithin), "version": curve.Version}).
		Scan(&list).Error
	if err != nil || len(list) == 0 {
		return nil, mapped("looking for what is to be told", err)
	}
	return &list[0], nil
}

// SetBody keeps what is told of an event, so that every try tells the same.
func (b *HookStore) SetBody(ctx context.Context, id int64, body string) error {
	return mapped("keeping what is told", b.db.WithContext(ctx).Exec("UPDATE hook_events SET body = ? WHERE id = ?", body,
		id).Error)
}

// SetTold says what came of a try: done, or to be tried again.
func (b *HookStore) SetTold(ctx context.Context, id int64, said string, again *time.Time) error {
	err := b.db.WithContext(ctx).Exec(`UPDATE hook_events SET said = ?, next_at = coalesce(?, next_at),
		done_at = CASE WHEN ?::timestamptz IS NULL THEN now() END WHERE id = ?`, said, again, again, id).Error
	return mapped("keeping what came back", err)
}
