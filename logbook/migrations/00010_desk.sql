-- +goose Up
-- How fast a recording's clock runs, and whether a person has settled how it stands: then nothing
-- lines it up any more.
ALTER TABLE recordings
    ADD clock_drift_ppm double precision NOT NULL DEFAULT 0 CHECK (clock_drift_ppm BETWEEN -10000 AND 10000),
    ADD clock_settled   boolean          NOT NULL DEFAULT false;

-- How tables with a header were understood when a person last said so.
CREATE TABLE layouts (
    shape   text PRIMARY KEY,      -- the names of the columns
    layout  json NOT NULL,
    used_at timestamptz NOT NULL
);

-- A file too large for one value stands here, compressed, in parts; its row in recording_files is
-- then empty.
CREATE TABLE recording_file_parts (
    recording_id bigint  NOT NULL REFERENCES recordings ON DELETE CASCADE,
    n            integer NOT NULL,
    content      bytea   NOT NULL,
    PRIMARY KEY (recording_id, n)
);
ALTER TABLE recording_file_parts ALTER COLUMN content SET STORAGE EXTERNAL;

-- +goose Down
DROP TABLE recording_file_parts;
DROP TABLE layouts;
ALTER TABLE recordings DROP clock_drift_ppm, DROP clock_settled;
