package logbook

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"zincroad/core/curve"
	"zincroad/core/trace"
)

// How finely curves are kept: slices of time for overlays and for the strips of
// the logbook, each with up to four points.
const (
	curveSlices = 150
	stripSlices = 32
)

// Results is what was worked out from a run: its figures for every clock and side,
// the run's own choice first, and its curves, thinned out.
type Results struct {
	Readings []*curve.Reading
	Curves   map[trace.Side]trace.Reduced
}

// Reading gives the figures for a clock and a side; an empty one takes the run's
// choice. Where there are none for it, the run's own choice is given.
func (r *Results) Reading(clock curve.Clock, side trace.Side) *curve.Reading {
	head := r.Readings[0]
	if clock == "" {
		clock = head.Clock
	}
	if side == "" {
		side = head.Side
	}
	for _, x := range r.Readings {
		if x.Clock == clock && x.Side == side {
			return x
		}
	}
	return head
}

// Strip is what the logbook's small strips are drawn from. Times are from clock
// zero.
type Strip struct {
	Side  trace.Side   `json:"side"`
	T     trace.Floats `json:"t"`
	KW    trace.Floats `json:"kw"`
	Posts []curve.Post `json:"posts"`
	Gaps  []trace.Span `json:"gaps"`

	WindowFrom float64  `json:"window_from"`
	WindowTo   float64  `json:"window_to"`
	BatteryC   *float64 `json:"battery_c"`
	Finding    string   `json:"finding"`
}

// Results gives a run's results, worked out anew where they do not belong to the
// present revision and arithmetic.
func (b *Book) Results(ctx context.Context, row *Run) (*Results, error) {
	var kept result
	err := b.db.WithContext(ctx).Omit("strip").Where("run_id = ? AND arithmetic = ? AND revision = ?", row.ID, curve.Version, row.Revision).First(&kept).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		fresh, err := b.workOut(ctx, row)
		if err != nil {
			return nil, err
		}
		kept = *fresh
	} else if err != nil {
		return nil, mapped("reading the results", err)
	}
	out, err := kept.unpack()
	if err == nil {
		return out, nil
	}
	b.log.Error("results that cannot be read, worked out anew", "run", row.ID, "error", err)
	fresh, err := b.workOut(ctx, row)
	if err != nil {
		return nil, err
	}
	return fresh.unpack()
}

// unpack reads what was kept.
func (k *result) unpack() (*Results, error) {
	out := &Results{}
	if err := json.Unmarshal([]byte(k.Readings), &out.Readings); err != nil {
		return nil, fmt.Errorf("results of run %d: %w", k.RunID, err)
	}
	if err := json.Unmarshal([]byte(k.Curves), &out.Curves); err != nil {
		return nil, fmt.Errorf("curves of run %d: %w", k.RunID, err)
	}
	if len(out.Readings) == 0 {
		return nil, fmt.Errorf("results of run %d: empty", k.RunID)
	}
	return out, nil
}

// workOut reads a run, works its results out and keeps them.
func (b *Book) workOut(ctx context.Context, row *Run) (*result, error) {
	began := time.Now()
	r, err := b.Load(ctx, row)
	if err != nil {
		return nil, err
	}
	readings := curve.ReadAll(r)
	head := readings[0]
	curves := curve.Reduce(r, curveSlices)
	strip := stripOf(head, curve.Reduce(r, stripSlices)[head.Side])
	out := &result{RunID: row.ID, Arithmetic: curve.Version, Revision: row.Revision}
	if w, ok := head.Headline(r.Method); ok {
		out.WindowS, out.AverageKW = &w.TS, w.AverageKW
		strip.WindowFrom, strip.WindowTo = w.FromPct, w.ToPct
	}
	if head.Peak != nil {
		out.PeakKW = &head.Peak.KW
	}
	out.Finding = strip.Finding
	if n := len(strip.T); n > 0 {
		out.LengthS = max(0, strip.T[n-1])
	}
	for _, part := range []struct {
		into *string
		from any
	}{{&out.Strip, strip}, {&out.Readings, readings}, {&out.Curves, curves}} {
		text, err := json.Marshal(part.from)
		if err != nil {
			return nil, fmt.Errorf("results of run %d: %w", row.ID, err)
		}
		*part.into = string(text)
	}
	err = b.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(out).Error
	b.log.Debug("worked out", "run", row.ID, "took", time.Since(began))
	return out, mapped("keeping the results", err)
}

