package logbook

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
)

// Sample is one reading on its way into a live run.
type Sample struct {
	TS     float64 // on the recording's own clock, s after the run's start
	HeardS float64 // on the program's clock
	Values map[trace.Channel]float64
}

// Feed is where readings of a live run come from.
type Feed struct {
	ID          int64 `gorm:"primaryKey"`
	RunID       int64
	RecordingID int64
	Kind        string // adapter or charge-point
	Address     string
	Profile     string
	Connector   int
	State       string // waiting, connected or lost
	Said        string
	ChangedAt   time.Time
}

// The kinds of feeds and their states.
const (
	AdapterFeed     = "adapter"
	ChargePointFeed = "charge-point"

	FeedWaiting   = "waiting"
	FeedConnected = "connected"
	FeedLost      = "lost"
)

// ErrEnded is returned for what is to be added to a run that is not live.
var ErrEnded = errors.New("this run is not live")

// changed is the channel on which every copy of the program hears of a live run.
const changed = "zincroad_live"

func notify(tx *gorm.DB, runID int64) error {
	return tx.Exec("SELECT pg_notify(?, ?)", changed, strconv.FormatInt(runID, 10)).Error
}

// notifyLive is notify for what belongs to a live run only: it keeps the run from
// being ended until the transaction is over, and fails where it has been.
func notifyLive(tx *gorm.DB, runID int64) error {
	var id int64
	res := tx.Raw("SELECT r.id FROM runs r, pg_notify(?, ?) WHERE r.id = ? AND r.live FOR SHARE OF r", changed, strconv.FormatInt(runID, 10), runID).Scan(&id)
	if res.Error == nil && res.RowsAffected == 0 {
		return ErrEnded
	}
	return res.Error
}

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
func (b *Book) StartLive(ctx context.Context, row *Run) (int64, error) {
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
func (b *Book) LiveRuns(ctx context.Context) ([]Run, error) {
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
	if err := tx.Raw("SELECT coalesce(max(position) + 1, 0) FROM recordings WHERE run_id = ?", runID).Scan(&next).Error; err != nil {
		return nil, err
	}
	rec = Recording{RunID: runID, Position: next, Name: name, Side: string(side), SoCResolutionPct: resolution}
	return &rec, tx.Create(&rec).Error
}

// AddFeed adds a source of readings to a live run, with a recording of its own.
func (b *Book) AddFeed(ctx context.Context, f *Feed, side trace.Side) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var n int64
		if err := tx.Model(&Feed{}).Where("run_id = ? AND kind = ?", f.RunID, f.Kind).Count(&n).Error; err != nil {
			return err
		}
		name := string(side) + ".csv"
		if n > 0 {
			name = fmt.Sprintf("%s-%d.csv", side, n+1)
		}
		if live, err := isLive(tx, f.RunID); err != nil || !live {
			return cmp.Or(err, ErrEnded)
		}
		rec, err := recordingOf(tx, f.RunID, name, side, 0)
		if err != nil {
			return err
		}
		f.RecordingID, f.State, f.ChangedAt = rec.ID, FeedWaiting, time.Now().UTC()
		if err := tx.Create(f).Error; err != nil {
			return err
		}
		return notify(tx, f.RunID)
	})
	return mapped("adding the feed", err)
}

// Feeds lists the feeds of one live run, or of all of them for 0.
func (b *Book) Feeds(ctx context.Context, runID int64) ([]Feed, error) {
	var list []Feed
	db := b.db.WithContext(ctx).Joins("JOIN runs ON runs.id = feeds.run_id AND runs.live AND runs.deleted_at IS NULL")
	if runID != 0 {
		db = db.Where("feeds.run_id = ?", runID)
	}
	return list, mapped("listing the feeds", db.Order("feeds.id").Find(&list).Error)
}

// Sources lists the feeds of a kind of all live runs by what tells them apart, for
// looking often: without their profiles.
func (b *Book) Sources(ctx context.Context, kind string) ([]Feed, error) {
	var list []Feed
	err := b.db.WithContext(ctx).Raw(`SELECT f.id, f.run_id, f.recording_id, f.kind, f.address, f.connector, f.state, f.said FROM feeds f
		JOIN runs r ON r.id = f.run_id AND r.live AND r.deleted_at IS NULL WHERE f.kind = ? ORDER BY f.id`, kind).Scan(&list).Error
	return list, mapped("listing the sources", err)
}

// Feed gives one feed.
func (b *Book) Feed(ctx context.Context, id int64) (*Feed, error) {
	var f Feed
	err := b.db.WithContext(ctx).First(&f, id).Error
	return &f, mapped(fmt.Sprintf("source %d", id), err)
}

