-- +goose Up
-- The transactions that were answered to charge points, and on which connector each
-- runs: the end of one names only its number.
CREATE TABLE charger_transactions (
    id           integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    charge_point text NOT NULL CHECK (charge_point <> ''),
    connector    integer NOT NULL,
    started_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX charger_transactions_point ON charger_transactions (charge_point);

-- When a software version was first used or noted: versions are told apart by that,
-- not by how they are written.
ALTER TABLE softwares ADD added_at timestamptz NOT NULL DEFAULT now();
UPDATE softwares s SET added_at = coalesce(
    (SELECT min(r.started_at) FROM runs r WHERE r.software_id = s.id), '2000-01-01'::timestamptz + s.id * interval '1 minute');

-- A reading, an offset or a side that was put right after it was stored: what stands in
-- the recording is as it came, this is what is read instead, and can be taken back.
CREATE TABLE corrections (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id       bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    recording_id bigint NOT NULL REFERENCES recordings ON DELETE CASCADE,
    n            integer NOT NULL,           -- the reading's place in its recording
    channel      text NOT NULL CHECK (channel <> ''),
    value        double precision,           -- NULL: the value is left out
    made_at      timestamptz NOT NULL DEFAULT now(),
    taken_back   boolean NOT NULL DEFAULT false
);
CREATE INDEX corrections_recording ON corrections (recording_id);

-- +goose Down
DROP TABLE corrections, charger_transactions;
ALTER TABLE softwares DROP added_at;
