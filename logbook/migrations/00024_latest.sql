-- +goose Up
-- A car's latest runs, from which its comparisons are proposed and its repeats known.
CREATE INDEX runs_latest ON runs (car_id, (coalesce(started_at, '-infinity')), id) WHERE deleted_at IS NULL AND NOT live;

-- +goose Down
DROP INDEX runs_latest;