// stripOf puts the reduced power on the reading's clock.
func stripOf(r *curve.Reading, c trace.Reduced) Strip {
	s := Strip{Side: r.Side, Posts: r.Posts, Gaps: r.Gaps, T: trace.Floats{}, KW: trace.Floats{}}
	for i, t := range c.T {
		if power := c.Columns[trace.Power]; power != nil && t-r.ZeroS > -60 {
			s.T = append(s.T, t-r.ZeroS)
			s.KW = append(s.KW, max(0, power[i]))
		}
	}
	if r.Battery != nil {
		s.BatteryC = r.Battery.StartC
	}
	if len(r.Findings) > 0 {
		s.Finding = r.Findings[0].Text
	}
	return s
}

// RoadRow is one run in the logbook's list.
type RoadRow struct {
	ID             int64
	Title          string
	StartedAt      *time.Time
	Timezone       string
	Car            string
	Software       string
	Stall          string
	Site           string
	Preconditioned string
	Profile        string
	AmbientC       *float64 `gorm:"column:ambient_c"`
	BatteryC       *float64 `gorm:"column:battery_c"`
	Revision       int
	WindowS        *float64
	PeakKW         *float64 `gorm:"column:peak_kw"`
	AverageKW      *float64 `gorm:"column:average_kw"`
	LengthS        float64
	StripText      string `gorm:"column:strip"`
	Made           bool   // its results are there

	Strip  Strip  `gorm:"-"`
	Broken string `gorm:"-"` // why there is nothing to show of it; empty: there is
}

// RoadFilter chooses runs; an empty field chooses all.
type RoadFilter struct {
	Car, Software, Stall, Preconditioned string
	AmbientBelow, AmbientFrom            *float64
	Text                                 string
	GroupBy                              string // car, software, stall or preconditioned
	Sort                                 string // newest, oldest, fastest, peak or average
	Offset, Limit                        int    // Limit 0: all
}

var roadGroups = map[string]string{
	"car": "lower(c.name)", "software": "lower(c.name), lower(sw.version)", "stall": "lower(s.name), lower(st.name)",
	"preconditioned": "r.preconditioned",
}

var roadSorts = map[string]string{
	"": "r.started_at DESC NULLS LAST", "newest": "r.started_at DESC NULLS LAST", "oldest": "r.started_at NULLS LAST",
	"fastest": "x.window_s NULLS LAST", "peak": "x.peak_kw DESC NULLS LAST", "average": "x.average_kw DESC NULLS LAST",
}

const roadFrom = ` FROM runs r
	LEFT JOIN cars c ON c.id = r.car_id LEFT JOIN softwares sw ON sw.id = r.software_id
	LEFT JOIN stalls st ON st.id = r.stall_id LEFT JOIN sites s ON s.id = st.site_id
	LEFT JOIN results x ON x.run_id = r.id AND x.revision = r.revision AND x.arithmetic = ` // + version

