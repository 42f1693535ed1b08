-- +goose Up
-- What was answered to a program's write under a key of its own: the same write once more gets the same answer.
CREATE TABLE answered (
    actor   text        NOT NULL,
    key     text        NOT NULL,
    asked   bytea,               -- SHA-256 of what was asked; NULL: it is being done
    status  integer,
    headers jsonb,
    body    bytea,
    at      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (actor, key)
);
CREATE INDEX answered_at ON answered (at);

-- +goose Down
DROP TABLE answered;
