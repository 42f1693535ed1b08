package logbook

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"gorm.io/gorm"

	"zincroad/core/trace"
)

// Sample is one reading on its way into a live run.
type Sample struct {
	TS     float64 // on the recording's own clock, s after the run's start
	HeardS float64 // on the program's clock
	Values map[trace.Channel]float64
}

// Append stores samples at the end of a recording of a live run. When it returns
// without an error they are on disk: that is the only acknowledgement.
func (b *LiveStore) Append(ctx context.Context, runID, recordingID int64, samples []Sample) error {
	ctx, err := b.ofRun(ctx, runID)
	if err != nil {
		return err
	}
	if len(samples) == 0 {
		return nil
	}
	err = b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if _, err := appendTo(tx, recordingID, samples); err != nil {
			return err
		}
		return notifyLive(tx, runID)
	})
	if err == nil {
		b.stored.Add(int64(len(samples)))
	}
	return mapped("storing the readings", err)
}

// Stored counts the readings of live runs that were acknowledged since the logbook was opened.
func (b *LiveStore) Stored() int64 { return b.stored.Load() }

// AppendOnce is Append for samples that may have been stored before, as when an
// acknowledgement was lost: those that are there already, at the same time with
// the same values, are left out.
func (b *LiveStore) AppendOnce(ctx context.Context, runID, recordingID int64, samples []Sample) error {
	ctx, err := b.ofRun(ctx, runID)
	if err != nil {
		return err
	}
	added := 0
	err = b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		fresh, err := unstored(tx, recordingID, samples)
		if err != nil {
			return err
		}
		if len(fresh) > 0 {
			if _, err := appendTo(tx, recordingID, fresh); err != nil {
				return err
			}
		}
		added = len(fresh)
		return notifyLive(tx, runID)
	})
	if err == nil {
		b.stored.Add(int64(added))
	}
	return mapped("storing the readings", err)
}

// lookBack is how many readings from a recording's end may be sent again.
const lookBack = 1000

// unstored gives the samples that a recording does not have, and keeps others from
// appending to it until the transaction is over.
func unstored(tx *gorm.DB, recordingID int64, samples []Sample) ([]Sample, error) {
	var at struct {
		Readings int
		Newest   *float64
	}
	err := tx.Raw(
		`SELECT readings, (SELECT max(t_s) FROM readings WHERE recording_id = g.id AND n >= g.readings - ?) AS newest
		FROM recordings g WHERE id = ? FOR UPDATE`,
		lookBack,
		recordingID,
	).Scan(&at).Error
	if err != nil || at.Newest == nil ||
		!slices.ContainsFunc(samples, func(s Sample) bool { return s.TS <= *at.Newest }) {
		return samples, err
	}
	channels := channelsOf(samples)
	var stored []map[string]any
	err = tx.Raw(
		"SELECT "+strings.Join(append([]string{"t_s"}, channels...),
			", ")+" FROM readings WHERE recording_id = ? AND n >= ?",
		recordingID,
		at.Readings-lookBack,
	).Scan(&stored).Error
	if err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, row := range stored {
		known[fmt.Sprint(row)] = true
	}
	return slices.DeleteFunc(slices.Clone(samples), func(s Sample) bool {
		row := map[string]any{"t_s": s.TS}
		for _, c := range channels {
			row[c] = nil
			if v, ok := s.Values[trace.Channel(c)]; ok {
				row[c] = v
			}
		}
		return known[fmt.Sprint(row)]
	}), nil
}

// appendTo stores samples and gives the place of the first in the recording.
// ErrEnded says that the recording is gone.
func appendTo(tx *gorm.DB, recordingID int64, samples []Sample) (int, error) {
	channels := channelsOf(samples)
	var at struct{ Readings int }
	// One row a recording: whoever appends waits here for whoever does.
	res := tx.Raw(`UPDATE recordings g SET readings = readings + ?, channels = (
			SELECT coalesce(string_agg(DISTINCT c, ','), '') FROM unnest(string_to_array(g.channels, ',') ||
				?::text[]) c WHERE c <> '')
		WHERE g.id = ? RETURNING readings`, len(samples), "{"+strings.Join(channels, ",")+"}", recordingID).Scan(&at)
	if res.Error != nil {
		return 0, res.Error
	}
	if res.RowsAffected == 0 {
		return 0, ErrEnded
	}
	first := at.Readings - len(samples)
	var q strings.Builder
	args := make([]any, 0, len(samples)*(len(channels)+4))
	q.WriteString("INSERT INTO readings (recording_id, n, t_s, heard_s")
	for _, c := range channels {
		q.WriteString(", " + c) // from this program's own list of channels
	}
	q.WriteString(") VALUES ")
	for i, s := range samples {
		if i > 0 {
			q.WriteString(", ")
		}
		q.WriteString("(?, ?, ?, ?" + strings.Repeat(", ?", len(channels)) + ")")
		args = append(args, recordingID, first+i, s.TS, s.HeardS)
		for _, c := range channels {
			if v, ok := s.Values[trace.Channel(c)]; ok && !math.IsNaN(v) {
				args = append(args, v)
			} else {
				args = append(args, nil)
			}
		}
	}
	return first, tx.Exec(q.String(), args...).Error
}

// channelsOf lists what samples have, in the order of trace.Channels.
func channelsOf(samples []Sample) []string {
	var out []string
	for _, in := range trace.Channels {
		if slices.ContainsFunc(samples, func(s Sample) bool { _, ok := s.Values[in.Channel]; return ok }) {
			out = append(out, string(in.Channel))
		}
	}
	return out
}

// LastHeard is when a live recording's newest reading was heard, s after the run's
// start; false without one.
func (b *LiveStore) LastHeard(ctx context.Context, recordingID int64) (heardS float64, ok bool, err error) {
	var at *float64
	err = b.db.WithContext(ctx).Raw("SELECT max(heard_s) FROM readings WHERE recording_id = ?",
		recordingID).Scan(&at).Error
	if at == nil || err != nil {
		return 0, false, mapped("asking for the newest reading", err)
	}
	return *at, true, nil
}

// Since reads a recording's readings from one on, in order, with how many there
// were asked for; for pages that follow a live run.
func (b *LiveStore) Since(ctx context.Context, rec Recording, n int) (*trace.Recording, error) {
	return b.recordings.readingsFrom(ctx, rec, n)
}
