-- +goose Up
-- Reports that others read. Content and data stay as they were when the report was made; title, words and corrections are
-- its author's and stand around them. Of a link's secret only a hash is kept.
CREATE TABLE reports (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    title      text        NOT NULL DEFAULT '',
    author     text        NOT NULL DEFAULT '',
    words      text        NOT NULL DEFAULT '',
    runs       jsonb       NOT NULL, -- the runs that it is of, in order
    without    jsonb       NOT NULL DEFAULT '[]',
    content    jsonb       NOT NULL,
    data       bytea,                -- the runs as zipped run folders; NULL: it goes without
    photo      bytea,
    photo_kind text        NOT NULL DEFAULT '',
    hash       text        NOT NULL,
    notes      jsonb       NOT NULL DEFAULT '[]',
    made_at    timestamptz NOT NULL, -- its content
    deleted_at timestamptz
);
CREATE TABLE report_links (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    report_id    bigint      NOT NULL REFERENCES reports ON DELETE CASCADE,
    name         text        NOT NULL CHECK (name <> ''), -- for whom
    hash         bytea       NOT NULL UNIQUE,
    password     text        NOT NULL DEFAULT '', -- an argon2id hash; empty: none
    listed       boolean     NOT NULL DEFAULT false, -- by search engines
    made_at      timestamptz NOT NULL DEFAULT now(),
    ends_at      timestamptz, -- NULL: never
    opened_at    timestamptz, -- last; NULL: never
    opened       bigint      NOT NULL DEFAULT 0,
    withdrawn_at timestamptz
);
CREATE INDEX report_links_report ON report_links (report_id);

-- +goose Down
DROP TABLE report_links, reports;
