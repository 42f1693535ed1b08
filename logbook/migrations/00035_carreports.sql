-- +goose Up
-- A report may be of what a car's runs taught, in a profile, in the stead of runs.
ALTER TABLE reports
    ADD car_id  bigint, -- no reference: it stays when the car goes
    ADD profile text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE reports DROP car_id, DROP profile;
