-- +goose Up
-- What programs show at the door instead of a password: made by a person for a purpose, with a role and an end. What is
-- kept is a hash; the token itself is shown once.
CREATE TABLE tokens (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name         text        NOT NULL CHECK (name <> ''),
    hash         bytea       NOT NULL UNIQUE,
    role         text        NOT NULL CHECK (role IN ('reader', 'tester', 'keeper')),
    made_at      timestamptz NOT NULL DEFAULT now(),
    ends_at      timestamptz NOT NULL,
    used_at      timestamptz,
    withdrawn_at timestamptz
);

-- +goose Down
DROP TABLE tokens;
