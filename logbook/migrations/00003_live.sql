-- +goose Up
-- A run is live from its start at the stall until its tester ends it.
ALTER TABLE runs
    ADD live           boolean NOT NULL DEFAULT false,
    ADD preparation_id bigint REFERENCES preparations ON DELETE SET NULL,
    ADD plan           json;               -- the forecast's plan, as it was at the start
CREATE INDEX runs_live ON runs (id) WHERE live;

-- The program's own clock beside the recording's, in seconds after the run's start.
ALTER TABLE readings ADD heard_s double precision;

-- Where readings of a live run come from.
CREATE TABLE feeds (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id       bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    recording_id bigint NOT NULL REFERENCES recordings ON DELETE CASCADE,
    kind         text NOT NULL CHECK (kind IN ('adapter', 'charge-point')),
    address      text NOT NULL CHECK (address <> ''), -- host:port of an adapter, or a charge point's name
    profile      text NOT NULL DEFAULT '',            -- what the car answers to, JSON
    connector    integer NOT NULL DEFAULT 1,
    state        text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'connected', 'lost')),
    said         text NOT NULL DEFAULT '',            -- the last thing that went wrong
    changed_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX feeds_run ON feeds (run_id);
CREATE INDEX feeds_address ON feeds (address);

-- Typed readings as they were typed, each with a key of the page that sent it, so
-- that sent twice it is stored once. A corrected line stays, and says by which.
CREATE TABLE typed_lines (
    run_id       bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    key          text NOT NULL CHECK (key <> ''),
    recording_id bigint NOT NULL REFERENCES recordings ON DELETE CASCADE,
    n            integer NOT NULL,
    t_s          double precision NOT NULL,
    line         text NOT NULL,
    corrected_by text,
    PRIMARY KEY (run_id, key)
);
-- Marks from a page that was away are sent again as well.
ALTER TABLE marks ADD key text;
CREATE UNIQUE INDEX marks_key ON marks (run_id, key) WHERE key IS NOT NULL;

-- +goose Down
DROP TABLE typed_lines, feeds;
ALTER TABLE marks DROP key;
ALTER TABLE readings DROP heard_s;
ALTER TABLE runs DROP live, DROP preparation_id, DROP plan;
