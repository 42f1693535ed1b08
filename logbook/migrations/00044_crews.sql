-- +goose Up
-- Several crews on one server are separate: every row is of one crew, and no query of another's sees it or makes it,
-- whatever the program asks. A connection works for one crew; 0 stands for all of them, for what the program itself looks
-- up before it knows whose something is. Whoever owns the tables is not held by this: the program works in another role
-- (logbook/separate.go).
CREATE TABLE crews (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name    text        NOT NULL UNIQUE CHECK (name <> ''),
    made_at timestamptz NOT NULL DEFAULT now()
);
INSERT INTO crews (name) VALUES ('the first crew');

-- +goose StatementBegin
CREATE FUNCTION working_crew() RETURNS bigint LANGUAGE sql STABLE AS
    $$ SELECT coalesce(nullif(current_setting('zincroad.crew', true), ''), '1')::bigint $$;

DO $$
DECLARE
    t text;
BEGIN
    FOR t IN SELECT c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE n.nspname = 'public' AND c.relkind IN ('r', 'p') AND NOT c.relispartition
            AND c.relname NOT IN ('goose_db_version', 'crews', 'pulse', 'clocks', 'demo_loading', 'password', 'sessions',
                'ceremonies')
    LOOP
        EXECUTE format('ALTER TABLE %I ADD crew_id bigint NOT NULL DEFAULT 1 REFERENCES crews', t);
        EXECUTE format('ALTER TABLE %I ALTER crew_id SET DEFAULT working_crew()', t);
        EXECUTE format('CREATE POLICY of_its_crew ON %I USING (crew_id = (SELECT working_crew())
            OR (SELECT working_crew()) = 0)', t);
        EXECUTE format('ALTER TABLE %I ENABLE ROW LEVEL SECURITY', t);
    END LOOP;
END
$$;

-- What hangs on a run is of the run's crew, and nobody hangs anything on a run that they do not see.
CREATE FUNCTION of_runs_crew() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    SELECT crew_id INTO NEW.crew_id FROM runs WHERE id = NEW.run_id;
    IF NEW.crew_id IS NULL THEN
        RAISE EXCEPTION 'there is no such run' USING ERRCODE = 'foreign_key_violation';
    END IF;
    RETURN NEW;
END
$$;
DO $$
DECLARE
    t text;
BEGIN
    FOR t IN SELECT c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            JOIN pg_attribute a ON a.attrelid = c.oid AND a.attname = 'run_id' AND a.attnotnull
        WHERE n.nspname = 'public' AND c.relkind = 'r' AND NOT c.relispartition
    LOOP
        EXECUTE format('CREATE TRIGGER of_runs_crew BEFORE INSERT ON %I FOR EACH ROW EXECUTE FUNCTION of_runs_crew()', t);
    END LOOP;
END
$$;
-- +goose StatementEnd

-- Names are taken within a crew.
ALTER TABLE sites DROP CONSTRAINT sites_name_key, ADD CONSTRAINT sites_name_key UNIQUE (crew_id, name);
ALTER TABLE cars DROP CONSTRAINT cars_name_key, ADD CONSTRAINT cars_name_key UNIQUE (crew_id, name);
ALTER TABLE adapters DROP CONSTRAINT adapters_name_key, ADD CONSTRAINT adapters_name_key UNIQUE (crew_id, name);
ALTER TABLE methods DROP CONSTRAINT methods_name_key, ADD CONSTRAINT methods_name_key UNIQUE (crew_id, name);
ALTER TABLE layouts DROP CONSTRAINT layouts_pkey, ADD PRIMARY KEY (crew_id, shape);
ALTER TABLE tallies DROP CONSTRAINT tallies_pkey, ADD PRIMARY KEY (crew_id, what);

-- +goose StatementBegin
CREATE OR REPLACE FUNCTION runs_tally() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    change integer := 0;
    crew   bigint;
