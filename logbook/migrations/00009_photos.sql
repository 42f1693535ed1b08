-- +goose Up
-- A small picture beside the one that is read, for lists; NULL where a photo was kept before.
ALTER TABLE photos ADD small bytea;
ALTER TABLE photos ALTER COLUMN small SET STORAGE EXTERNAL;

-- +goose Down
ALTER TABLE photos DROP small;
