-- +goose Up
-- Addresses that are told what happens, and what they have been told or are yet to be.
CREATE TABLE hooks (
    id           bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY,
    name         text NOT NULL,
    address      text NOT NULL,
    events       text[] NOT NULL,
    secret       bytea NOT NULL, -- what is told is signed with it: a hash of it would not do
    made_at      timestamptz NOT NULL DEFAULT now(),
    withdrawn_at timestamptz
);
CREATE TABLE hook_events (
    id      bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY,
    hook_id bigint NOT NULL REFERENCES hooks ON DELETE CASCADE,
    event   text NOT NULL,
    run_id  bigint REFERENCES runs ON DELETE CASCADE, -- none: a trial
    at      timestamptz NOT NULL DEFAULT now(),
    body    text NOT NULL DEFAULT '', -- as it was told first
    tries   int NOT NULL DEFAULT 0,
    next_at timestamptz NOT NULL DEFAULT 'epoch', -- at once, whatever the clocks say
    done_at timestamptz, -- told, or given up
    said    text NOT NULL DEFAULT '' -- what came back last
);
CREATE UNIQUE INDEX hook_events_once ON hook_events (hook_id, run_id) WHERE event = 'run.finished';
CREATE UNIQUE INDEX hook_events_due ON hook_events (hook_id, event, run_id) WHERE done_at IS NULL;
CREATE INDEX hook_events_next ON hook_events (next_at) WHERE done_at IS NULL;

-- +goose Down
DROP TABLE hook_events, hooks;
