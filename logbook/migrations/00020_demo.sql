-- +goose Up
-- There while the demo's data are being loaded: a program that is killed meanwhile goes on at its next start.
CREATE TABLE demo_loading (one boolean PRIMARY KEY DEFAULT true CHECK (one));

-- +goose Down
DROP TABLE demo_loading;
