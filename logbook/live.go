package logbook

import (
	"context"
	"errors"
	"fmt"

	"gorm.io/gorm"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// ErrEnded is returned for what is to be added to a run that is not live.
var ErrEnded = errors.New("this run is not live")

// afterTheEnd notes that something came into a run that has ended already, so that
// its figures are worked out anew.
func afterTheEnd(tx *gorm.DB, runID int64) error {
	if err := tx.Exec("UPDATE runs SET revision = revision + 1 WHERE id = ?", runID).Error; err != nil {
		return err
	}
	return notify(tx, runID)
}

// StartLive begins a live run and gives its number. The row carries what is known
// of it; StartedAt is needed.
func (b *LiveStore) StartLive(ctx context.Context, row *Run) (int64, error) {
	row.Live, row.Revision = true, 1
	row.Fingerprint = fmt.Sprintf("live-%d", row.StartedAt.UnixNano())
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Omit("Car", "Software", "Stall", "Adapter", "Recordings").Create(row).Error; err != nil {
			return err
		}
		return notify(tx, row.ID)
	})
	return row.ID, mapped("starting the run", err)
}

// LiveRuns lists the runs under way, the newest first.
func (b *LiveStore) LiveRuns(ctx context.Context) ([]Run, error) {
	var list []Run
	err := b.db.WithContext(ctx).Preload("Car").Preload("Stall.Site").Where("live").Order("id DESC").Find(&list).Error
	return list, mapped("listing the live runs", err)
}

// isLive tells whether a run is live, and keeps it so until the transaction is over.
func isLive(tx *gorm.DB, runID int64) (bool, error) {
	var row struct{ Live bool }
	res := tx.Raw("SELECT live FROM runs WHERE id = ? AND deleted_at IS NULL FOR UPDATE", runID).Scan(&row)
	if res.Error == nil && res.RowsAffected == 0 {
		return false, gorm.ErrRecordNotFound
	}
	return row.Live, res.Error
}

// recordingOf gives a run's recording of that name, making it where there is none.
func recordingOf(tx *gorm.DB, runID int64, name string, side trace.Side, resolution float64) (*Recording, error) {
	var rec Recording
	err := tx.Where("run_id = ? AND name = ?", runID, name).First(&rec).Error
	if !errors.Is(err, gorm.ErrRecordNotFound) {
		return &rec, err
	}
	var next int
	if err := tx.Raw("SELECT coalesce(max(position) + 1, 0) FROM recordings WHERE run_id = ?",
		runID).Scan(&next).Error; err != nil {
		return nil, err
	}
	rec = Recording{RunID: runID, Position: next, Name: name, Side: string(side), SoCResolutionPct: resolution}
	return &rec, tx.Create(&rec).Error
}

// LiveMark stores a mark made at the stall once, however often it is sent, also
// when the run has been ended meanwhile.
func (b *LiveStore) LiveMark(ctx context.Context, m *Mark, key string) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		live, err := isLive(tx, m.RunID)
		if err != nil {
			return err
		}
		res := tx.Exec(`INSERT INTO marks (run_id, t_s, kind, note, key) VALUES (?, ?, ?, ?, ?)
			ON CONFLICT (run_id, key) WHERE key IS NOT NULL DO NOTHING`, m.RunID, m.TS, m.Kind, m.Note, key)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if err := inPlaceOfTheStalls(tx, m); err != nil {
			return err
		}
		if live {
			return notify(tx, m.RunID)
		}
		return afterTheEnd(tx, m.RunID)
	})
	return mapped("storing the mark", err)
}

// inPlaceOfTheStalls takes those marks away that a tester's own mark takes the place of.
func inPlaceOfTheStalls(tx *gorm.DB, m *Mark) error {
	rows, marks, err := marksOf(tx, m.RunID)
	if err != nil {
		return err
	}
	for _, i := range run.Replaced(marks, run.Mark{TS: m.TS, Kind: m.Kind, Note: m.Note}) {
		if err := tx.Delete(&Mark{}, rows[i].ID).Error; err != nil {
			return err
		}
	}
	return nil
}

// marksOf gives a run's marks in order of time, as rows and in the words of run.json.
func marksOf(tx *gorm.DB, runID int64) ([]Mark, []run.Mark, error) {
	var rows []Mark
	if err := tx.Where("run_id = ?", runID).Order("t_s, id").Find(&rows).Error; err != nil {
		return nil, nil, err
	}
	marks := make([]run.Mark, len(rows))
	for i, m := range rows {
		marks[i] = run.Mark{TS: m.TS, Kind: m.Kind, Note: m.Note}
	}
	return rows, marks, nil
}

// TakeBackMark takes a mark that was made by mistake away; one that is gone stays gone.
func (b *LiveStore) TakeBackMark(ctx context.Context, runID, markID int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		live, err := isLive(tx, runID)
		if err != nil {
			return err
		}
		res := tx.Where("run_id = ?", runID).Delete(&Mark{}, markID)
		switch {
		case res.Error != nil || res.RowsAffected == 0:
			return res.Error
		case live:
			return notify(tx, runID)
		}
		return afterTheEnd(tx, runID)
	})
	return mapped("taking the mark back", err)
}

// Plug is how the plug of a live run stands by its marks.
type Plug struct {
	In      bool
	SinceS  float64 // in or out, on the run's clock
	Powered bool    // a recording has shown power since
}

// PlugOf gives how the plug stands, going by the marks of a run and the readings of
// one of its recordings.
func (b *LiveStore) PlugOf(ctx context.Context, runID, recordingID int64) (Plug, error) {
	_, marks, err := marksOf(b.db.WithContext(ctx), runID)
	if err != nil {
		return Plug{}, mapped("asking how the plug stands", err)
	}
	var p Plug
	if p.SinceS, p.In = run.Plugged(marks); !p.In {
		return p, nil
	}
	err = b.db.WithContext(ctx).Raw(`SELECT EXISTS (SELECT 1 FROM readings r, recordings g
		WHERE g.id = ? AND r.recording_id = g.id AND r.t_s + g.clock_offset_s >= ?
			AND coalesce(r.power_kw, r.voltage_v * r.current_a / 1000) >= ?)`,
		recordingID, p.SinceS, run.PowerFloorKW).Scan(&p.Powered).Error
	return p, mapped("asking how the plug stands", err)
}

// MoveLive takes a live run to another stall.
func (b *LiveStore) MoveLive(ctx context.Context, runID, stallID int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE runs SET stall_id = ?, revision = revision + 1 WHERE id = ? AND live", stallID,
			runID).Error; err != nil {
			return err
		}
		return notify(tx, runID)
	})
	return mapped("moving to the other stall", err)
}

// EndLive ends a live run: recordings without a reading go, and from then on it is
// a run like any other. A run that has ended stays as it is.
func (b *LiveStore) EndLive(ctx context.Context, id int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if live, err := isLive(tx, id); err != nil || !live {
			return err
		}
		if err := tx.Exec("UPDATE runs SET live = false, revision = revision + 1 WHERE id = ?", id).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM recordings WHERE run_id = ? AND readings = 0", id).Error; err != nil {
			return err
		}
		if err := tell(tx, RunFinished, id); err != nil {
			return err
		}
		return notify(tx, id)
	})
	return mapped("ending the run", err)
}
