-- +goose Up
-- Who works with the logbook. Nobody is noted while one person uses it alone on their own machine; from the first on,
-- everybody comes in by name. Whoever left stays noted, for what they did.
CREATE TABLE people (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name    text        NOT NULL CHECK (name <> ''),
    called  text        NOT NULL,                -- the name in the one form that all ways of writing it come to
    role    text        NOT NULL CHECK (role IN ('reader', 'tester', 'keeper', 'recorder')),
    hash    text        NOT NULL DEFAULT '',     -- of the password, argon2id; '': comes in otherwise
    stalls  bigint[]    NOT NULL DEFAULT '{}',   -- where a recorder may record
    epoch   integer     NOT NULL DEFAULT 0,      -- a session of an earlier one has ended
    chosen  jsonb       NOT NULL DEFAULT '{}',   -- units, day or night, and so on
    made_at timestamptz NOT NULL DEFAULT now(),
    seen_at timestamptz,
    left_at timestamptz                          -- NULL: is here
);
CREATE UNIQUE INDEX people_called ON people (called) WHERE left_at IS NULL;

-- A link by which somebody comes in once: somebody new, or a person who lost the way in. Only a hash of it is kept.
CREATE TABLE invitations (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    hash      bytea       NOT NULL UNIQUE,
    name      text        NOT NULL DEFAULT '',
    role      text        NOT NULL CHECK (role IN ('reader', 'tester', 'keeper', 'recorder')),
    stalls    bigint[]    NOT NULL DEFAULT '{}',
    person_id bigint      REFERENCES people ON DELETE CASCADE, -- NULL: somebody new
    made_by   bigint      REFERENCES people ON DELETE SET NULL,
    made_at   timestamptz NOT NULL DEFAULT now(),
    ends_at   timestamptz NOT NULL,
    used_at   timestamptz,                                     -- or withdrawn
    CHECK (role <> 'recorder' OR stalls <> '{}')
);

-- Browsers in which somebody was signed in before: their tries do not count with those of strangers.
CREATE TABLE known_browsers (
    hash      bytea PRIMARY KEY,
    person_id bigint      NOT NULL REFERENCES people ON DELETE CASCADE,
    made_at   timestamptz NOT NULL DEFAULT now()
);

-- +goose StatementBegin
CREATE FUNCTION working_person() RETURNS bigint LANGUAGE sql STABLE AS
    $$ SELECT nullif(current_setting('zincroad.person', true), '')::bigint $$;
CREATE FUNCTION working_stalls() RETURNS bigint[] LANGUAGE sql STABLE AS
    $$ SELECT stalls FROM people WHERE id = working_person() $$;
-- +goose StatementEnd

ALTER TABLE runs ADD owner_id bigint REFERENCES people DEFAULT working_person(),
    ADD shared boolean NOT NULL DEFAULT false;
CREATE INDEX runs_owner ON runs (owner_id) WHERE owner_id IS NOT NULL;
ALTER TABLE tokens ADD made_by bigint REFERENCES people DEFAULT working_person();
ALTER TABLE changes ADD person_id bigint REFERENCES people DEFAULT working_person();
ALTER TABLE typed_lines
    ADD author text NOT NULL DEFAULT coalesce(nullif(current_setting('zincroad.actor', true), ''), 'owner');

-- What the pages and the interface for programs refuse, the tables refuse too: a reader notes nothing, a tester changes
-- own runs and shared ones and leaves cars, sites and the crew as they are, a recorder has to do with live runs alone.
-- Who is nobody in particular works for the program itself, or alone on their own machine.
-- +goose StatementBegin
CREATE FUNCTION may_change(owner bigint, shared boolean, live boolean, stall bigint) RETURNS boolean
LANGUAGE sql STABLE AS $$
    SELECT CASE coalesce(current_setting('zincroad.role', true), '')
        WHEN '' THEN true
        WHEN 'keeper' THEN true
        WHEN 'tester' THEN live OR shared OR owner IS NULL OR owner = working_person()
        WHEN 'recorder' THEN owner = working_person() OR live AND stall = ANY (working_stalls())
        ELSE false END
