-- +goose Up
-- What the list, the matrix and the menus need of a run's figures stands with the run,
-- where indexes reach it. read_revision and read_version say what they belong to: 0 is
-- none yet. A fault says why they could not be worked out.
ALTER TABLE runs
    ADD read_revision integer NOT NULL DEFAULT 0,
    ADD read_version  integer NOT NULL DEFAULT 0,
    ADD read_fault    text NOT NULL DEFAULT '',
    ADD window_s      double precision,
    ADD peak_kw       double precision,
    ADD average_kw    double precision,
    ADD length_s      double precision NOT NULL DEFAULT 0,
    ADD start_pct     double precision, -- the state of charge at clock zero
    ADD start_c       double precision, -- the battery's temperature there
    ADD finding       text NOT NULL DEFAULT '';
-- What is looked for in a run's own words, in small letters.
ALTER TABLE runs ADD says text NOT NULL
    GENERATED ALWAYS AS (lower(title || ' ' || weather || ' ' || method_name || ' ' || finding)) STORED;

-- Kept results stand until they are worked out anew, without a strip: as of a version of
-- the arithmetic that is older than any that packs one.
UPDATE runs r SET window_s = x.window_s, peak_kw = x.peak_kw, average_kw = x.average_kw,
    length_s = x.length_s, finding = x.finding, read_revision = x.revision, read_version = least(x.arithmetic, 5)
    FROM results x WHERE x.run_id = r.id;
ALTER TABLE results
    DROP window_s, DROP peak_kw, DROP average_kw, DROP length_s, DROP finding, DROP strip,
    ADD strip bytea NOT NULL DEFAULT ''; -- what a strip in the logbook needs, packed; empty: none yet

-- One index for each order of the list; the last key tells runs apart that are alike.
CREATE INDEX runs_newest ON runs ((coalesce(started_at, '-infinity')), id) WHERE deleted_at IS NULL AND NOT live;
CREATE INDEX runs_oldest ON runs ((coalesce(started_at, 'infinity')), (-id)) WHERE deleted_at IS NULL AND NOT live;
CREATE INDEX runs_fastest ON runs ((coalesce(window_s, 'Infinity')), (-id)) WHERE deleted_at IS NULL AND NOT live;
CREATE INDEX runs_peak ON runs ((-coalesce(peak_kw, '-Infinity')), (-id)) WHERE deleted_at IS NULL AND NOT live;
CREATE INDEX runs_average ON runs ((-coalesce(average_kw, '-Infinity')), (-id)) WHERE deleted_at IS NULL AND NOT live;
CREATE INDEX runs_longest ON runs (length_s) WHERE deleted_at IS NULL AND NOT live;
CREATE INDEX runs_software ON runs (software_id, started_at) WHERE deleted_at IS NULL;
CREATE INDEX runs_aside ON runs (deleted_at) WHERE deleted_at IS NOT NULL;
-- What is to be worked out: at once where the run was changed, in its time where the
-- arithmetic was.
CREATE INDEX runs_changed ON runs (id) WHERE read_revision <> revision AND deleted_at IS NULL AND NOT live;
CREATE INDEX runs_read ON runs (read_version, id) WHERE deleted_at IS NULL AND NOT live;

-- How many runs are in the list, kept as they come and go. The trigger waits for the end
-- of the transaction, so that a long import holds up no other.
CREATE TABLE tallies (
    what text PRIMARY KEY,
    n    bigint NOT NULL
);
INSERT INTO tallies SELECT 'runs', count(*) FROM runs WHERE deleted_at IS NULL AND NOT live;
-- +goose StatementBegin
CREATE FUNCTION runs_tally() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    change integer := 0;
BEGIN
    IF TG_OP <> 'INSERT' AND OLD.deleted_at IS NULL AND NOT OLD.live THEN
        change := -1;
    END IF;
    IF TG_OP <> 'DELETE' AND NEW.deleted_at IS NULL AND NOT NEW.live THEN
        change := change + 1;
    END IF;
    IF change <> 0 THEN
        UPDATE tallies SET n = n + change WHERE what = 'runs';
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE CONSTRAINT TRIGGER runs_tallied AFTER INSERT OR DELETE OR UPDATE OF deleted_at, live ON runs
    DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION runs_tally();

-- Readings in parts by recording: each is loaded, vacuumed and searched for itself, and a
-- recording is always in one.
ALTER TABLE readings RENAME TO readings_whole;
ALTER TABLE readings_whole RENAME CONSTRAINT readings_pkey TO readings_whole_pkey;
CREATE TABLE readings (LIKE readings_whole, PRIMARY KEY (recording_id, n)) PARTITION BY HASH (recording_id);
CREATE TABLE readings_0 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 0);
CREATE TABLE readings_1 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 1);
CREATE TABLE readings_2 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 2);
CREATE TABLE readings_3 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 3);
CREATE TABLE readings_4 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 4);
CREATE TABLE readings_5 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 5);
CREATE TABLE readings_6 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 6);
CREATE TABLE readings_7 PARTITION OF readings FOR VALUES WITH (MODULUS 8, REMAINDER 7);
INSERT INTO readings SELECT * FROM readings_whole;
DROP TABLE readings_whole;
CREATE TRIGGER readings_inserted AFTER INSERT ON readings REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_updated AFTER UPDATE ON readings REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
-- A long import goes straight into the part that its recording belongs to.
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_0 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_1 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_2 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_3 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_4 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_5 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_6 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_inserted AFTER INSERT ON readings_7 REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();

-- +goose Down
CREATE TABLE readings_whole (LIKE readings, PRIMARY KEY (recording_id, n));
INSERT INTO readings_whole SELECT * FROM readings;
DROP TABLE readings;
ALTER TABLE readings_whole RENAME TO readings;
ALTER TABLE readings RENAME CONSTRAINT readings_whole_pkey TO readings_pkey;
CREATE TRIGGER readings_inserted AFTER INSERT ON readings REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
CREATE TRIGGER readings_updated AFTER UPDATE ON readings REFERENCING NEW TABLE AS fresh
    FOR EACH STATEMENT EXECUTE FUNCTION readings_belong();
DROP TRIGGER runs_tallied ON runs;
DROP FUNCTION runs_tally;
DROP TABLE tallies;
DELETE FROM results; -- worked out anew when they are asked for
ALTER TABLE results
    DROP strip,
    ADD window_s double precision, ADD peak_kw double precision, ADD average_kw double precision,
    ADD length_s double precision NOT NULL DEFAULT 0, ADD finding text NOT NULL DEFAULT '',
    ADD strip text NOT NULL DEFAULT '{}';
DROP INDEX runs_newest, runs_oldest, runs_fastest, runs_peak, runs_average, runs_longest, runs_software, runs_aside,
    runs_changed, runs_read;
ALTER TABLE runs
    DROP says, DROP read_revision, DROP read_version, DROP read_fault, DROP window_s, DROP peak_kw, DROP average_kw,
    DROP length_s, DROP start_pct, DROP start_c, DROP finding;
