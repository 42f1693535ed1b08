package logbook

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Report is what somebody published of runs: a content that stays as it was made, with its author's words around it.
type Report struct {
	ID        int64 `gorm:"primaryKey"`
	Title     string
	Author    string
	Words     string          // Markdown
	Runs      []int64         `gorm:"serializer:json"` // that it is of; none: it is of a car or of a trip
	CarID     *int64          // of which it says what its runs taught; nil: it is of runs
	Profile   string          // of the car
	Trip      string          // what the page of a trip was asked for, of which it says the plans; empty: it is of none
	Without   []string        `gorm:"serializer:json"` // parts that were left out
	Content   json.RawMessage `gorm:"type:jsonb"`
	Data      []byte          // zipped run folders; nil: none goes with it, or it was not asked for
	Photo     []byte
	PhotoKind string
	Hash      string
	Notes     []Correcting `gorm:"serializer:json"` // oldest first
	MadeAt    time.Time
	DeletedAt gorm.DeletedAt
	WithData  bool `gorm:"->"`
}

// Correcting is a correction of a report that was made already.
type Correcting struct {
	At   time.Time `json:"at"`
	Text string    `json:"text"`
}

// Link is a way to read one report without being let in, without its secret, of which only a hash is kept.
type Link struct {
	ID          int64
	Crew        int64 // whose it is
	ReportID    int64
	Name        string
	Password    string // its hash; empty: none is asked for
	Listed      bool   // search engines may
	MadeAt      time.Time
	EndsAt      *time.Time // nil: it does not end
	OpenedAt    *time.Time // nil: never
	Opened      int64
	WithdrawnAt *time.Time // nil: it holds
}

// Ended tells whether a link's time is over.
func (l *Link) Ended(now time.Time) bool { return l.EndsAt != nil && !now.Before(*l.EndsAt) }

// MostData is how many bytes of runs a report may take along.
const MostData = 64 << 20

// withoutData is what is read of a report where its data is not asked for.
const withoutData = `id, title, author, words, runs, car_id, profile, trip, without, content, photo, photo_kind, hash,
	notes, made_at, deleted_at, data IS NOT NULL AS with_data`

// Reports lists the reports, the newest first, without their data.
func (b *ReportStore) Reports(ctx context.Context) ([]Report, error) {
	var list []Report
	err := b.db.WithContext(ctx).Select(withoutData).Order("id DESC").Find(&list).Error
	return list, mapped("listing the reports", err)
}

// Report gives one report without its data.
func (b *ReportStore) Report(ctx context.Context, id int64) (*Report, error) {
	var r Report
	err := b.db.WithContext(ctx).Select(withoutData).First(&r, id).Error
	return &r, mapped(fmt.Sprintf("report %d", id), err)
}

// ReportData gives the zipped run folders that a report goes with; ErrNotFound where it goes without.
func (b *ReportStore) ReportData(ctx context.Context, id int64) ([]byte, error) {
	var list []Report
	err := b.db.WithContext(ctx).Select("id", "data").Where("id = ? AND data IS NOT NULL", id).Find(&list).Error
	if err != nil || len(list) == 0 {
		return nil, cmp.Or(mapped(fmt.Sprintf("data of report %d", id), err),
			fmt.Errorf("data of report %d: %w", id, ErrNotFound))
	}
	return list[0].Data, nil
}

// SaveReport keeps a new report.
func (b *ReportStore) SaveReport(ctx context.Context, r *Report) error {
	return mapped("keeping the report", b.db.WithContext(ctx).Create(r).Error)
}

// SetReportWords changes what a report's author says around it; its content stays.
func (b *ReportStore) SetReportWords(ctx context.Context, id int64, title, author, words string) error {
	return b.changeReport(ctx, id, "keeping the words", map[string]any{"title": title, "author": author, "words": words})
}

// RenewReport puts a newer content and data in the place of the old, and says why; the notes so far stay.
func (b *ReportStore) RenewReport(ctx context.Context, id int64, r *Report, why Correcting) error {
	return mapped("making the report anew", b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := addNote(tx, id, why); err != nil {
			return err
		}
		return tx.Model(&Report{ID: id}).Select("Content", "Data", "Hash", "MadeAt").Updates(r).Error
	}))
}

// CorrectReport adds a correction that stands on top of a report from then on.
func (b *ReportStore) CorrectReport(ctx context.Context, id int64, note Correcting) error {
	return mapped("adding the correction", b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		return addNote(tx, id, note)
	}))
}

