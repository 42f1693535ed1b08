-- +goose Up
-- When a session was last used, so that one left idle ends. A session is stored once, when somebody signs in, and
-- from then on only marked as used: what was ended while a request was under way cannot come back with its answer.
ALTER TABLE sessions ADD COLUMN used_at timestamptz NOT NULL DEFAULT now();

-- +goose Down
ALTER TABLE sessions DROP COLUMN used_at;
