package logbook

import (
	"context"

	"zincroad/formats/intake"
)

// DemoLoading tells whether a load of the demo's data was begun and not ended.
func (b *Book) DemoLoading(ctx context.Context) (bool, error) {
	var on bool
	err := b.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT FROM demo_loading)").Scan(&on).Error
	return on, mapped("looking for a demo half loaded", err)
}

// SetDemoLoading notes that a load of the demo's data has begun, or ended.
func (b *Book) SetDemoLoading(ctx context.Context, on bool) error {
	query := "DELETE FROM demo_loading"
	if on {
		query = "INSERT INTO demo_loading DEFAULT VALUES ON CONFLICT DO NOTHING"
	}
	return mapped("noting the demo's load", b.db.WithContext(ctx).Exec(query).Error)
}

// Has tells whether a run of the same files is in the logbook.
func (b *RunStore) Has(ctx context.Context, in *intake.Bundle) (bool, error) {
	_, found, err := b.TwinOf(ctx, Fingerprint(in.Files))
	return found, err
}

// Prepared counts the wanted runs and the plans that are kept.
func (b *PlanStore) Prepared(ctx context.Context) (wanted, plans int, err error) {
	err = b.db.WithContext(ctx).Raw("SELECT count(*) FROM wanted").Scan(&wanted).Error
	if err == nil {
		err = b.db.WithContext(ctx).Raw("SELECT count(*) FROM preparations").Scan(&plans).Error
	}
	return wanted, plans, mapped("counting what is prepared", err)
}
