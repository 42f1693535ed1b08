package logbook

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"zincroad/core/bench"
	"zincroad/core/run"
)

// Comparable lists so many of the latest runs with what tells which of them differ in one thing alone, and with
// what each of them says in short: of the cars of some runs, or of all where no run is named or none has a car.
func (b *Book) Comparable(ctx context.Context, most int, beside ...int64) ([]bench.Known, error) {
	var rows []struct {
		ID                                            int64
		Car, Software, Stall, Preconditioned, Profile string
		Chemistry, Adapter, Label, Gist               string
		PlugIns                                       int
		StallKW                                       float64 `gorm:"column:stall_kw"`
		Climate                                       string
		StartC, StartPct, WarmC                       *float64
		AmbientC                                      *float64 `gorm:"column:ambient_c"`
		FromPct, ToPct                                float64
		WindowS                                       *float64
		StartedAt                                     *time.Time
	}
	err := b.db.WithContext(ctx).Raw(`WITH of AS (SELECT car_id FROM runs WHERE id IN ? AND car_id IS NOT NULL)
		SELECT r.id, coalesce(r.window_from_pct, 0) AS from_pct,
			coalesce(r.window_to_pct, 0) AS to_pct,
			c.name AS car, c.chemistry, c.warm_c, coalesce(v.version, '') AS software, coalesce(a.name, '') AS adapter,
			coalesce(p.name || ' ' || s.name, '') AS stall, coalesce(s.rated_kw, 0) AS stall_kw, r.preconditioned, r.profile,
			r.climate, r.ambient_c, r.start_c, r.start_pct, r.window_s, r.label, r.started_at, r.gist,
			(SELECT count(*) FROM marks m WHERE m.run_id = r.id AND m.kind = ?) AS plug_ins
		FROM runs r JOIN cars c ON c.id = r.car_id LEFT JOIN softwares v ON v.id = r.software_id
			LEFT JOIN adapters a ON a.id = r.adapter_id
			LEFT JOIN stalls s ON s.id = r.stall_id LEFT JOIN sites p ON p.id = s.site_id
		WHERE r.deleted_at IS NULL AND NOT r.live AND (r.car_id IN (SELECT car_id FROM of) OR NOT EXISTS (SELECT FROM of))
		ORDER BY r.started_at DESC NULLS LAST, r.id DESC LIMIT ?`,
		slices.Concat(beside, []int64{0}), run.PlugIn, most).
		Scan(&rows).Error
	if err != nil {
		return nil, mapped("looking for comparisons", err)
	}
	list := make([]bench.Known, len(rows))
	for i, r := range rows {
		list[i] = bench.Known{ID: r.ID, Car: r.Car, Software: r.Software, Stall: r.Stall, Preconditioned: r.Preconditioned,
			Profile: r.Profile, PlugIns: r.PlugIns, StallKW: r.StallKW, StartC: r.StartC, StartPct: r.StartPct,
			FromPct: r.FromPct, ToPct: r.ToPct, WindowS: r.WindowS, Chemistry: r.Chemistry, Adapter: r.Adapter,
			Label: r.Label, WarmC: r.WarmC, Climate: r.Climate, AmbientC: r.AmbientC}
		if r.StartedAt != nil {
			list[i].StartedAt = *r.StartedAt
		}
		if r.Gist != "" && json.Unmarshal([]byte(r.Gist), &list[i].Gist) != nil {
			list[i].Gist = bench.Gist{} // it says nothing until the run is worked out again
		}
	}
	return list, nil
}
