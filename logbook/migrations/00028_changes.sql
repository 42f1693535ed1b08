-- +goose Up
-- Who changed what: one row for each row that a person's word is in, with what was before and after, of what differs.
-- What is worked out and what comes in from sources is nobody's change. The actor is whoever the connection works for.
CREATE TABLE changes (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at        timestamptz NOT NULL DEFAULT now(),
    actor     text        NOT NULL DEFAULT coalesce(nullif(current_setting('zincroad.actor', true), ''), 'owner'),
    entity    text        NOT NULL, -- a table
    entity_id bigint      NOT NULL,
    run_id    bigint,               -- of whose story it is a part; NULL: of no run's
    before    jsonb,                -- NULL: it was made
    after     jsonb                 -- NULL: it was removed
);
CREATE INDEX changes_run ON changes (run_id, id) WHERE run_id IS NOT NULL;
CREATE INDEX changes_entity ON changes (entity, entity_id, id);

-- +goose StatementBegin
CREATE FUNCTION change_noted() RETURNS trigger LANGUAGE plpgsql AS $$
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

-- A run's own words; its figures are worked out, and not named here.
CREATE TRIGGER runs_noted AFTER UPDATE OF title, started_at, timezone, car_id, software_id, stall_id, adapter_id,
    method_name, from_pct, to_pct, clock, method_climate, ambient_c, battery_c, preconditioned, preconditioned_min, profile,
    climate, weather, claims, odometer_km, label, deleted_at ON runs FOR EACH ROW WHEN (NOT NEW.live)
    EXECUTE FUNCTION change_noted('says', 'revision', 'lessons', 'finding', 'said', 'taught', 'gist', 'document',
        'fingerprint', 'plan', 'read_revision', 'read_version', 'read_fault', 'window_s', 'window_from_pct',
        'window_to_pct', 'peak_kw', 'average_kw', 'length_s', 'start_pct', 'start_c', 'usable_kwh', 'usable_low',
        'usable_high', 'lessons_read');
CREATE TRIGGER marks_noted AFTER INSERT OR UPDATE OR DELETE ON marks FOR EACH ROW EXECUTE FUNCTION change_noted('key');
CREATE TRIGGER recordings_noted AFTER UPDATE OF name, side, clock_offset_s, clock_drift_ppm, clock_settled ON recordings
    FOR EACH ROW EXECUTE FUNCTION change_noted('readings', 'channels', 'layout', 'left_out', 'position');
CREATE TRIGGER photos_noted AFTER INSERT OR UPDATE OR DELETE ON photos
    FOR EACH ROW EXECUTE FUNCTION change_noted('content', 'small');
CREATE TRIGGER cars_noted AFTER INSERT OR UPDATE OR DELETE ON cars FOR EACH ROW EXECUTE FUNCTION change_noted();
CREATE TRIGGER softwares_noted AFTER INSERT OR UPDATE OR DELETE ON softwares
    FOR EACH ROW EXECUTE FUNCTION change_noted();
CREATE TRIGGER sites_noted AFTER INSERT OR UPDATE OR DELETE ON sites FOR EACH ROW EXECUTE FUNCTION change_noted();
CREATE TRIGGER stalls_noted AFTER INSERT OR UPDATE OR DELETE ON stalls FOR EACH ROW EXECUTE FUNCTION change_noted();
CREATE TRIGGER adapters_noted AFTER INSERT OR UPDATE OR DELETE ON adapters
    FOR EACH ROW EXECUTE FUNCTION change_noted();
CREATE TRIGGER methods_noted AFTER INSERT OR UPDATE OR DELETE ON methods FOR EACH ROW EXECUTE FUNCTION change_noted();
CREATE TRIGGER benches_noted AFTER INSERT OR UPDATE OR DELETE ON benches
    FOR EACH ROW EXECUTE FUNCTION change_noted('updated_at');

-- Readings are put right by the hundred at once: one change for each recording.
-- +goose StatementBegin
CREATE FUNCTION corrections_noted() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO changes (entity, entity_id, run_id, after)
        SELECT 'corrections', recording_id, run_id,
            jsonb_build_object('values', count(*), 'undone', bool_and(taken_back))
        FROM made GROUP BY recording_id, run_id;
    RETURN NULL;
END
$$;
-- +goose StatementEnd
CREATE TRIGGER corrections_made AFTER INSERT ON corrections REFERENCING NEW TABLE AS made
    FOR EACH STATEMENT EXECUTE FUNCTION corrections_noted();
CREATE TRIGGER corrections_undone AFTER UPDATE ON corrections REFERENCING NEW TABLE AS made
    FOR EACH STATEMENT EXECUTE FUNCTION corrections_noted();

-- +goose Down
DROP TRIGGER corrections_undone ON corrections;
DROP TRIGGER corrections_made ON corrections;
DROP FUNCTION corrections_noted;
DROP TRIGGER benches_noted ON benches;
DROP TRIGGER methods_noted ON methods;
DROP TRIGGER adapters_noted ON adapters;
DROP TRIGGER stalls_noted ON stalls;
DROP TRIGGER sites_noted ON sites;
DROP TRIGGER softwares_noted ON softwares;
DROP TRIGGER cars_noted ON cars;
DROP TRIGGER photos_noted ON photos;
DROP TRIGGER recordings_noted ON recordings;
DROP TRIGGER marks_noted ON marks;
DROP TRIGGER runs_noted ON runs;
DROP FUNCTION change_noted;
DROP TABLE changes;
