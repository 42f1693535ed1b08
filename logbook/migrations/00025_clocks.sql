-- +goose Up
-- By which clock live runs count, for each start of a machine: its time when its timer stood at nought. A program that
-- starts again while a run is live goes on by it, though the machine's clock was set meanwhile.
CREATE TABLE clocks (
    boot    text PRIMARY KEY CHECK (boot <> ''),
    boot_at timestamptz NOT NULL,
    off_s   double precision NOT NULL, -- how far the machine's own clock was from it when that was looked at last
    kept_at timestamptz NOT NULL DEFAULT now()
);

-- +goose Down
DROP TABLE clocks;