// FeedAt gives the feed of a live run that reads a charge point's connector, the
// newest where several do; nil where none does. Connector 0 is any.
func (b *Book) FeedAt(ctx context.Context, name string, connector int) (*Feed, error) {
	var list []Feed
	err := b.db.WithContext(ctx).Raw(`SELECT f.* FROM feeds f JOIN runs r ON r.id = f.run_id AND r.live AND r.deleted_at IS NULL
		WHERE f.kind = ? AND f.address = ? AND (? = 0 OR f.connector = ?) ORDER BY f.id DESC LIMIT 1`, ChargePointFeed, name, connector, connector).Scan(&list).Error
	if err != nil || len(list) == 0 {
		return nil, mapped("looking for the charge point's run", err)
	}
	return &list[0], nil
}

// DeleteFeed takes a feed away; what it recorded stays.
func (b *Book) DeleteFeed(ctx context.Context, runID, id int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("run_id = ?", runID).Delete(&Feed{}, id).Error; err != nil {
			return err
		}
		return notify(tx, runID)
	})
	return mapped("taking the feed away", err)
}

// SetFeed notes how a feed stands, and why.
func (b *Book) SetFeed(ctx context.Context, f *Feed, state, said string) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		err := tx.Model(&Feed{}).Where("id = ?", f.ID).Updates(map[string]any{"state": state, "said": said, "changed_at": time.Now().UTC()}).Error
		if err != nil {
			return err
		}
		return notify(tx, f.RunID)
	})
	return mapped("noting the feed's state", err)
}

// Append stores samples at the end of a recording of a live run. When it returns
// without an error they are on disk: that is the only acknowledgement.
func (b *Book) Append(ctx context.Context, runID, recordingID int64, samples []Sample) error {
	if len(samples) == 0 {
		return nil
	}
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if _, err := appendTo(tx, recordingID, samples); err != nil {
			return err
		}
		return notifyLive(tx, runID)
	})
	return mapped("storing the readings", err)
}

// AppendOnce is Append for samples that may have been stored before, as when an
// acknowledgement was lost: those that are there already, at the same time with
// the same values, are left out.
func (b *Book) AppendOnce(ctx context.Context, runID, recordingID int64, samples []Sample) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		fresh, err := unstored(tx, recordingID, samples)
		if err != nil {
			return err
		}
		if len(fresh) > 0 {
			if _, err := appendTo(tx, recordingID, fresh); err != nil {
				return err
			}
		}
		return notifyLive(tx, runID)
	})
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
	err := tx.Raw(`SELECT readings, (SELECT max(t_s) FROM readings WHERE recording_id = g.id AND n >= g.readings - ?) AS newest
		FROM recordings g WHERE id = ? FOR UPDATE`, lookBack, recordingID).Scan(&at).Error
	if err != nil || at.Newest == nil || !slices.ContainsFunc(samples, func(s Sample) bool { return s.TS <= *at.Newest }) {
		return samples, err
	}
	channels := channelsOf(samples)
	var stored []map[string]any
	err = tx.Raw("SELECT "+strings.Join(append([]string{"t_s"}, channels...), ", ")+" FROM readings WHERE recording_id = ? AND n >= ?",
		recordingID, at.Readings-lookBack).Scan(&stored).Error
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
			SELECT coalesce(string_agg(DISTINCT c, ','), '') FROM unnest(string_to_array(g.channels, ',') || ?::text[]) c WHERE c <> '')
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

// TypedLine is a reading as it was typed at the stall.
type TypedLine struct {
	RunID       int64 `gorm:"primaryKey"`
	Key         string
	RecordingID int64
	N           int
	TS          float64 `gorm:"column:t_s"`
	Line        string
	CorrectedBy *string
}

// TypedName is the file name of a side's typed readings.
func TypedName(side trace.Side) string { return "typed-" + string(side) + ".csv" }

// Type stores a typed reading of a run once, however often it is sent: key is the
// page's own name for it. Correcting names the reading that it stands in for; that
// one's line is kept beside it. A reading that was typed while its page was away
// belongs to the run though another page has ended it meanwhile.
func (b *Book) Type(ctx context.Context, runID int64, side trace.Side, key, line, correcting string, s Sample) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		live, err := isLive(tx, runID)
		if err != nil {
			return err
		}
		rec, err := recordingOf(tx, runID, TypedName(side), side, 1)
		if err != nil {
			return err
		}
		row := TypedLine{RunID: runID, Key: key, RecordingID: rec.ID, TS: s.TS, Line: line}
		var old *TypedLine
		if correcting != "" {
			old = &TypedLine{}
			if err := tx.Where("run_id = ? AND key = ? AND corrected_by IS NULL", runID, correcting).First(old).Error; err != nil {
				return err
			}
			row.N, row.TS, row.RecordingID, s.TS = old.N, old.TS, old.RecordingID, old.TS
		}
		res := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if old != nil {
			err = correct(tx, runID, old, key, s)
		} else if row.N, err = appendTo(tx, rec.ID, []Sample{s}); err == nil {
			err = tx.Model(&TypedLine{}).Where("run_id = ? AND key = ?", runID, key).Update("n", row.N).Error
		}
		switch {
		case err != nil:
			return err
		case live:
			return notify(tx, runID)
		}
		return afterTheEnd(tx, runID)
	})
	return mapped("storing the reading", err)
}

