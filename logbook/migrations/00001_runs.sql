-- +goose Up
CREATE TABLE sites (
    id   bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL UNIQUE CHECK (name <> ''),
    note text NOT NULL DEFAULT ''
);

CREATE TABLE stalls (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    site_id   bigint NOT NULL REFERENCES sites,
    name      text NOT NULL CHECK (name <> ''),
    rated_kw  double precision CHECK (rated_kw >= 0),
    max_a     double precision CHECK (max_a >= 0),
    min_v     double precision CHECK (min_v >= 0),
    max_v     double precision CHECK (max_v >= 0),
    shared_kw double precision CHECK (shared_kw >= 0),
    tariff    json,
    note      text NOT NULL DEFAULT '',
    UNIQUE (site_id, name),
    CHECK (max_v IS NULL OR min_v IS NULL OR max_v = 0 OR max_v >= min_v)
);

CREATE TABLE cars (
    id                    bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name                  text NOT NULL UNIQUE CHECK (name <> ''),
    chemistry             text NOT NULL DEFAULT '' CHECK (chemistry IN ('', 'NMC', 'NCA', 'LFP', 'other')),
    gross_kwh             double precision CHECK (gross_kwh >= 0),
    usable_kwh            double precision CHECK (usable_kwh >= 0),
    cells_in_series       double precision CHECK (cells_in_series >= 0),
    pack_min_v            double precision CHECK (pack_min_v >= 0),
    pack_nominal_v        double precision CHECK (pack_nominal_v >= 0),
    pack_max_v            double precision CHECK (pack_max_v >= 0),
    max_kw                double precision CHECK (max_kw >= 0),
    max_a                 double precision CHECK (max_a >= 0),
    converter_kw          double precision CHECK (converter_kw >= 0),
    battery_mass_kg       double precision CHECK (battery_mass_kg >= 0),
    heater_kw             double precision CHECK (heater_kw >= 0),
    warm_c                double precision,
    preconditioning       text NOT NULL DEFAULT '' CHECK (preconditioning IN ('', 'none', 'manual', 'navigation')),
    consumption_wh_per_km double precision CHECK (consumption_wh_per_km >= 0),
    rated_range_km        double precision CHECK (rated_range_km >= 0),
    envelope              json,
    note                  text NOT NULL DEFAULT ''
);

CREATE TABLE softwares (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    car_id  bigint NOT NULL REFERENCES cars,
    version text NOT NULL CHECK (version <> ''),
    note    text NOT NULL DEFAULT '',
    UNIQUE (car_id, version),
    UNIQUE (car_id, id)
);

CREATE TABLE adapters (
    id    bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name  text NOT NULL UNIQUE CHECK (name <> ''),
    max_a double precision CHECK (max_a >= 0),
    max_v double precision CHECK (max_v >= 0)
);

CREATE TABLE runs (
    id                 bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    title              text NOT NULL DEFAULT '',
    started_at         timestamptz,
    timezone           text NOT NULL DEFAULT '',
    car_id             bigint REFERENCES cars,
    software_id        bigint,
    stall_id           bigint REFERENCES stalls,
    adapter_id         bigint REFERENCES adapters,
    method_name        text NOT NULL DEFAULT '',
    from_pct           double precision CHECK (from_pct BETWEEN 0 AND 100),
    to_pct             double precision CHECK (to_pct BETWEEN 0 AND 100),
    clock              text NOT NULL DEFAULT '' CHECK (clock IN ('', 'plug', 'power')),
    method_climate     text NOT NULL DEFAULT '' CHECK (method_climate IN ('', 'off', 'on')),
    ambient_c          double precision CHECK (ambient_c BETWEEN -60 AND 70),
    battery_c          double precision CHECK (battery_c BETWEEN -60 AND 150),
    preconditioned     text NOT NULL DEFAULT '' CHECK (preconditioned IN ('', 'none', 'car', 'driven', 'charged')),
    preconditioned_min double precision CHECK (preconditioned_min >= 0),
    profile            text NOT NULL DEFAULT '' CHECK (profile IN ('', 'full', 'gentle')),
    climate            text NOT NULL DEFAULT '' CHECK (climate IN ('', 'off', 'on')),
    weather            text NOT NULL DEFAULT '',
    claims             json,
    document           text,              -- run.json as it came, for runs that came as a folder
    fingerprint        text NOT NULL,     -- of all its recordings' files: the same files twice are noticed
    revision           integer NOT NULL DEFAULT 1, -- counts changes that results depend on
    created_at         timestamptz NOT NULL DEFAULT now(),
    deleted_at         timestamptz,
    FOREIGN KEY (car_id, software_id) REFERENCES softwares (car_id, id),
    CHECK (software_id IS NULL OR car_id IS NOT NULL),
    CHECK (from_pct IS NULL OR to_pct IS NULL OR from_pct < to_pct)
);
CREATE INDEX runs_fingerprint ON runs (fingerprint);
CREATE INDEX runs_car ON runs (car_id);
CREATE INDEX runs_stall ON runs (stall_id);

