package logbook

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"zincroad/core/curve"
)

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
	Owner          string // a person of the crew; empty: nobody in particular
	Preconditioned string
	Profile        string
	AmbientC       *float64 `gorm:"column:ambient_c"`
	BatteryC       *float64 `gorm:"column:battery_c"` // as noted
	WindowS        *float64
	WindowFromPct  *float64
	WindowToPct    *float64
	PeakKW         *float64 `gorm:"column:peak_kw"`
	AverageKW      *float64 `gorm:"column:average_kw"`
	LengthS        float64
	StartC         *float64 // the battery's, as logged
	Said           Headline
	Packed         []byte `gorm:"column:strip"`
	ReadVersion    int
	ReadFault      string
	Changed        bool // its figures are of before it was changed

	Strip  Strip  `gorm:"-"`
	Old    bool   `gorm:"-"` // its figures are of an earlier version of the arithmetic
	Broken string `gorm:"-"` // why there is nothing to show of it; empty: there is
}

// RoadFilter chooses runs; an empty field chooses all.
type RoadFilter struct {
	Car, Software, Stall, Preconditioned string
	AmbientBelow, AmbientFrom            *float64
	By                                   string // whose, by a person's name
	Text                                 string
	Bare                                 bool   // without strips, and without what is said of those that have none
	GroupBy                              string // car, software, stall or preconditioned
	Sort                                 string // newest, oldest, fastest, peak or average
	After                                int64  // the run that the list goes on behind; 0: from its beginning
	Limit                                int    // 0: all
}

// listed is the condition of being in the list, as the partial indexes have it.
const listed = "r.deleted_at IS NULL AND NOT r.live"

// order is one way of sorting the list: by a key, and by number among runs alike. Both
// run the same way, so that an index gives them, and going on behind a run is a search
// in it.
type order struct {
	key, number string
	descending  bool
}

var roadSorts = map[string]order{
	"newest":  {"coalesce(r.started_at, '-infinity')", "r.id", true},
	"oldest":  {"coalesce(r.started_at, 'infinity')", "(-r.id)", false},
	"fastest": {"coalesce(r.window_s, 'Infinity')", "(-r.id)", false},
	"peak":    {"(-coalesce(r.peak_kw, '-Infinity'))", "(-r.id)", false},
	"average": {"(-coalesce(r.average_kw, '-Infinity'))", "(-r.id)", false},
}

// group is one way of grouping the list: by the place of a run's name among all of them,
// what has none at the end. The places are worked out once for each name, not once for
// each run.
type group struct{ key, places string }

var roadGroups = map[string]group{
	"car": {"coalesce(place.n, 2147483647)", `(SELECT id, rank() OVER (ORDER BY lower(name) COLLATE "C") AS n
		FROM cars) place ON place.id = r.car_id`},
	"software": {"coalesce(place.n, 2147483647)", `(SELECT sw.id, rank() OVER (ORDER BY lower(c.name) COLLATE "C",
		lower(version) COLLATE "C") AS n FROM softwares sw JOIN cars c ON c.id = sw.car_id) place
		ON place.id = r.software_id`},
	"stall": {"coalesce(place.n, 2147483647)", `(SELECT st.id, rank() OVER (ORDER BY lower(s.name) COLLATE "C",
		lower(st.name) COLLATE "C") AS n FROM stalls st JOIN sites s ON s.id = st.site_id) place ON place.id = r.stall_id`},
	"preconditioned": {"r.preconditioned", ""},
}

const roadFrom = ` FROM runs r
	LEFT JOIN cars c ON c.id = r.car_id LEFT JOIN softwares sw ON sw.id = r.software_id
	LEFT JOIN stalls st ON st.id = r.stall_id LEFT JOIN sites s ON s.id = st.site_id`

// Road lists runs with what their strips need, how many the filter chooses in all, and
// the longest of those in seconds. Nothing is worked out for it: runs that were changed since
// are given as they were and say so, as do those of an earlier version of the arithmetic,
// and the background is told.
func (b *RoadStore) Road(ctx context.Context, f RoadFilter) (rows []RoadRow, total int, longestS float64, err error) {
	ids, err := b.page(ctx, f)
	if err != nil {
		return nil, 0, 0, err
	}
	if rows, err = b.rows(ctx, ids, f.Bare); err != nil {
		return nil, 0, 0, err
	}
	if slices.ContainsFunc(rows, func(r RoadRow) bool { return r.Changed || r.Old || r.Broken != "" }) {
		b.results.want()
	}
	total, longestS, err = b.sum(ctx, f)
	return rows, total, longestS, err
}

