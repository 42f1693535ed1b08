-- +goose Up
-- Where a site lies, in degrees north and east: it tells day from night at its stalls.
ALTER TABLE sites
    ADD COLUMN latitude double precision CHECK (latitude BETWEEN -90 AND 90),
    ADD COLUMN longitude double precision CHECK (longitude BETWEEN -180 AND 180),
    ADD CONSTRAINT sites_where CHECK ((latitude IS NULL) = (longitude IS NULL));

-- +goose Down
ALTER TABLE sites DROP COLUMN latitude, DROP COLUMN longitude;
