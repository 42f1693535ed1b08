package logbook

import (
	"context"

	"zincroad/core/bench"
	"zincroad/core/run"
)

// mostKnown is how many of the latest runs are looked through for comparisons.
const mostKnown = 400

// Comparable lists the latest runs with what tells which of them differ in one thing alone.
func (b *Book) Comparable(ctx context.Context) ([]bench.Known, error) {
	var list []bench.Known
	err := b.db.WithContext(ctx).Raw(`SELECT r.id, coalesce(r.window_from_pct, 0) AS from_pct,
			coalesce(r.window_to_pct, 0) AS to_pct,
			c.name AS car, coalesce(v.version, '') AS software,
			coalesce(p.name || ' ' || s.name, '') AS stall, coalesce(s.rated_kw, 0) AS stall_kw, r.preconditioned, r.profile,
			r.start_c, r.start_pct, r.window_s,
			(SELECT count(*) FROM marks m WHERE m.run_id = r.id AND m.kind = ?) AS plug_ins
		FROM runs r JOIN cars c ON c.id = r.car_id LEFT JOIN softwares v ON v.id = r.software_id
			LEFT JOIN stalls s ON s.id = r.stall_id LEFT JOIN sites p ON p.id = s.site_id
		WHERE r.deleted_at IS NULL AND NOT r.live ORDER BY r.started_at DESC NULLS LAST, r.id DESC LIMIT ?`, run.PlugIn, mostKnown).
		Scan(&list).Error
	return list, mapped("looking for comparisons", err)
}
