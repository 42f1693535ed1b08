package logbook

import (
	"context"

	"zincroad/core/bench"
)

// Repeats is the pooled variance of a window's time over repeats of like runs, s², with its degrees
// of freedom: of the same car and software, at the same stall, preconditioned alike, in the same
// profile. 0 and 0 where there are none.
func (b *Book) Repeats(ctx context.Context, fromPct, toPct float64) (variance, freedom float64, err error) {
	var out struct{ Sum, Freedom float64 }
	err = b.db.WithContext(ctx).Raw(`SELECT coalesce(sum(v * (n - 1)), 0) AS sum, coalesce(sum(n - 1), 0) AS freedom FROM (
			SELECT var_samp(window_s) AS v, count(*) AS n FROM runs
			WHERE deleted_at IS NULL AND NOT live AND window_s IS NOT NULL AND car_id IS NOT NULL AND stall_id IS NOT NULL
				AND coalesce(from_pct, 10) = ? AND coalesce(to_pct, 80) = ?
			GROUP BY car_id, software_id, stall_id, preconditioned, profile HAVING count(*) > 1) AS alike`, fromPct, toPct).
		Scan(&out).Error
	if err != nil || out.Freedom == 0 {
		return 0, 0, mapped("asking for repeats", err)
	}
	return out.Sum / out.Freedom, out.Freedom, nil
}

// mostKnown is how many of the latest runs are looked through for comparisons.
const mostKnown = 400

// Comparable lists the latest runs with what tells which of them differ in one thing alone.
func (b *Book) Comparable(ctx context.Context) ([]bench.Known, error) {
	var list []bench.Known
	err := b.db.WithContext(ctx).Raw(`SELECT r.id, c.name AS car, coalesce(v.version, '') AS software,
			coalesce(p.name || ' ' || s.name, '') AS stall, coalesce(s.rated_kw, 0) AS stall_kw, r.preconditioned, r.profile,
			r.start_c, r.start_pct, r.window_s
		FROM runs r JOIN cars c ON c.id = r.car_id LEFT JOIN softwares v ON v.id = r.software_id
			LEFT JOIN stalls s ON s.id = r.stall_id LEFT JOIN sites p ON p.id = s.site_id
		WHERE r.deleted_at IS NULL AND NOT r.live ORDER BY r.started_at DESC NULLS LAST, r.id DESC LIMIT ?`, mostKnown).
		Scan(&list).Error
	return list, mapped("looking for comparisons", err)
}
