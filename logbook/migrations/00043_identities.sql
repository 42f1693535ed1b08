-- +goose Up
-- By whom else people are known: what an OpenID Connect provider calls them.
CREATE TABLE identities (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id bigint      NOT NULL REFERENCES people ON DELETE CASCADE,
    issuer    text        NOT NULL,
    subject   text        NOT NULL,
    made_at   timestamptz NOT NULL DEFAULT now(),
    UNIQUE (issuer, subject)
);

-- +goose Down
DROP TABLE identities;
