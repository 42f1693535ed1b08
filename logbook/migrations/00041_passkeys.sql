-- +goose Up
-- Keys on people's own devices by which they come in, as WebAuthn has them; and what a browser was asked for a moment
-- ago, to be held against its answer once.
CREATE TABLE passkeys (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id  bigint      NOT NULL REFERENCES people ON DELETE CASCADE,
    name       text        NOT NULL,
    credential jsonb       NOT NULL, -- the public key, and how often it was used
    made_at    timestamptz NOT NULL DEFAULT now(),
    used_at    timestamptz
);
CREATE INDEX passkeys_person ON passkeys (person_id);
CREATE TABLE ceremonies (
    hash    bytea PRIMARY KEY,
    asked   jsonb       NOT NULL,
    ends_at timestamptz NOT NULL
);

-- +goose Down
DROP TABLE ceremonies, passkeys;
