-- +goose Up
-- How often other runs of a run's car or stall have taught something new about them, and how much of that
-- its figures knew: where the two differ it is worked out again.
ALTER TABLE runs
    ADD lessons      integer NOT NULL DEFAULT 0,
    ADD lessons_read integer NOT NULL DEFAULT 0;
CREATE INDEX runs_lessons ON runs (id) WHERE lessons <> lessons_read AND deleted_at IS NULL AND NOT live;

-- +goose Down
ALTER TABLE runs DROP lessons, DROP lessons_read;
