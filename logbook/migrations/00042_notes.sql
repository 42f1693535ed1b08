-- +goose Up
-- What people of a crew write to each other on a run, or a stretch of it, in Markdown; and whom they mention.
CREATE TABLE notes (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id    bigint      NOT NULL REFERENCES runs ON DELETE CASCADE,
    author_id bigint      NOT NULL REFERENCES people,
    text      text        NOT NULL CHECK (text <> ''),
    from_s    double precision, -- since the run's start; NULL: of the whole run
    to_s      double precision,
    made_at   timestamptz NOT NULL DEFAULT now(),
    CHECK (from_s <= to_s)
);
CREATE INDEX notes_run ON notes (run_id, id);
CREATE TABLE mentions (
    note_id   bigint NOT NULL REFERENCES notes ON DELETE CASCADE,
    person_id bigint NOT NULL REFERENCES people,
    seen_at   timestamptz,
    PRIMARY KEY (note_id, person_id)
);
CREATE INDEX mentions_unseen ON mentions (person_id) WHERE seen_at IS NULL;

-- +goose Down
DROP TABLE mentions, notes;