// correct puts other values in the place of a typed reading.
func correct(tx *gorm.DB, runID int64, old *TypedLine, key string, s Sample) error {
	if err := tx.Model(&TypedLine{}).Where("run_id = ? AND key = ?", runID, old.Key).Update("corrected_by", key).Error; err != nil {
		return err
	}
	values := map[string]any{}
	for _, in := range trace.Channels {
		values[string(in.Channel)] = nil
		if v, ok := s.Values[in.Channel]; ok {
			values[string(in.Channel)] = v
		}
	}
	if err := tx.Table("readings").Where("recording_id = ? AND n = ?", old.RecordingID, old.N).Updates(values).Error; err != nil {
		return err
	}
	for _, c := range channelsOf([]Sample{s}) {
		err := tx.Exec(`UPDATE recordings SET channels = concat_ws(',', nullif(channels, ''), ?::text)
			WHERE id = ? AND NOT ? = ANY (string_to_array(channels, ','))`, c, old.RecordingID, c).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// TypedLines lists what was typed in a run, in order, corrected lines too.
func (b *Book) TypedLines(ctx context.Context, runID int64) ([]TypedLine, error) {
	var list []TypedLine
	return list, mapped("reading what was typed", b.db.WithContext(ctx).Where("run_id = ?", runID).Order("t_s, key").Find(&list).Error)
}

// ByStall is the note of a mark that was made from what the stall said of itself.
// The tester's own mark of the same kind takes its place when they are no further
// apart than ownMarkS.
const (
	ByStall  = "said by the stall"
	ownMarkS = 180
)

// LiveMark stores a mark made at the stall once, however often it is sent, also
// when the run has been ended meanwhile.
func (b *Book) LiveMark(ctx context.Context, m *Mark, key string) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		live, err := isLive(tx, m.RunID)
		if err != nil {
			return err
		}
		if m.Note != ByStall {
			err := tx.Exec("DELETE FROM marks WHERE run_id = ? AND kind = ? AND note = ? AND abs(t_s - ?) <= ?", m.RunID, m.Kind, ByStall, m.TS, ownMarkS).Error
			if err != nil {
				return err
			}
		}
		res := tx.Exec(`INSERT INTO marks (run_id, t_s, kind, note, key) VALUES (?, ?, ?, ?, ?)
			ON CONFLICT (run_id, key) WHERE key IS NOT NULL DO NOTHING`, m.RunID, m.TS, m.Kind, m.Note, key)
		switch {
		case res.Error != nil || res.RowsAffected == 0:
			return res.Error
		case live:
			return notify(tx, m.RunID)
		}
		return afterTheEnd(tx, m.RunID)
	})
	return mapped("storing the mark", err)
}

// Plug is how the plug of a live run stands by its marks.
type Plug struct {
	In      bool
	SinceS  float64 // on the run's clock
	Powered bool    // a recording has shown power since
}

// PlugOf gives how the plug stands, going by the marks of a run and the readings of
// one of its recordings.
func (b *Book) PlugOf(ctx context.Context, runID, recordingID int64) (Plug, error) {
	var p Plug
	err := b.db.WithContext(ctx).Raw(`SELECT kind = ? AS "in", t_s AS since_s FROM marks WHERE run_id = ? AND kind IN (?, ?, ?) ORDER BY t_s DESC, id DESC LIMIT 1`,
		run.PlugIn, runID, run.PlugIn, run.Unplug, run.Attempt).Scan(&p).Error
	if err == nil && p.In {
		err = b.db.WithContext(ctx).Raw(`SELECT EXISTS (SELECT 1 FROM readings r, recordings g
			WHERE g.id = ? AND r.recording_id = g.id AND r.t_s + g.clock_offset_s >= ? AND r.power_kw >= ?)`, recordingID, p.SinceS, curve.PowerFloorKW).Scan(&p.Powered).Error
	}
	return p, mapped("asking how the plug stands", err)
}

// MoveLive takes a live run to another stall.
func (b *Book) MoveLive(ctx context.Context, runID, stallID int64) error {
	err := b.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE runs SET stall_id = ?, revision = revision + 1 WHERE id = ? AND live", stallID, runID).Error; err != nil {
			return err
		}
		return notify(tx, runID)
	})
	return mapped("moving to the other stall", err)
}

