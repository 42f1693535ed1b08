-- +goose Up
-- Whether a person lets a run say what its car is like: empty where the rules decide, else never or always.
ALTER TABLE runs ADD COLUMN teaches text NOT NULL DEFAULT '' CHECK (teaches IN ('', 'never', 'always'));
CREATE TRIGGER run_teaches_noted AFTER UPDATE OF teaches ON runs FOR EACH ROW
    WHEN (NOT NEW.live AND OLD.teaches IS DISTINCT FROM NEW.teaches)
    EXECUTE FUNCTION change_noted('says', 'revision', 'lessons', 'finding', 'said', 'taught', 'gist', 'document',
        'fingerprint', 'plan', 'read_revision', 'read_version', 'read_fault', 'window_s', 'window_from_pct',
        'window_to_pct', 'peak_kw', 'average_kw', 'length_s', 'start_pct', 'start_c', 'usable_kwh', 'usable_low',
        'usable_high', 'lessons_read');

-- +goose Down
DROP TRIGGER run_teaches_noted ON runs;
ALTER TABLE runs DROP COLUMN teaches;