// page gives the numbers of the runs that a filter chooses, in its order.
func (b *RoadStore) page(ctx context.Context, f RoadFilter) ([]int64, error) {
	query, args := f.query()
	var ids []int64
	return ids, mapped("listing the runs", b.db.WithContext(ctx).Raw(query, args...).Scan(&ids).Error)
}

// PlanOf says how the database finds what a filter chooses, with the time it took; for
// measuring.
func (b *RoadStore) PlanOf(ctx context.Context, f RoadFilter) (string, error) {
	query, args := f.query()
	var lines []string
	err := b.db.WithContext(ctx).Raw("EXPLAIN (ANALYZE, COSTS OFF, TIMING OFF) "+query, args...).Scan(&lines).Error
	return strings.Join(lines, "\n"), mapped("asking for the plan", err)
}

// query is the list's: chosen, behind the run that it goes on from, in order.
func (f RoadFilter) query() (string, []any) {
	by, ok := roadSorts[f.Sort]
	if !ok {
		by = roadSorts["newest"]
	}
	where, args := f.where()
	key, order := by.key+", "+by.number, by.key+", "+by.number
	than := ">"
	if by.descending {
		than, order = "<", by.key+" DESC, "+by.number+" DESC"
	}
	beyond := fmt.Sprintf("(%s) %s (SELECT %s FROM runs r WHERE r.id = ?)", key, than, key)
	after := []any{f.After}
	from := " FROM runs r"
	if g, ok := roadGroups[f.GroupBy]; ok {
		if g.places != "" {
			from += " LEFT JOIN " + g.places
		}
		there := "(SELECT " + g.key + from + " WHERE r.id = ?)"
		beyond = fmt.Sprintf("(%s > %s OR %s = %s AND %s)", g.key, there, g.key, there, beyond)
		after = []any{f.After, f.After, f.After}
		order = g.key + ", " + order
	}
	if f.After > 0 {
		where, args = where+" AND "+beyond, append(args, after...)
	}
	query := "SELECT r.id" + from + where + " ORDER BY " + order
	if f.Limit > 0 {
		query, args = query+" LIMIT ?", append(args, f.Limit)
	}
	return query, args
}

// rows gives the runs of those numbers, in that order, with their strips unless they are to be bare.
func (b *RoadStore) rows(ctx context.Context, ids []int64, bare bool) ([]RoadRow, error) {
	var found []RoadRow
	strip, from := "x.strip", roadFrom+" LEFT JOIN results x ON x.run_id = r.id"
	if bare {
		strip, from = "NULL AS strip", roadFrom
	}
	err := b.db.WithContext(ctx).Raw(`SELECT r.id, r.title, r.started_at, r.timezone, coalesce(c.name, '') AS car,
		coalesce(sw.version, '') AS software, coalesce(st.name, '') AS stall, coalesce(s.name, '') AS site,
		coalesce((SELECT name FROM people WHERE people.id = r.owner_id), '') AS owner,
		r.preconditioned, r.profile, r.ambient_c, r.battery_c, r.window_s, r.peak_kw, r.average_kw, r.length_s,
		r.window_from_pct, r.window_to_pct, r.start_c, r.said, r.read_version, r.read_fault,
		r.read_revision <> r.revision AS changed, `+strip+from+` WHERE r.id = ANY (?::bigint[])`, array(ids)).
		Scan(&found).Error
	if err != nil {
		return nil, mapped("reading the list's runs", err)
	}
	at := make(map[int64]*RoadRow, len(found))
	for i := range found {
		at[found[i].ID] = &found[i]
	}
	rows := make([]RoadRow, 0, len(ids))
	for _, id := range ids {
		if row := at[id]; row != nil {
			row.Old = row.ReadVersion != 0 && row.ReadVersion < curve.Version
			switch {
			case row.ReadFault != "":
				row.Broken, row.Old, row.Changed = row.ReadFault, false, false
				row.WindowS, row.PeakKW, row.AverageKW = nil, nil, nil // of before whatever broke it
			case !bare:
				b.unpackRow(row)
			}
			rows = append(rows, *row)
		}
	}
	return rows, nil
}

// unpackRow reads a row's strip. One run that cannot be shown takes no other's place.
func (b *RoadStore) unpackRow(row *RoadRow) {
	switch strip, err := unpackStrip(row.Packed); {
	case err == nil:
		row.Strip = strip
		row.Strip.BatteryC, row.Strip.Said = row.StartC, row.Said
	case len(row.Packed) == 0:
		row.Broken, row.Old, row.Changed = "Its figures are being worked out.", false, false
	default:
		b.log.Error("a strip that cannot be read", "run", row.ID, "error", err)
		row.Broken = "What was kept of its figures cannot be read."
	}
}

