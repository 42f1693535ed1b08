-- +goose Up
-- Comparisons that were kept: which runs lie side by side in which order, and how they are looked at
-- (the reference and the chart's choices, as the page's address has them).
CREATE TABLE benches (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text        NOT NULL CHECK (name <> ''),
    view       text        NOT NULL DEFAULT '',
    created_at timestamptz NOT NULL DEFAULT now(),
    updated_at timestamptz NOT NULL DEFAULT now(),
    deleted_at timestamptz
);
CREATE TABLE bench_runs (
    bench_id bigint  NOT NULL REFERENCES benches ON DELETE CASCADE,
    run_id   bigint  NOT NULL REFERENCES runs ON DELETE CASCADE,
    place    integer NOT NULL,
    PRIMARY KEY (bench_id, run_id)
);
CREATE INDEX ON bench_runs (run_id);

-- +goose Down
DROP TABLE bench_runs;
DROP TABLE benches;
