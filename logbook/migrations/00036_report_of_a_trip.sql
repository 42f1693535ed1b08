-- +goose Up
-- A report may be of a trip, by what its page was asked for, in the stead of runs.
ALTER TABLE reports
    ADD trip text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE reports DROP trip;