BEGIN
    IF TG_OP <> 'INSERT' AND OLD.deleted_at IS NULL AND NOT OLD.live THEN
        change := -1;
    END IF;
    IF TG_OP <> 'DELETE' AND NEW.deleted_at IS NULL AND NOT NEW.live THEN
        change := change + 1;
    END IF;
    IF change <> 0 THEN
        crew := CASE TG_OP WHEN 'DELETE' THEN OLD.crew_id ELSE NEW.crew_id END;
        INSERT INTO tallies (crew_id, what, n) VALUES (crew, 'runs', change)
            ON CONFLICT (crew_id, what) DO UPDATE SET n = tallies.n + change;
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd

-- A change is of the crew of what was changed.
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION change_noted() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    was  jsonb;
    now_ jsonb;
    of   jsonb;
    run  bigint;
    crew bigint;
BEGIN
    IF current_setting('zincroad.quiet', true) = 'on' THEN -- everything at once: of it no run's story tells
        RETURN NULL;
    END IF;
    IF TG_OP <> 'INSERT' THEN was := to_jsonb(OLD) - coalesce(TG_ARGV, '{}'); END IF;
    IF TG_OP <> 'DELETE' THEN now_ := to_jsonb(NEW) - coalesce(TG_ARGV, '{}'); END IF;
    of := coalesce(now_, was);
    crew := (of ->> 'crew_id')::bigint;
    was := was - 'crew_id';
    now_ := now_ - 'crew_id';
    of := of - 'crew_id';
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
    INSERT INTO changes (crew_id, entity, entity_id, run_id, before, after)
        VALUES (crew, TG_TABLE_NAME, (of ->> 'id')::bigint, run, was, now_);
    RETURN NULL;
END
$$;
CREATE OR REPLACE FUNCTION corrections_noted() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM may_note('corrections', TG_OP, made.run_id) FROM made GROUP BY made.run_id;
    INSERT INTO changes (crew_id, entity, entity_id, run_id, after)
        SELECT crew_id, 'corrections', recording_id, run_id,
            jsonb_build_object('values', count(*), 'undone', bool_and(taken_back))
        FROM made GROUP BY crew_id, recording_id, run_id;
    RETURN NULL;
END
$$;
-- +goose StatementEnd

-- How many crews there are: without it the planner takes a column that it has not looked at for one of many values.
ANALYZE;

-- +goose Down
-- +goose StatementBegin
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
CREATE OR REPLACE FUNCTION runs_tally() RETURNS trigger LANGUAGE plpgsql AS $$
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
DO $$
DECLARE
    t text;
BEGIN
    FOR t IN SELECT c.relname FROM pg_trigger g JOIN pg_class c ON c.oid = g.tgrelid WHERE g.tgname = 'of_runs_crew' LOOP
        EXECUTE format('DROP TRIGGER of_runs_crew ON %I', t);
    END LOOP;
    FOR t IN SELECT tablename FROM pg_policies WHERE policyname = 'of_its_crew' LOOP
        EXECUTE format('DROP POLICY of_its_crew ON %I', t);
        EXECUTE format('ALTER TABLE %I DISABLE ROW LEVEL SECURITY', t);
        EXECUTE format('ALTER TABLE %I DROP crew_id', t);
    END LOOP;
END
$$;
-- +goose StatementEnd
ALTER TABLE tallies ADD PRIMARY KEY (what);
ALTER TABLE layouts ADD PRIMARY KEY (shape);
ALTER TABLE methods ADD CONSTRAINT methods_name_key UNIQUE (name);
ALTER TABLE adapters ADD CONSTRAINT adapters_name_key UNIQUE (name);
ALTER TABLE cars ADD CONSTRAINT cars_name_key UNIQUE (name);
ALTER TABLE sites ADD CONSTRAINT sites_name_key UNIQUE (name);
DROP FUNCTION of_runs_crew, working_crew;
DROP TABLE crews;
