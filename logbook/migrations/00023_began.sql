-- +goose Up
-- A run that is under way has begun: what comes in counts from there.
UPDATE runs SET started_at = now() WHERE live AND started_at IS NULL;
ALTER TABLE runs ADD CONSTRAINT live_has_begun CHECK (NOT live OR started_at IS NOT NULL);

-- +goose Down
ALTER TABLE runs DROP CONSTRAINT live_has_begun;