CREATE TABLE recordings (
    id                  bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id              bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    position            integer NOT NULL,
    name                text NOT NULL CHECK (name <> ''),
    side                text NOT NULL CHECK (side IN ('car', 'stall')),
    clock_offset_s      double precision NOT NULL DEFAULT 0,
    soc_resolution_pct  double precision NOT NULL DEFAULT 0 CHECK (soc_resolution_pct BETWEEN 0 AND 10),
    power_tolerance_pct double precision NOT NULL DEFAULT 0 CHECK (power_tolerance_pct BETWEEN 0 AND 50),
    channels            text NOT NULL,     -- the columns of its readings, comma-separated
    readings            integer NOT NULL CHECK (readings >= 0),
    left_out            integer NOT NULL DEFAULT 0,
    layout              json,              -- how its table was understood
    UNIQUE (run_id, position),
    UNIQUE (run_id, name)
);

-- A recording's file as it came, compressed: never changed, given back as it was.
CREATE TABLE recording_files (
    recording_id bigint PRIMARY KEY REFERENCES recordings ON DELETE CASCADE,
    name         text NOT NULL,
    content      bytea NOT NULL,
    canonical    boolean NOT NULL          -- can stand in a run folder as it is
);
ALTER TABLE recording_files ALTER COLUMN content SET STORAGE EXTERNAL;

CREATE TABLE readings (
    recording_id       bigint NOT NULL,    -- of a recording: kept by the triggers below
    n                  integer NOT NULL,   -- place in the recording, as it was recorded
    t_s                double precision NOT NULL,
    soc_pct            double precision,
    power_kw           double precision,
    current_a          double precision,
    voltage_v          double precision,
    requested_kw       double precision,
    requested_a        double precision,
    battery_temp_c     double precision,
    battery_temp_min_c double precision,
    battery_temp_max_c double precision,
    inlet_temp_c       double precision,
    ambient_c          double precision,
    energy_kwh         double precision,
    heater_kw          double precision,
    aux_kw             double precision,
    cost               double precision,
    PRIMARY KEY (recording_id, n)
);

-- A foreign key checks row by row, which takes as long again as storing a long log.
-- These triggers keep the same rule for a whole COPY at once.
-- +goose StatementBegin
CREATE FUNCTION readings_belong() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    wanted bigint[] := ARRAY(SELECT DISTINCT recording_id FROM fresh);
BEGIN
    PERFORM FROM recordings WHERE id = ANY (wanted) FOR KEY SHARE;
    IF (SELECT count(*) FROM recordings WHERE id = ANY (wanted)) < cardinality(wanted) THEN
        RAISE foreign_key_violation USING MESSAGE = 'readings without a recording', CONSTRAINT = 'readings_belong';
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER readings_inserted AFTER INSERT ON readings REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_updated AFTER UPDATE ON readings REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
-- +goose StatementBegin
CREATE FUNCTION readings_go_too() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    DELETE FROM readings WHERE recording_id = OLD.id;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER recording_deleted AFTER DELETE ON recordings FOR EACH ROW EXECUTE FUNCTION readings_go_too();

CREATE TABLE marks (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    t_s    double precision NOT NULL,
    kind   text NOT NULL CHECK (kind IN ('plug-in', 'first-power', 'unplug', 'stop', 'attempt', 'heater', 'fan', 'neighbour', 'note')),
    note   text NOT NULL DEFAULT ''
);
CREATE INDEX marks_run ON marks (run_id);

-- What was worked out from a run, good for one revision of it and one version of
-- the arithmetic.
CREATE TABLE results (
    run_id     bigint PRIMARY KEY REFERENCES runs ON DELETE CASCADE,
    arithmetic integer NOT NULL,
    revision   integer NOT NULL,
    window_s   double precision,
    peak_kw    double precision,
    average_kw double precision,
    length_s   double precision NOT NULL,
    finding    text NOT NULL, -- the first one, for searching
    strip      text NOT NULL, -- what a strip in the logbook needs, JSON
    readings   text NOT NULL, -- every figure, JSON
    curves     text NOT NULL  -- reduced curves, JSON
);

-- Files that were brought in and wait for the tester's word.
CREATE TABLE arrivals (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text NOT NULL,
    content    bytea NOT NULL,
    size       bigint NOT NULL,
    choices    text NOT NULL DEFAULT '{}',
    created_at timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE arrivals ALTER COLUMN content SET STORAGE EXTERNAL;

-- +goose Down
DROP TABLE arrivals, results, marks, readings, recording_files, recordings, runs, adapters, softwares, cars, stalls, sites;
DROP FUNCTION readings_belong, readings_go_too;
