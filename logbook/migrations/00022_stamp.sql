-- +goose Up
-- Which results these are: new with every keeping, never twice, in whatever database. What was read of them once
-- need not be read again while the stamp is the same.
ALTER TABLE results ADD COLUMN stamp uuid NOT NULL DEFAULT gen_random_uuid();

-- +goose Down
ALTER TABLE results DROP COLUMN stamp;
