package trip

import (
	"zincroad/core/figure"
	"zincroad/core/say"
)

// Explained is a trip with the ways that were found.
type Explained struct {
	Trip  Trip
	Plans *Plans // nil: it was not worked out
}

// best is the plan that a page draws: the first; nil where there is none.
func (x Explained) best() *Plan {
	if x.Plans == nil || len(x.Plans.Plans) == 0 {
		return nil
	}
	return &x.Plans.Plans[0]
}

// Figures are those of a trip that explain themselves, by name.
var Figures = figure.List[Explained]{
	{
		Key: "driving", Name: "What driving takes", Unit: "kWh",
		Definition: "What the way takes out of the pack, its detours with it. On the level it goes by the car's noted " +
			"consumption, speed and weather; along a track every half a kilometre has its slope besides. Downhill what the " +
			"wheels brake comes back, less what the drive loses, and nothing goes into a full pack.",
		Formula: "the wheels need what they need on the level plus mass × 9.81 × climb; what they take costs that over " +
			"0.9, what they brake gives 0.9 of it back",
		Source: "0.9: from memory",
		Numbers: func(x Explained) (n figure.Lines) {
			p := x.best()
			if p == nil {
				return nil
			}
			n.Say("trip.level-takes", say.Q(x.Plans.LevelWhKm, "Wh/km", 0), say.Q(x.Trip.SpeedKmh, "km/h", 0),
				say.Q(x.Trip.AmbientC, "°C", 0))
			if t := x.Trip.Track; t != nil && len(t.HeightM) > 0 {
				n.Say("trip.climbs", say.Fig(t.ClimbM(), 0), say.Fig(x.Trip.massKg(), 0))
			}
			n.Say("trip.takes-in-all", say.Fixed(p.DrivenKWh, 1))
			return n
		},
	},
	{
		Key: "stop", Name: "A stop", Unit: "min",
		Definition: "How long the charge takes at that stall, from the charge and the battery's temperature that the car " +
			"comes with: a forecast, as Prepare makes it. What a stop costs beside is its detour, and parking, paying and " +
			"plugging in.",
		Formula: "minutes, the stall's energy and the bill are a forecast's from the charge that it is come to with",
		Numbers: func(x Explained) (n figure.Lines) {
			p := x.best()
			if p == nil {
				return nil
			}
			for _, s := range p.Stops {
				site := x.Trip.Sites[s.Site]
				n.Say("trip.stop-takes", site.Name, say.Fig(s.ArrivePct, 1), say.Fig(s.LeavePct, 0), say.Q(s.BatteryC, "°C", 0),
					say.Duration(s.ChargeMin*60), say.Fixed(s.EnergyKWh, 1), say.Fig(site.overheadMin(x.Trip.SpeedKmh), 0))
			}
			return n
		},
	},
	{
		Key: "battery", Name: "The battery at a stop", Unit: "°C",
		Definition: "How warm the pack is at plug-in. From stop to stop it goes towards the air's temperature plus what " +
			"driving warms it by. A car that heats for its navigation comes with a warm one.",
		Formula: "it goes from stop to stop towards ambient plus its own heat over its loss at that speed, by heat " +
			"capacity over loss",
		Numbers: func(x Explained) (n figure.Lines) {
			p := x.best()
			if p == nil {
				return nil
			}
			n.Say("trip.battery-starts", say.Q(x.Trip.BatteryC, "°C", 0), say.Q(x.Trip.AmbientC, "°C", 0))
			for _, s := range p.Stops {
				n.Say("trip.battery-at", x.Trip.Sites[s.Site].Name, say.Q(s.BatteryC, "°C", 0))
			}
			return n
		},
	},
	{
		Key: "minutes", Name: "Which stops", Unit: "min",
		Definition: "Of all ways to stop at the sites on the way, each left with any whole per cent, the one that is " +
			"best by what was looked for. No stop is come to with less than the reserve, nor is a pass. Other schools stand " +
			"below it.",
		Formula: "for each site and each charge to leave it with, the best way there over all sites and charges before",
		Source:  "dynamic programming: Bellman, 1957",
		Numbers: func(x Explained) (n figure.Lines) {
			if x.Plans == nil {
				return nil
			}
			for _, p := range x.Plans.Plans {
				n.Say("trip.adds-up", p.Name, say.Duration(p.DrivingMin*60), say.Duration(p.ChargingMin*60),
					say.Duration(p.OverheadMin*60), say.Duration(p.Minutes*60))
			}
			return n
		},
	},
}
