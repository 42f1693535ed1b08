-- +goose Up
-- What an update changes beside the curve: heater, navigation's limits, gentle profile.
-- A software version's own values stand instead of the car's.
ALTER TABLE cars
    ADD heater_stop_c   double precision CONSTRAINT cars_heater_stop_c_range CHECK (heater_stop_c BETWEEN -60 AND 150),
    ADD navigation      json,
    ADD gentle_envelope json;
ALTER TABLE softwares
    ADD heater_kw       double precision CONSTRAINT softwares_heater_kw_range CHECK (heater_kw BETWEEN 0 AND 100),
    ADD heater_stop_c   double precision CONSTRAINT softwares_heater_stop_c_range CHECK (heater_stop_c BETWEEN -60 AND 150),
    ADD navigation      json,
    ADD gentle_envelope json;

-- +goose Down
ALTER TABLE softwares DROP heater_kw, DROP heater_stop_c, DROP navigation, DROP gentle_envelope;
ALTER TABLE cars DROP heater_stop_c, DROP navigation, DROP gentle_envelope;
