-- +goose Up
-- How many runs of a car are listed, and the longest of them, without looking at the runs themselves.
CREATE INDEX runs_of_car ON runs (car_id, length_s) WHERE deleted_at IS NULL AND NOT live;

-- +goose Down
DROP INDEX runs_of_car;