$$;
CREATE FUNCTION may_note(entity text, op text, run bigint) RETURNS void LANGUAGE plpgsql AS $$
DECLARE
    role text := coalesce(current_setting('zincroad.role', true), '');
    may  boolean;
BEGIN
    IF role IN ('', 'keeper') THEN
        RETURN;
    END IF;
    IF run IS NULL THEN
        may := role = 'tester' AND (op = 'INSERT' OR entity IN ('benches', 'methods'));
    ELSE
        SELECT may_change(r.owner_id, r.shared, r.live, r.stall_id) INTO may FROM runs r WHERE r.id = run;
    END IF;
    IF may IS NOT TRUE THEN
        RAISE EXCEPTION 'a % may not do this to %', role, entity USING ERRCODE = 'insufficient_privilege';
    END IF;
END
$$;
-- A run is begun by who may, a recorder's at its own stalls alone and for all testers.
CREATE FUNCTION run_begun() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    role text := coalesce(current_setting('zincroad.role', true), '');
BEGIN
    IF role = 'reader' OR role = 'recorder' AND NOT (NEW.live AND NEW.stall_id = ANY (working_stalls())) THEN
        RAISE EXCEPTION 'a % may not begin this run', role USING ERRCODE = 'insufficient_privilege';
    END IF;
    NEW.shared := NEW.shared OR role = 'recorder';
    RETURN NEW;
END
$$;
CREATE OR REPLACE FUNCTION change_noted() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    was  jsonb;
    now_ jsonb;
    of   jsonb;
    run  bigint;
BEGIN
    IF current_setting('zincroad.quiet', true) = 'on' THEN -- everything at once: of it no run's story tells
        RETURN NULL;
    END IF;
    IF TG_OP <> 'INSERT' THEN was := to_jsonb(OLD) - coalesce(TG_ARGV, '{}'); END IF;
    IF TG_OP <> 'DELETE' THEN now_ := to_jsonb(NEW) - coalesce(TG_ARGV, '{}'); END IF;
    of := coalesce(now_, was);
    IF TG_OP = 'UPDATE' THEN
        SELECT jsonb_object_agg(key, was -> key), jsonb_object_agg(key, now_ -> key) INTO was, now_
            FROM jsonb_object_keys(of) AS key WHERE was -> key IS DISTINCT FROM now_ -> key;
        IF was IS NULL THEN
            RETURN NULL;
        END IF;
    ELSE
        was := jsonb_strip_nulls(was);
        now_ := jsonb_strip_nulls(now_);
    END IF;
    IF TG_TABLE_NAME <> 'runs' THEN
        run := (of ->> 'run_id')::bigint;
        PERFORM may_note(TG_TABLE_NAME, TG_OP, run);
    ELSE
        run := OLD.id;
        IF may_change(OLD.owner_id, OLD.shared, OLD.live, OLD.stall_id) IS NOT TRUE THEN -- as it was before
            RAISE EXCEPTION 'this run is not theirs to change' USING ERRCODE = 'insufficient_privilege';
        END IF;
    END IF;
    INSERT INTO changes (entity, entity_id, run_id, before, after)
        VALUES (TG_TABLE_NAME, (of ->> 'id')::bigint, run, was, now_);
    RETURN NULL;
END
$$;
CREATE OR REPLACE FUNCTION corrections_noted() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM may_note('corrections', TG_OP, made.run_id) FROM made GROUP BY made.run_id;
    INSERT INTO changes (entity, entity_id, run_id, after)
        SELECT 'corrections', recording_id, run_id,
            jsonb_build_object('values', count(*), 'undone', bool_and(taken_back))
        FROM made GROUP BY recording_id, run_id;
    RETURN NULL;
