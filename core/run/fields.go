package run

// Field is one number of a car, a stall, an adapter or a run: its key in run.json, the
// unit that it is kept in, and the range that it must lie in. Forms, run.json and the
// database all go by this list. Ranges are wide: they catch a wrong sign or a wrong
// unit, not a strange car (common practice, no source).
type Field struct {
	Path     string // as in run.json, [] for an element of a list
	Unit     string
	Min, Max float64 // inclusive

	Table, Column string // where the logbook keeps it; empty: inside a document
}

// Fields lists them by what they belong to.
var Fields = []Field{
	{"car.gross_kwh", "kWh", 0, 2000, "cars", "gross_kwh"},
	{"car.usable_kwh", "kWh", 0, 2000, "cars", "usable_kwh"},
	{"car.cells_in_series", "", 0, 2000, "cars", "cells_in_series"},
	{"car.pack_min_v", "V", 0, 2000, "cars", "pack_min_v"},
	{"car.pack_nominal_v", "V", 0, 2000, "cars", "pack_nominal_v"},
	{"car.pack_max_v", "V", 0, 2000, "cars", "pack_max_v"},
	{"car.max_kw", "kW", 0, 5000, "cars", "max_kw"},
	{"car.max_a", "A", 0, 5000, "cars", "max_a"},
	{"car.converter_kw", "kW", 0, 5000, "cars", "converter_kw"},
	{"car.battery_mass_kg", "kg", 0, 20000, "cars", "battery_mass_kg"},
	{"car.heater_kw", "kW", 0, 100, "cars", "heater_kw"},
	{"car.warm_c", "°C", -60, 150, "cars", "warm_c"},
	{"car.consumption_wh_per_km", "Wh/km", 0, 10000, "cars", "consumption_wh_per_km"},
	{"car.rated_range_km", "km", 0, 5000, "cars", "rated_range_km"},
	{"car.timer_s", "s", 0, 1e5, "cars", "timer_s"},
	{"car.timer_share_pct", "%", 0, 100, "cars", "timer_share_pct"},
	{"car.heater_stop_c", "°C", -60, 150, "cars", "heater_stop_c"},
	{"car.navigation.min_pct", "%", 0, 100, "", ""},
	{"car.navigation.lead_min", "min", 0, 600, "", ""},
	{"car.navigation.min_kw", "kW", 0, 5000, "", ""},
	{"car.gentle_envelope[].soc_pct", "%", 0, 100, "", ""},
	{"car.gentle_envelope[].kw", "kW", 0, 5000, "", ""},
	{"car.envelope[].soc_pct", "%", 0, 100, "", ""},
	{"car.envelope[].kw", "kW", 0, 5000, "", ""},
	{"car.pack.resistance_mohm", "mΩ", 0, 10000, "", ""},
	{"car.pack.heat_capacity_kj_per_k", "kJ/K", 0, 20000, "", ""},
	{"car.pack.coupling_w_per_k", "W/K", 0, 1e5, "", ""},
	{"car.pack.loss_w_per_k", "W/K", 0, 1e5, "", ""},
	{"car.pack.cooling_kw", "kW", 0, 200, "", ""},
	{"car.pack.heater_share_pct", "%", 0, 100, "", ""},
	{"car.pack.hot_c", "°C", -60, 150, "", ""},
	{"car.pack.half_below_k", "K", 0, 60, "", ""},
	{"car.pack.activation_kj_per_mol", "kJ/mol", 0, 100, "", ""},

	{"stall.rated_kw", "kW", 0, 5000, "stalls", "rated_kw"},
	{"stall.max_a", "A", 0, 5000, "stalls", "max_a"},
	{"stall.min_v", "V", 0, 2000, "stalls", "min_v"},
	{"stall.max_v", "V", 0, 2000, "stalls", "max_v"},
	{"stall.shared_kw", "kW", 0, 5000, "stalls", "shared_kw"},
	{"stall.tariff.per_kwh", "", 0, 1e6, "", ""},
	{"stall.tariff.per_min[].up_to_kw", "kW", 0, 5000, "", ""},
	{"stall.tariff.per_min[].price", "", 0, 1e6, "", ""},
	{"stall.tariff.session_fee", "", 0, 1e6, "", ""},
	{"stall.tariff.idle_per_min", "", 0, 1e6, "", ""},
	{"stall.tariff.idle_after_min", "min", 0, 1e5, "", ""},
	{"stall.tariff.tax_pct", "%", 0, 100, "", ""},
	{"stall.tariff.membership.per_month", "", 0, 1e6, "", ""},
	{"stall.tariff.membership.per_kwh_off", "", 0, 1e6, "", ""},

	{"adapter.max_a", "A", 0, 5000, "adapters", "max_a"},
	{"adapter.max_v", "V", 0, 2000, "adapters", "max_v"},

	{"method.from_pct", "%", 0, 100, "runs", "from_pct"},
	{"method.to_pct", "%", 0, 100, "runs", "to_pct"},
	{"conditions.odometer_km", "km", 0, 3e6, "runs", "odometer_km"},
	{"conditions.ambient_c", "°C", -60, 70, "runs", "ambient_c"},
	{"conditions.battery_c", "°C", -60, 150, "runs", "battery_c"},
	{"conditions.preconditioned_min", "min", 0, 10000, "runs", "preconditioned_min"},
	{"claims[].from_pct", "%", 0, 100, "", ""},
	{"claims[].to_pct", "%", 0, 100, "", ""},
	{"claims[].minutes", "min", 0, 10000, "", ""},
	{"claims[].kw", "kW", 0, 5000, "", ""},
	{"claims[].battery_c", "°C", -60, 150, "", ""},
	{"claims[].stall_kw", "kW", 0, 5000, "", ""},
	{"recordings[].clock_offset_s", "s", -MostOffsetS, MostOffsetS, "recordings", "clock_offset_s"},
	{"recordings[].clock_drift_ppm", "ppm", -10000, 10000, "recordings", "clock_drift_ppm"},
	{"recordings[].soc_resolution_pct", "%", 0, 10, "recordings", "soc_resolution_pct"},
	{"recordings[].power_tolerance_pct", "%", 0, 50, "recordings", "power_tolerance_pct"},
	{"marks[].t_s", "s", -MostOffsetS, MostOffsetS, "marks", "t_s"},
}

var fieldAt = func() map[string]Field {
	m := make(map[string]Field, len(Fields))
	for _, f := range Fields {
		m[f.Path] = f
	}
	return m
}()

// FieldAt gives the field of a path, and false where there is none.
func FieldAt(path string) (Field, bool) {
	f, ok := fieldAt[path]
	return f, ok
}

// MustField is FieldAt for a path that the program itself names. It panics for one that
// is not listed: add it to Fields.
func MustField(path string) Field {
	f, ok := fieldAt[path]
	if !ok {
		panic("run: no field " + path + "; add it to Fields")
	}
	return f
}
