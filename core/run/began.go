package run

import "time"

// Began is when the run started, by the clock of where it was charged; zero where nobody noted it. A zone that is not
// known counts as UTC.
func (r *Run) Began() time.Time {
	if r.StartedAt.IsZero() {
		return time.Time{}
	}
	if loc, err := time.LoadLocation(r.Timezone); err == nil {
		return r.StartedAt.In(loc)
	}
	return r.StartedAt.UTC()
}