// SetClockOffset notes how far a live recording's own clock is off.
func (b *Book) SetClockOffset(ctx context.Context, recordingID int64, offsetS float64) error {
	return mapped("noting the clock's offset", b.db.WithContext(ctx).Model(&Recording{}).Where("id = ?", recordingID).Update("clock_offset_s", offsetS).Error)
}

// EndLive ends a live run: recordings without a reading go, and from then on it is
// a run like any other. A run that has ended stays as it is.
func (b *Book) EndLive(ctx context.Context, id int64) error {
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
		return notify(tx, id)
	})
	return mapped("ending the run", err)
}

// Since reads a recording's readings from one on, in order, with how many there
// were asked for; for pages that follow a live run.
func (b *Book) Since(ctx context.Context, rec Recording, n int) (*trace.Recording, error) {
	return b.readingsFrom(ctx, rec, n)
}

// Listen tells each live run that changed, by its number, until the context ends;
// 0 when the connection was lost meanwhile, and anything may have changed. It
// connects again with a growing wait.
func (b *Book) Listen(ctx context.Context, tell func(runID int64)) error {
	wait := 100 * time.Millisecond
	for ctx.Err() == nil {
		began := time.Now()
		err := b.listenOnce(ctx, tell)
		if ctx.Err() != nil {
			break
		}
		if time.Since(began) > 10*time.Second {
			wait = 100 * time.Millisecond
		}
		b.log.Warn("listening to the database", "error", err, "again in", wait)
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
		wait = min(2*wait, 5*time.Second)
	}
	return ctx.Err()
}

func (b *Book) listenOnce(ctx context.Context, tell func(int64)) error {
	pool, err := b.db.DB()
	if err != nil {
		return err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(driver any) error {
		c := driver.(*stdlib.Conn).Conn()
		if _, err := c.Exec(ctx, "LISTEN "+changed); err != nil {
			return err
		}
		// The connection must not go back to the pool as it is.
		defer c.Close(context.WithoutCancel(ctx))
		tell(0)
		for {
			n, err := c.WaitForNotification(ctx)
			if err != nil {
				return fmt.Errorf("waiting for news: %w", err)
			}
			if id, err := strconv.ParseInt(n.Payload, 10, 64); err == nil {
				tell(id)
			}
		}
	})
}

// Claims are the feeds that this copy of the program reads from. They are locks of
// one connection: when the program or the connection ends, they are free.
type Claims struct{ conn *sql.Conn }

// Claims opens the connection that claims hang on.
func (b *Book) Claims(ctx context.Context) (*Claims, error) {
	pool, err := b.db.DB()
	if err != nil {
		return nil, err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return nil, mapped("opening the claims", err)
	}
	return &Claims{conn}, nil
}

// claimSpace keeps the locks of feeds apart from any other.
const claimSpace = 0x7a72

// Try claims a feed; false when another copy has it. An error means that the
// connection is lost, and every claim with it.
func (c *Claims) Try(ctx context.Context, feedID int64) (ok bool, err error) {
	err = c.conn.QueryRowContext(ctx, "SELECT pg_try_advisory_lock($1::int, $2::int)", claimSpace, feedID).Scan(&ok)
	return ok, mapped("claiming the feed", err)
}

// Release gives a feed up.
func (c *Claims) Release(ctx context.Context, feedID int64) error {
	_, err := c.conn.ExecContext(ctx, "SELECT pg_advisory_unlock($1::int, $2::int)", claimSpace, feedID)
	return mapped("releasing the feed", err)
}

// Alive tells whether the claims still hold.
func (c *Claims) Alive(ctx context.Context) bool { return c.conn.PingContext(ctx) == nil }

// Close gives every claim up.
func (c *Claims) Close() error {
	_ = c.conn.Raw(func(driver any) error { return driver.(*stdlib.Conn).Conn().Close(context.Background()) })
	return c.conn.Close()
}

// LastHeard is when a live recording's newest reading was heard, s after the run's
// start; false without one.
func (b *Book) LastHeard(ctx context.Context, recordingID int64) (heardS float64, ok bool, err error) {
	var at *float64
	err = b.db.WithContext(ctx).Raw("SELECT max(heard_s) FROM readings WHERE recording_id = ?", recordingID).Scan(&at).Error
	if at == nil || err != nil {
		return 0, false, mapped("asking for the newest reading", err)
	}
	return *at, true, nil
}

// ClockOffset is how far a recording's own clock is known to be off.
func (b *Book) ClockOffset(ctx context.Context, recordingID int64) (float64, error) {
	var rec Recording
	err := b.db.WithContext(ctx).Select("clock_offset_s").First(&rec, recordingID).Error
	return rec.ClockOffsetS, mapped("asking for the clock's offset", err)
}
