package logbook

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"zincroad/core/bench"
	"zincroad/core/run"
)

// The latest runs that are done, newest first: of all cars, and of the cars of some runs. Both walk an index and
// stop after as many as are asked for.
const (
	latestOfAll = `SELECT r.id, coalesce(r.started_at, '-infinity') AS began FROM runs r
		WHERE r.car_id IS NOT NULL AND r.deleted_at IS NULL AND NOT r.live
		ORDER BY coalesce(r.started_at, '-infinity') DESC, r.id DESC LIMIT @most`
	latestOfCars = `SELECT l.id, l.began
		FROM (SELECT DISTINCT car_id FROM runs WHERE id = ANY (CAST(@beside AS bigint[])) AND car_id IS NOT NULL) cars
		CROSS JOIN LATERAL (
			SELECT r.id, coalesce(r.started_at, '-infinity') AS began FROM runs r
			WHERE r.car_id = cars.car_id AND r.deleted_at IS NULL AND NOT r.live
			ORDER BY coalesce(r.started_at, '-infinity') DESC, r.id DESC LIMIT @most
		) l
		ORDER BY l.began DESC, l.id DESC LIMIT @most`
)

// Comparable lists so many of the latest runs with what tells which of them differ in one thing alone, and with
// what each of them says in short: of the cars of some runs, or of all where no run is named or none has a car.
func (b *ResultStore) Comparable(ctx context.Context, most int, beside ...int64) ([]bench.Known, error) {
	latest := latestOfAll
	if len(beside) > 0 {
		var ofCars bool
		err := b.db.WithContext(ctx).Raw(
			"SELECT EXISTS (SELECT FROM runs WHERE id = ANY (?::bigint[]) AND car_id IS NOT NULL)",
			array(beside)).Scan(&ofCars).Error
		if err != nil {
			return nil, mapped("looking for the cars", err)
		}
		if ofCars {
			latest = latestOfCars
		}
	}
	return b.comparable(ctx, latest, most, beside)
}

// comparable reads column by column: a page asks for two thousand rows, and finding the place of each value by
// reflection took most of its time.
func (b *ResultStore) comparable(ctx context.Context, latest string, most int, beside []int64) ([]bench.Known, error) {
	rows, err := b.db.WithContext(ctx).Raw(`WITH latest AS (`+latest+`)
		SELECT r.id, c.name, c.chemistry, c.warm_c, coalesce(v.version, ''), coalesce(a.name, ''),
			coalesce(p.name || ' ' || s.name, ''), coalesce(s.rated_kw, 0), r.preconditioned, r.profile,
			r.climate, r.ambient_c, r.start_c, r.start_pct, coalesce(r.window_from_pct, 0),
			coalesce(r.window_to_pct, 0), r.window_s, r.label, r.started_at, r.gist,
			coalesce(m.plugs, 0)
		FROM latest JOIN runs r ON r.id = latest.id
			JOIN cars c ON c.id = r.car_id LEFT JOIN softwares v ON v.id = r.software_id
			LEFT JOIN adapters a ON a.id = r.adapter_id
			LEFT JOIN stalls s ON s.id = r.stall_id LEFT JOIN sites p ON p.id = s.site_id
			LEFT JOIN (SELECT run_id, count(*) AS plugs FROM marks
				WHERE kind = @plug AND run_id IN (SELECT id FROM latest) GROUP BY run_id) m ON m.run_id = r.id
		ORDER BY latest.began DESC, latest.id DESC`,
		map[string]any{"most": most, "beside": array(beside), "plug": run.PlugIn}).Rows()
	if err != nil {
		return nil, mapped("looking for comparisons", err)
	}
	defer rows.Close()
	list := make([]bench.Known, 0, most)
	for rows.Next() {
		var k bench.Known
		var startedAt *time.Time
		var gist string
		if err := rows.Scan(&k.ID, &k.Car, &k.Chemistry, &k.WarmC, &k.Software, &k.Adapter,
			&k.Stall, &k.StallKW, &k.Preconditioned, &k.Profile,
			&k.Climate, &k.AmbientC, &k.StartC, &k.StartPct, &k.FromPct,
			&k.ToPct, &k.WindowS, &k.Label, &startedAt, &gist, &k.PlugIns); err != nil {
			return nil, mapped("reading comparisons", err)
		}
		if startedAt != nil {
			k.StartedAt = *startedAt
		}
		k.Gist = b.gistOf(gist)
		list = append(list, k)
	}
	return slices.Clip(list), mapped("reading comparisons", rows.Err())
}

// gistOf reads what a run says in short; nothing where that cannot be read, until the run is worked out again. What
// was read before is kept by its text, so that it cannot be out of date.
func (b *ResultStore) gistOf(text string) bench.Gist {
	if text == "" {
		return bench.Gist{}
	}
	if g, ok := b.gists.Get(text); ok {
		return g
	}
	var g bench.Gist
	if json.Unmarshal([]byte(text), &g) != nil {
		g = bench.Gist{}
	}
	b.gists.Add(text, g)
	return g
}
