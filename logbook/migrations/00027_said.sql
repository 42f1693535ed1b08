-- +goose Up
-- What a run's first finding says, as codes with what they tell of; finding stays as its sentence, to be searched.
ALTER TABLE runs ADD COLUMN said text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE runs DROP COLUMN said;