// sum gives how many runs a filter chooses, and the longest of them in seconds. Of the
// whole list both stand ready.
func (b *RoadStore) sum(ctx context.Context, f RoadFilter) (total int, longestS float64, err error) {
	var sum struct {
		N       int
		Longest float64
	}
	query, args := `SELECT (SELECT n FROM tallies WHERE what = 'runs') AS n,
		coalesce((SELECT max(r.length_s) FROM runs r WHERE `+listed+`), 0) AS longest`, []any(nil)
	if f.chooses() {
		var where string
		where, args = f.where()
		query = "SELECT count(*) AS n, coalesce(max(r.length_s), 0) AS longest FROM runs r" + where
	}
	err = b.db.WithContext(ctx).Raw(query, args...).Scan(&sum).Error
	return sum.N, sum.Longest, mapped("counting the runs", err)
}

// chooses tells whether the filter leaves anything out.
func (f RoadFilter) chooses() bool {
	return f.Car+f.Software+f.Stall+f.Preconditioned+f.By+strings.TrimSpace(f.Text) != "" || f.AmbientBelow != nil ||
		f.AmbientFrom != nil
}

// where is the filter as a condition, with its values.
func (f RoadFilter) where() (string, []any) {
	parts, args := []string{listed}, []any{}
	add := func(on bool, sql string, values ...any) {
		if on {
			parts = append(parts, sql)
			args = append(args, values...)
		}
	}
	// What is few is looked up first: the runs of it are found by their own index, without a join.
	add(f.Car != "", "r.car_id = ANY (ARRAY(SELECT id FROM cars WHERE name = ?))", f.Car)
	add(f.Software != "", "r.software_id = ANY (ARRAY(SELECT id FROM softwares WHERE version = ?))", f.Software)
	add(f.Stall != "", `r.stall_id = ANY (ARRAY(SELECT st.id FROM stalls st JOIN sites s ON s.id = st.site_id
		WHERE s.name || ' ' || st.name = ?))`, f.Stall)
	add(f.By != "", "r.owner_id = ANY (ARRAY(SELECT id FROM people WHERE name = ?))", f.By)
	add(f.Preconditioned != "", "r.preconditioned = ?", f.Preconditioned)
	if f.AmbientBelow != nil {
		add(true, "r.ambient_c < ?", *f.AmbientBelow)
	}
	if f.AmbientFrom != nil {
		add(true, "r.ambient_c >= ?", *f.AmbientFrom)
	}
	for _, w := range strings.Fields(f.Text) {
		like := "%" + likeEscape(strings.ToLower(w)) + "%"
		add(true, textSays, like, like, like, like, like)
	}
	return " WHERE " + strings.Join(parts, " AND "), args
}

// textSays is that a run, or what it belongs to by name, has a word in it. The names are
// few: looking in them first is cheaper than joining them to every run.
const textSays = `(r.says LIKE ?
	OR r.car_id = ANY (ARRAY(SELECT id FROM cars WHERE lower(name) LIKE ?))
	OR r.software_id = ANY (ARRAY(SELECT id FROM softwares WHERE lower(version) LIKE ?))
	OR r.stall_id = ANY (ARRAY(SELECT st.id FROM stalls st JOIN sites s ON s.id = st.site_id
		WHERE lower(s.name) LIKE ? OR lower(st.name) LIKE ?)))`

func likeEscape(s string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(s)
}

// array writes numbers as PostgreSQL writes an array.
func array(ids []int64) string {
	return "{" + strings.Trim(strings.ReplaceAll(fmt.Sprint(ids), " ", ","), "[]") + "}"
}

// Choice is a run to choose from: what names it, and no figures.
type Choice struct {
	ID                         int64
	Title, Car, Software, Site string
	Stall                      string
}

// choiceColumns are a Choice's.
const choiceColumns = `SELECT r.id, r.title, coalesce(c.name, '') AS car, coalesce(sw.version, '') AS software,
		coalesce(s.name, '') AS site, coalesce(st.name, '') AS stall`

// Choices lists the newest runs of the list, so many at most.
func (b *RoadStore) Choices(ctx context.Context, limit int) ([]Choice, error) {
	ids, err := b.page(ctx, RoadFilter{Limit: limit})
	if err != nil {
		return nil, err
	}
	var list []Choice
	err = b.db.WithContext(ctx).Raw(choiceColumns+roadFrom+`
		WHERE r.id = ANY (?::bigint[]) ORDER BY array_position(?::bigint[], r.id)`, array(ids), array(ids)).Scan(&list).Error
	return list, mapped("listing the runs to choose from", err)
}
