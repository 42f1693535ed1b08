-- +goose Up
-- What a stall says that it could give, beside what it gives.
ALTER TABLE readings
    ADD offered_kw double precision,
    ADD offered_a  double precision;

-- Pictures taken at the stall, of a screen or a label.
CREATE TABLE photos (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id     bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    kind       text NOT NULL CHECK (kind IN ('image/jpeg', 'image/png', 'image/webp')),
    content    bytea NOT NULL,
    t_s        double precision NOT NULL,     -- after the run's start
    deleted_at timestamptz
);
ALTER TABLE photos ALTER COLUMN content SET STORAGE EXTERNAL;
CREATE INDEX photos_run ON photos (run_id);

-- +goose Down
DROP TABLE photos;
ALTER TABLE readings DROP offered_kw, DROP offered_a;
