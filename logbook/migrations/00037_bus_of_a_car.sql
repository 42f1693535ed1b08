-- +goose Up
-- What names the signals of a car's bus, for logs of it.
CREATE TABLE car_buses (
    car_id  bigint PRIMARY KEY REFERENCES cars ON DELETE CASCADE,
    dbc     bytea NOT NULL,
    name    text NOT NULL,  -- of its file
    signals text NOT NULL
);

-- +goose Down
DROP TABLE car_buses;
