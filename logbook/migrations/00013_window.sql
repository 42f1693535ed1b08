-- +goose Up
-- Of which window window_s is: the one that the run was made for is not covered by every run.
ALTER TABLE runs
    ADD window_from_pct double precision,
    ADD window_to_pct   double precision;

-- +goose Down
ALTER TABLE runs DROP window_from_pct, DROP window_to_pct;