func addNote(tx *gorm.DB, id int64, note Correcting) error {
	text, err := json.Marshal([]Correcting{note})
	if err != nil {
		return err
	}
	res := tx.Exec("UPDATE reports SET notes = notes || ?::jsonb WHERE id = ? AND deleted_at IS NULL", string(text), id)
	if res.Error == nil && res.RowsAffected == 0 {
		return gorm.ErrRecordNotFound
	}
	return res.Error
}

func (b *ReportStore) changeReport(ctx context.Context, id int64, doing string, to map[string]any) error {
	res := b.db.WithContext(ctx).Model(&Report{}).Where("id = ?", id).Updates(to)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("report %d: %w", id, ErrNotFound)
	}
	return mapped(doing, res.Error)
}

// DeleteReport removes a report: its links open nothing from then on. RestoreReport brings both back.
func (b *ReportStore) DeleteReport(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Delete(&Report{}, id)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("report %d: %w", id, ErrNotFound)
	}
	return mapped("removing the report", res.Error)
}

// RestoreReport brings a removed report back.
func (b *ReportStore) RestoreReport(ctx context.Context, id int64) error {
	res := b.db.WithContext(ctx).Unscoped().Model(&Report{}).Where("id = ?", id).Update("deleted_at", nil)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("report %d: %w", id, ErrNotFound)
	}
	return mapped("bringing the report back", res.Error)
}

// AddLink makes a link to a report, and gives its secret, which nobody can ask for again. As with a token, a fast hash
// will do.
func (b *ReportStore) AddLink(ctx context.Context, l *Link) (secret string, err error) {
	if strings.TrimSpace(l.Name) == "" {
		return "", fmt.Errorf("%w: a link without a name", ErrRefused)
	}
	secret, hash := madeSecret()
	err = b.db.WithContext(ctx).Exec(`INSERT INTO report_links (report_id, name, hash, password, listed, ends_at)
		VALUES (?, ?, ?, ?, ?, ?)`, l.ReportID, l.Name, hash, l.Password, l.Listed, l.EndsAt).Error
	return secret, mapped("making a link", err)
}

const linkColumns = `l.id, l.report_id, l.name, l.password, l.listed, l.made_at, l.ends_at, l.opened_at, l.opened,
	l.withdrawn_at, l.crew_id AS crew`

// Links lists a report's links, the newest first.
func (b *ReportStore) Links(ctx context.Context, reportID int64) ([]Link, error) {
	var list []Link
	err := b.db.WithContext(ctx).Raw("SELECT "+linkColumns+" FROM report_links l WHERE report_id = ? ORDER BY id DESC",
		reportID).Scan(&list).Error
	return list, mapped("listing the links", err)
}

// LinkOf gives the link of a secret while it holds, its report being there; ErrNotFound where there is none.
func (b *ReportStore) LinkOf(ctx context.Context, secret string, now time.Time) (*Link, error) {
	ctx = Everywhere(ctx)
	var l Link
	err := b.db.WithContext(ctx).Raw("SELECT "+linkColumns+` FROM report_links l JOIN reports r ON r.id = l.report_id
		WHERE l.hash = ? AND l.withdrawn_at IS NULL AND r.deleted_at IS NULL`, secretHash(secret)).Scan(&l).Error
	if err != nil {
		return nil, mapped("looking for a link", err)
	}
	if l.ID == 0 || l.Ended(now) {
		return nil, fmt.Errorf("that link: %w", ErrNotFound)
	}
	return &l, nil
}

// LinkOpened counts that a report was read by a link; who read it is not kept.
func (b *ReportStore) LinkOpened(ctx context.Context, id int64, now time.Time) error {
	err := b.db.WithContext(ctx).Exec("UPDATE report_links SET opened = opened + 1, opened_at = ? WHERE id = ?", now,
		id).Error
	if unkept(err) { // it is read all the same
		return nil
	}
	return mapped("counting a reader", err)
}

// WithdrawLink ends a link at once.
func (b *ReportStore) WithdrawLink(ctx context.Context, reportID, id int64) error {
	res := b.db.WithContext(ctx).Exec(`UPDATE report_links SET withdrawn_at = now()
		WHERE id = ? AND report_id = ? AND withdrawn_at IS NULL`, id, reportID)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("link %d: %w", id, ErrNotFound)
	}
	return mapped("withdrawing a link", res.Error)
}