// Road lists runs with what their strips need, how many the filter chooses in
// all, and the longest of those in seconds.
func (b *Book) Road(ctx context.Context, f RoadFilter) (rows []RoadRow, total int, longestS float64, err error) {
	if err := b.catchUp(ctx); err != nil {
		return nil, 0, 0, err
	}
	where, args := f.where()
	from := roadFrom + strconv.Itoa(curve.Version) + where
	order := roadSorts[f.Sort]
	if order == "" {
		order = roadSorts["newest"]
	}
	if g := roadGroups[f.GroupBy]; g != "" {
		order = g + ", " + order
	}
	query := `SELECT r.id, r.title, r.started_at, r.timezone, coalesce(c.name, '') AS car, coalesce(sw.version, '') AS software,
		coalesce(st.name, '') AS stall, coalesce(s.name, '') AS site, r.preconditioned, r.profile, r.ambient_c, r.battery_c,
		r.revision, x.window_s, x.peak_kw, x.average_kw, coalesce(x.length_s, 0) AS length_s, coalesce(x.strip, '{}') AS strip,
		x.run_id IS NOT NULL AS made` +
		from + " ORDER BY " + order + ", r.id DESC"
	listArgs := args
	if f.Limit > 0 {
		query += " LIMIT ? OFFSET ?"
		listArgs = append(append([]any{}, args...), f.Limit, f.Offset)
	}
	if err := b.db.WithContext(ctx).Raw(query, listArgs...).Scan(&rows).Error; err != nil {
		return nil, 0, 0, mapped("listing the runs", err)
	}
	for i := range rows {
		// One run that cannot be shown takes no other's place.
		if !rows[i].Made {
			rows[i].Broken = "Its figures could not be worked out."
		} else if err := json.Unmarshal([]byte(rows[i].StripText), &rows[i].Strip); err != nil {
			b.log.Error("a strip that cannot be read", "run", rows[i].ID, "error", err)
			rows[i].Broken, rows[i].Strip = "What was kept of its figures cannot be read.", Strip{}
		}
	}
	var sum struct {
		N       int
		Longest float64
	}
	err = b.db.WithContext(ctx).Raw("SELECT count(*) AS n, coalesce(max(x.length_s), 0) AS longest"+from, args...).Scan(&sum).Error
	return rows, sum.N, sum.Longest, mapped("counting the runs", err)
}

func (f RoadFilter) where() (string, []any) {
	parts, args := []string{"r.deleted_at IS NULL", "NOT r.live"}, []any{}
	add := func(on bool, sql string, values ...any) {
		if on {
			parts = append(parts, sql)
			args = append(args, values...)
		}
	}
	add(f.Car != "", "c.name = ?", f.Car)
	add(f.Software != "", "sw.version = ?", f.Software)
	add(f.Stall != "", "s.name || ' ' || st.name = ?", f.Stall)
	add(f.Preconditioned != "", "r.preconditioned = ?", f.Preconditioned)
	if f.AmbientBelow != nil {
		add(true, "r.ambient_c < ?", *f.AmbientBelow)
	}
	if f.AmbientFrom != nil {
		add(true, "r.ambient_c >= ?", *f.AmbientFrom)
	}
	for _, w := range strings.Fields(f.Text) {
		add(true, "concat_ws(' ', r.title, c.name, sw.version, s.name, st.name, r.weather, r.method_name, x.finding) ILIKE ?", "%"+likeEscape(w)+"%")
	}
	return " WHERE " + strings.Join(parts, " AND "), args
}

func likeEscape(s string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(s)
}

// catchUp works out what is missing, after a new version of the arithmetic or an
// edit elsewhere.
func (b *Book) catchUp(ctx context.Context) error {
	var ids []int64
	err := b.db.WithContext(ctx).Raw(`SELECT r.id FROM runs r LEFT JOIN results x
		ON x.run_id = r.id AND x.revision = r.revision AND x.arithmetic = ? WHERE x.run_id IS NULL AND r.deleted_at IS NULL AND NOT r.live`, curve.Version).Scan(&ids).Error
	if err != nil {
		return mapped("looking for runs to work out", err)
	}
	for _, id := range ids {
		row, err := b.Run(ctx, id)
		if err == nil {
			_, err = b.workOut(ctx, row)
		}
		if ctx.Err() != nil {
			return mapped("working out", ctx.Err())
		}
		if err != nil { // the list shows it in its place
			b.log.Error("a run that cannot be worked out", "run", id, "error", err)
		}
	}
	return nil
}
