-- +goose Up
-- What is claimed of a car, tested by each of its runs.
ALTER TABLE cars ADD claims json;
-- What a run says of its car's capacity, for the car's own page, and what it teaches of car and
-- stall: the warm power, where it fell, the most that flowed.
ALTER TABLE runs
    ADD usable_kwh  double precision,
    ADD usable_low  double precision,
    ADD usable_high double precision,
    ADD taught      text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE runs DROP usable_kwh, DROP usable_low, DROP usable_high, DROP taught;
ALTER TABLE cars DROP claims;
