-- +goose Up
-- Ways over the land that trips go along: thinned-out tracks, as core/trip measures them.
CREATE TABLE ways (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text        NOT NULL CHECK (name <> ''),
    track      jsonb       NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    deleted_at timestamptz
);

-- +goose Down
DROP TABLE ways;
