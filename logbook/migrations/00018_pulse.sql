-- +goose Up
-- One row that is written to find out whether the database takes writes: a full disk, or a server that only
-- follows another, tells by nothing else.
CREATE TABLE pulse (
    one boolean PRIMARY KEY DEFAULT true CHECK (one),
    at  timestamptz NOT NULL DEFAULT now()
);
INSERT INTO pulse DEFAULT VALUES;

-- +goose Down
DROP TABLE pulse;
