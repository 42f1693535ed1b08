-- +goose Up
-- How far the car had gone when it was plugged in: its capacity is read against it.
ALTER TABLE runs ADD odometer_km double precision,
    ADD CONSTRAINT runs_odometer_km_range CHECK (odometer_km BETWEEN 0 AND 3000000);

-- +goose Down
ALTER TABLE runs DROP odometer_km;
