-- +goose Up
ALTER TABLE cars
    ADD timer_s         double precision CHECK (timer_s >= 0),
    ADD timer_share_pct double precision CHECK (timer_share_pct BETWEEN 0 AND 100),
    ADD pack            json;

-- How far a site is from where the testers set out.
ALTER TABLE sites ADD base_km double precision CHECK (base_km >= 0);

-- How far it is from one site to another, either way.
CREATE TABLE roads (
    from_site_id bigint NOT NULL REFERENCES sites ON DELETE CASCADE,
    to_site_id   bigint NOT NULL REFERENCES sites ON DELETE CASCADE,
    km           double precision NOT NULL CHECK (km >= 0),
    PRIMARY KEY (from_site_id, to_site_id),
    CHECK (from_site_id < to_site_id)
);

-- The testers' own methods beside the ready ones.
CREATE TABLE methods (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text NOT NULL UNIQUE CHECK (name <> ''),
    document json NOT NULL
);

-- Plans that were kept, as they were typed.
CREATE TABLE preparations (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    title      text NOT NULL CHECK (title <> ''),
    day        date,
    car_id     bigint REFERENCES cars,
    stall_id   bigint REFERENCES stalls,
    adapter_id bigint REFERENCES adapters,
    choices    json NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    deleted_at timestamptz
);

-- The matrix: combinations that are to be run, so many times each. What is NULL or
-- empty is any.
CREATE TABLE wanted (
    id             bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    car_id         bigint REFERENCES cars ON DELETE CASCADE,
    software       text NOT NULL DEFAULT '',
    stall_id       bigint REFERENCES stalls ON DELETE CASCADE,
    preconditioned text NOT NULL DEFAULT '' CHECK (preconditioned IN ('', 'none', 'car', 'driven', 'charged')),
    from_pct       double precision CHECK (from_pct BETWEEN 0 AND 100),
    repeats        integer NOT NULL CHECK (repeats BETWEEN 1 AND 99)
);

-- +goose Down
DROP TABLE wanted, preparations, methods, roads;
ALTER TABLE sites DROP base_km;
ALTER TABLE cars DROP timer_s, DROP timer_share_pct, DROP pack;
