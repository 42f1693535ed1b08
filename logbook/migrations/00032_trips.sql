-- +goose Up
-- Trips that were kept: a plan for each stop, in order, with how long the charge is to take. After the day their runs stand
-- beside them.
CREATE TABLE trips (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text        NOT NULL CHECK (name <> ''),
    created_at timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE preparations
    ADD trip_id  bigint REFERENCES trips ON DELETE SET NULL,
    ADD charge_s double precision CHECK (charge_s >= 0);

-- +goose Down
ALTER TABLE preparations DROP trip_id, DROP charge_s;
DROP TABLE trips;
