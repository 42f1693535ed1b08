-- +goose Up
-- The program's password, for when it listens beyond the machine; who is signed in; and the passwords that
-- charge points send. Of passwords only argon2id hashes are kept, of sessions a hash of their token.
CREATE TABLE password (
    one        boolean PRIMARY KEY DEFAULT true CHECK (one),
    hash       text NOT NULL,
    changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE sessions (
    token      text PRIMARY KEY,
    data       bytea NOT NULL,
    expires_at timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expires_at);
CREATE TABLE station_passwords (
    name    text PRIMARY KEY CHECK (name <> ''),
    hash    text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now()
);

-- +goose Down
DROP TABLE station_passwords;
DROP TABLE sessions;
DROP TABLE password;