END
$$;
-- +goose StatementEnd
CREATE TRIGGER runs_begun BEFORE INSERT ON runs FOR EACH ROW EXECUTE FUNCTION run_begun();
DROP TRIGGER runs_noted ON runs;
CREATE TRIGGER runs_noted AFTER UPDATE OF title, started_at, timezone, car_id, software_id, stall_id, adapter_id,
    method_name, from_pct, to_pct, clock, method_climate, ambient_c, battery_c, preconditioned, preconditioned_min, profile,
    climate, weather, claims, odometer_km, label, deleted_at, shared, owner_id ON runs
    FOR EACH ROW WHEN (NOT NEW.live)
    EXECUTE FUNCTION change_noted('says', 'revision', 'lessons', 'finding', 'said', 'taught', 'gist', 'document',
        'fingerprint', 'plan', 'read_revision', 'read_version', 'read_fault', 'window_s', 'window_from_pct',
        'window_to_pct', 'peak_kw', 'average_kw', 'length_s', 'start_pct', 'start_c', 'usable_kwh', 'usable_low',
        'usable_high', 'lessons_read');

-- +goose Down
DROP TRIGGER runs_noted ON runs;
CREATE TRIGGER runs_noted AFTER UPDATE OF title, started_at, timezone, car_id, software_id, stall_id, adapter_id,
    method_name, from_pct, to_pct, clock, method_climate, ambient_c, battery_c, preconditioned, preconditioned_min, profile,
    climate, weather, claims, odometer_km, label, deleted_at ON runs FOR EACH ROW WHEN (NOT NEW.live)
    EXECUTE FUNCTION change_noted('says', 'revision', 'lessons', 'finding', 'said', 'taught', 'gist', 'document',
        'fingerprint', 'plan', 'read_revision', 'read_version', 'read_fault', 'window_s', 'window_from_pct',
        'window_to_pct', 'peak_kw', 'average_kw', 'length_s', 'start_pct', 'start_c', 'usable_kwh', 'usable_low',
        'usable_high', 'lessons_read');
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION corrections_noted() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO changes (entity, entity_id, run_id, after)
        SELECT 'corrections', recording_id, run_id,
            jsonb_build_object('values', count(*), 'undone', bool_and(taken_back))
        FROM made GROUP BY recording_id, run_id;
    RETURN NULL;
END
$$;
CREATE OR REPLACE FUNCTION change_noted() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    was  jsonb;
    now_ jsonb;
    of   jsonb;
BEGIN
    IF TG_OP <> 'INSERT' THEN was := to_jsonb(OLD) - coalesce(TG_ARGV, '{}'); END IF;
    IF TG_OP <> 'DELETE' THEN now_ := to_jsonb(NEW) - coalesce(TG_ARGV, '{}'); END IF;
    of := coalesce(now_, was);
    IF TG_OP = 'UPDATE' THEN
        SELECT jsonb_object_agg(key, was -> key), jsonb_object_agg(key, now_ -> key) INTO was, now_
            FROM jsonb_object_keys(of) AS key WHERE was -> key IS DISTINCT FROM now_ -> key;
        IF was IS NULL THEN
            RETURN NULL;
        END IF;
    ELSE
        was := jsonb_strip_nulls(was);
        now_ := jsonb_strip_nulls(now_);
    END IF;
    INSERT INTO changes (entity, entity_id, run_id, before, after)
        VALUES (TG_TABLE_NAME, (of ->> 'id')::bigint,
            CASE TG_TABLE_NAME WHEN 'runs' THEN (of ->> 'id')::bigint ELSE (of ->> 'run_id')::bigint END, was, now_);
    RETURN NULL;
END
$$;
-- +goose StatementEnd
DROP TRIGGER runs_begun ON runs;
DROP FUNCTION run_begun, may_note, may_change;
ALTER TABLE typed_lines DROP author;
ALTER TABLE changes DROP person_id;
ALTER TABLE tokens DROP made_by;
ALTER TABLE runs DROP owner_id, DROP shared;
DROP FUNCTION working_stalls, working_person;
DROP TABLE known_browsers, invitations, people;
