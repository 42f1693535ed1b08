package curve

import (
	"zincroad/core/figure"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// Figures are those of a run that explain themselves, by name.
var Figures = figure.List[*Reading]{
	{
		Key: "average", Name: "Average power", Unit: "kW",
		Definition: "The energy of a window over its time, on the side shown.",
		Formula:    "a window's energy over its time",
		Numbers:    windowNumbers,
	},
	{
		Key: "clock", Name: "A recording's clock", Unit: "s",
		Definition: "By how much a recording's clock is behind the first one's: that at which the shapes of both lie on " +
			"each other, with the interval that holds it in 95 of 100. What was noted of a clock is left alone where it " +
			"lies inside; what a person has settled always is. Alike is the correlation of what both cover; apart the " +
			"median difference once their scales are made the same.",
		Formula: "that at which the shapes of both recordings lie on each other",
		Source:  "masked correlation over every shift, then least squares; how well it does was measured on simulated pairs",
		Numbers: clockNumbers,
	},
	{
		Key: "grade", Name: "Grade of a recording",
		Definition: "How good a recording is while the car charged: by the interval of its readings, the share of time " +
			"that lies in gaps, and the share of readings that something is wrong with. Posts are exact to the interval of " +
			"its state of charge; energy to what gaps and the time between readings leave open, besides what its meter is " +
			"off.",
		Formula: "by the interval of readings while charging, the share of time in gaps, and the share of readings that " +
			"something is wrong with. A: 3 s, 1 %, 0.5 %; B: 15 s, 5 %, 3 %; C: 400 s, 25 %, 10 %; else D (c)",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, r := range x.Recordings {
				if r.Grade != nil {
					n.Say("curve.readings-every-s-proposed", r.File, *r.Grade, say.Fig(r.EveryS, 2), r.Gaps, len(r.Health),
						say.Join("semicolon", r.Means...))
				}
			}
			return n
		},
	},
	{
		Key: "drive", Name: "Before the plug-in",
		Definition: "Without a plug-in mark the whole recording counts as charging, but for a drive: a log that begins " +
			"with the drive there takes power out of the pack before power comes in for a minute and more, and the plug-in " +
			"is where that begins. Where power flowed for minutes before the first plug-in that is marked, that was a leg " +
			"too. Set the mark where it belongs, and figures go by it.",
		Formula: "plug-in = the first power of either side that lasts, after the last that was taken out of the pack",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, m := range x.MarkProposals {
				n.Say("curve.mark-at", m.Kind, say.Clock(m.TS), m.Reason)
			}
			return n
		},
	},
	{
		Key: "breach", Name: "What does not go on",
		Definition: "A recording whose clock leaps or goes back while the charge goes on, a charge that the car sets anew, " +
			"a stall's meter that sits on the mains side, a log that begins late. What spans it is not stated: no window, " +
			"capacity or loss across it, no post behind a jump of the clock.",
		Formula: "a silence under power in which the charge gains less than a quarter of what flowed at either end would " +
			"give; a step back of 10 s and five intervals behind which the charge goes on; a leap of 3 points beyond what " +
			"flowed; a stall that reads over its label for a minute and 5 % and more above the car, the same at any power",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, f := range x.Findings {
				if f.Kind == AboutBreach {
					for _, e := range f.Evidence {
						n.Say("curve.lost-to", f.Text, e)
					}
				}
			}
			return n
		},
	},
	{
		Key: "approach", Name: "The approach", Unit: "°C",
		Definition: "The pack's temperature on the way to the stall: the coldest cell's where it was read, else the " +
			"pack's one value, from the car's own log before the first plug-in. What lies before a hole of ten minutes, or of " +
			"three intervals where it was noted now and then, was another drive. It enters no post, window or energy.",
		Formula: "the warming a minute is the slope of least squares from the lowest reading to plug-in, stated from 3 " +
			"K on",
		Numbers: func(x *Reading) (n figure.Lines) {
			if a := x.Approach; a != nil {
				n.Say("curve.before-plug-in-at", say.Q(a.FromC, "°C", 1), say.Duration(a.ToS-a.FromS), say.Q(a.AtPlugC, "°C", 1))
				if a.PerMin != nil {
					n.Say("curve.warmed-a-minute", say.Q(*a.PerMin, "K", 2).Exact())
				}
				if a.UsedPct != nil {
					n.Say("curve.driven-off", say.Fig(*a.UsedPct, 1))
				}
				for _, stage := range a.Stages {
					if said := stage.said(); said.Any() {
						n.Add(said)
					}
				}
			}
			return n
		},
	},
	{
		Key: "ramp", Name: "Ramp", Unit: "s",
		Definition: "Seconds from first power (1 kW) to the first reading at 90 % of the highest power within the first " +
			"180 s after it.",
		Formula: "from first power to the first reading at 90 % of the highest power in the 180 s after first power; " +
			"`null` where the log began later",
		Numbers: func(x *Reading) (n figure.Lines) {
			if x.RampS != nil {
				n.Say("curve.first-power-after-clock", say.Clock(x.FirstPower-x.ZeroS), say.Fig(*x.RampS, 1))
			}
			return n
		},
	},
	{
		Key: "ceiling", Name: "What held it down",
		Definition: "The power is described by the fewest straight pieces that explain it; for each piece every cause is " +
			"weighed: whether amps, power or volts stay level, what each limit would have given there, how cold and warm " +
			"the cells were, what was requested, how the piece began. The causes are weighed over the whole run together, " +
			"with a price for each change, forward and backward. Strong is right in 99 of 100 minutes of the labelled runs " +
			"that the rules were tried on, likely in 85.",
		Formula: "pieces by optimal change points (half of chi-squared, half the logarithm of the number of cells for " +
			"each number, 9 for each change); the agreement of each of 18 causes with each piece; forward-backward over the " +
			"pieces. Strong from a probability of 0.94, likely from 0.75",
		Source: "R. Killick et al., J. Am. Stat. Assoc. 107 (2012) 1590; L. R. Rabiner, Proc. IEEE 77 (1989) 257; what " +
			"speaks for which cause is common practice, no source",
		Numbers: ceilingNumbers,
	},
	{
		Key: "lost", Name: "Minutes lost", Unit: "min",
		Definition: "What a cause took from a window: the time spent in its stretches, less the time that the warm pack " +
			"would have taken for the same energy. The pack's own taper and the car's own limits lose nothing while they " +
			"are within 7 % of the reference. The pack's own pace and all that was lost, less what was gained, is the " +
			"window.",
		Formula: "over a cause's stretches ∑ Δt · (1 − P/P_warm), 0 where negative; P_warm is the warm reference " +
			"at that state of charge, never above the car's own limits: noted envelope, else learnt from the car's " +
			"other runs, else by kind",
		Numbers: lostNumbers,
	},
	{
		Key: "claim", Name: "Claim",
		Definition: "What was claimed of the car, held against this run: met or missed as measured. One that was missed " +
			"is not tested where what is no fault of the car as claimed (cold, the stall, the cable, an adapter, a pause) " +
			"took so much that it might have been met without; or where the run does not cover the window.",
		Formula: "window: met where its minutes are no more than claimed; untested where they are without the minutes " +
			"lost to cold, stall, adapter, converter and pauses. Peak: met where the highest reading is no less; untested " +
			"where one of these held the power at its best",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, c := range x.Claims {
				n.Say("curve.claim-was", c.Words(), say.T("claim."+c.Verdict), c.Why)
			}
			return n
		},
	},
	{
		Key: "distance", Name: "Distance added", Unit: "km",
		Definition: "The energy into the pack over the car's consumption: the observed one first, the rated one (usable " +
			"capacity over rated range) beside it. Where only the stall's energy was read, less 4 % that is usually lost.",
		Formula: "∑ energy into the pack / consumption; `+100 km` is the first time at which it reaches 100",
		Source:  "the usual loss: common practice, no source",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, d := range x.Distance {
				n.Say("curve.in-all", d.Basis, say.Q(d.WhPerKm, "Wh/km", 0), say.Q(d.AddedKm, "km", 1))
				for _, p := range d.Plus {
					n.Say("curve.distance-at", say.Q(p.Km, "km", 0), say.Clock(p.TS))
				}
			}
			return n
		},
	},
	{
		Key: "asked", Name: "Requested and delivered", Unit: "kW",
		Definition: "What the car requested beside what flowed, on the side where the request was read, from a minute " +
			"after first power on. Under 96.5 % of the request is less than requested: what held it lies outside the car.",
		Formula: "time and energy in which the power is under 96.5 % of what is requested, from 60 s after first power",
		Numbers: func(x *Reading) (n figure.Lines) {
			if a := x.Asked; a != nil {
				n.Say("curve.most-requested-kw-then", say.Fig(a.MostKW, 1), say.Fig(a.ThenKW, 1), say.Fig(a.ShortS, 0),
					say.Fixed(a.ShortKWh, 2))
			}
			return n
		},
	},
	{
		Key: "losses", Name: "Losses by part", Unit: "kWh",
		Definition: "What the stall delivered less what reached the pack, split up: the cable and connector by the volts " +
			"of both sides, the heater and what else the car read of itself. What is left is pumps, electronics, a " +
			"converter, and meters that disagree.",
		Formula: "over the time in which both sides were read; cable ∑ (V_stall − V_car) · I · Δt, where they are " +
			"within 5 %; heater and auxiliaries as read; the rest is what is left",
		Numbers: func(x *Reading) (n figure.Lines) {
			if l := x.Losses; l != nil {
				n.Say("curve.lost-kwh", say.Fixed(l.LostKWh, 2))
				for _, p := range []struct {
					name string
					kwh  *float64
				}{{"cable and connector", l.CableKWh}, {"heater", l.HeaterKWh}, {"auxiliaries", l.AuxKWh},
					{"the rest", &l.RestKWh}} {
					if p.kwh != nil {
						n.Say("curve.kwh", p.name, say.Fixed(*p.kwh, 2))
					}
				}
			}
			return n
		},
	},
	{
		Key: "pack", Name: "The pack itself",
		Definition: "Its resistance from leaps of the current: volts over amps before and after, the middle of all " +
			"leaps. The heat made in the cells is the current squared times that. The rest voltage is the volts less " +
			"current times resistance, a cell; one that rises by less than 0.15 V from 30 to 80 % is iron phosphate's.",
		Formula: "R = ΔV / ΔI where amps leap by 30 A or more within 12 s, the median; heat ∑ I² R Δt; rest " +
			"voltage (V − I R) / cells",
		Source: "the two kinds' rest voltages from memory, rounded from published curves",
		Numbers: func(x *Reading) (n figure.Lines) {
			if p := x.Pack; p != nil && p.ResistanceOhm != nil {
				n.Say("curve.m-from", say.Fig(*p.ResistanceOhm*1000, 0), p.Leaps)
				n.Say("curve.kwh-of-heat-in", say.Fixed(*p.HeatKWh, 2))
				for _, r := range p.RestPerCell {
					n.Say("curve.v-at-rest", say.Fig(r.SoCPct, 0), say.Fixed(r.V, 3))
				}
			}
			return n
		},
	},
	{
		Key: "plateau", Name: "Plateau", Unit: "kW",
		Definition: "A stretch of a minute or more whose power stays within 4 % of its own mean (or 2 kW) and leans less " +
			"than half a per cent of it a minute.",
		Formula: "neighbouring pieces put together while 19 of 20 readings stay within the larger of 4 % and 2 kW of the " +
			"mean and the fitted slope is under 0.5 % of it a minute; 60 s or more",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, p := range x.Plateaus {
				n.Say("curve.to-kw-kw-a", say.Clock(p.FromS), say.Clock(p.ToS), say.Fig(p.KW, 1), say.Fig(p.SlopeKWPerMin, 2))
			}
			return n
		},
	},
	{
		Key: "cliff", Name: "Cliff", Unit: "kW",
		Definition: "A fall of the power by a quarter or more within half a minute that does not come back; its time is " +
			"the middle of the fall.",
		Formula: "a fall of 25 % or more within 30 s, still there 30 s later; its time is when the power passes half way",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, c := range x.Cliffs {
				n.Say("curve.from-to-kw", say.Clock(c.TS), say.Fig(c.FromKW, 1), say.Fig(c.ToKW, 1))
			}
			return n
		},
	},
	{
		Key: "capacity", Name: "Usable capacity", Unit: "kWh",
		Definition: "Car-side energy over the state of charge gained, times 100, where 20 points or more are covered. " +
			"The interval takes the display's resolution at both ends and the tolerance of the car's power.",
		Formula: "car-side energy / SoC gained × 100, from 20 points on. Low: E(1−tol)/(ΔSoC+res); high: " +
			"E(1+tol)/(ΔSoC−res), with the SoC resolution and `power_tolerance_pct` (2 where not given)",
		Numbers: capacityNumbers,
	},
	{
		Key: "energy", Name: "Energy", Unit: "kWh",
		Definition: "The area under the power of one side, by the trapezoid rule, from first power to the unplug of each " +
			"leg; a run is the sum of its legs. Between an unplug and the next plug-in nothing flows, whatever was read. A " +
			"stretch without readings longer than 30 s and ten times the interval is a gap: it is bridged by a straight " +
			"line and counted.",
		Formula: "trapezoid rule, ∑ (P₁+P₂)/2 · Δt / 3600, over one side's readings, from first power of each " +
			"leg to its end, the slope from a reading below 1 kW within 20 s before it included; the last power " +
			"holds to the stop or unplug where that is within 30 s or one and a half intervals (c). A run's is the " +
			"sum of its legs'",
		Source:  "the trapezoid rule; checked against SciPy",
		Numbers: energyNumbers,
	},
	{
		Key: "gap", Name: "Gap", Unit: "s",
		Definition: "A stretch without readings longer than 30 s and than ten times the median interval between " +
			"readings. Where readings were typed the interval is that of the ten around, and a level that is the same at " +
			"both ends within 5 % is none.",
		Formula: "a stretch without readings, while power flowed, longer than the larger of 30 s and 10 × the median " +
			"interval; bridged by a straight line, counted in `bridged_s`. Typed (median of 20 s or more): the interval is " +
			"that of the ten readings around, and ends within 5 % of each other are a level",
		Numbers: func(x *Reading) (n figure.Lines) {
			n.Say("curve.readings-every-s-so", say.Fig(x.IntervalS, 2), say.Fig(trace.GapLimitFor(x.IntervalS), 1))
			for _, g := range x.Gaps {
				n.Say("curve.span", say.Clock(g.From), say.Clock(g.To))
			}
			return n
		},
	},
	{
		Key: "loss", Name: "Loss", Unit: "%",
		Definition: "Stall energy less car energy, over stall energy, in the time that both sides cover.",
		Formula:    "(stall − car) / stall energy over the time both cover",
		Numbers:    energyNumbers,
	},
	{
		Key: "cost", Name: "Money",
		Definition: "The price on the stall's screen at the end, where it was read; else by the stall's tariff: the " +
			"register's kWh, or what the stall's power adds up to; every minute with power in the tier that the power is in " +
			"at that moment; the session fee; minutes plugged in without charging, from last power to the unplug mark, " +
			"beyond the grace period; tax on all of it.",
		Formula: "`cost` is the price on the stall's screen where it was read at the end; else the bill of the stall's " +
			"tariff for the register's kWh, or what the stall's power adds up to, and for the minutes of its power; " +
			"standing idle counts from the last power of each leg that counts (to where it was cut off) to its unplug. It " +
			"is `null` where only the car was logged.",
		Numbers: costNumbers,
	},
	{
		Key: "peak", Name: "Peak", Unit: "kW",
		Definition: "The highest reading, spikes left out; the highest mean over any 10 s; and the longest time at 95 % " +
			"or more of that mean. A dip of 2 s or less does not break it, a gap does.",
		Formula: "the highest mean of joined power over any 10 s, found exactly: the mean changes at the rate " +
			"(P(t+10)−P(t))/10",
		Numbers: peakNumbers,
	},
	{
		Key: "screen", Name: "The stall's register", Unit: "kWh",
		Definition: "What the stall's own register counted from the first plug-in to the end, beside the area under its " +
			"power. A register that counts each session begins at 0 with it; one that goes on is read at both ends. The " +
			"seller bills the register.",
		Formula: "the stall's energy register: its last reading near the end, from 0 where its first is no more than 1 " +
			"kWh and 1.3 times what had flowed by then (each session) or else less its first; begun anew at a replug. It is " +
			"`stall_kwh` where the stall's power was not read",
		Numbers: screenNumbers,
	},
	{
		Key: "implausible", Name: "What cannot be",
		Definition: "A window is not stated where it would need more than 1000 kW or six times the pack's capacity an " +
			"hour, or over a third more than the stall's label or the car's own limit: by the power that was read, and by " +
			"what its share of the noted capacity takes.",
		Formula: "a window that would need more than 1000 kW, six times the capacity an hour, or a third more than the " +
			"stall's label or the car's limit, by the power read or by its share of the noted capacity; a finding says which",
		Numbers: func(x *Reading) (n figure.Lines) {
			for _, w := range x.Implausible {
				n.Say("curve.cannot-be", say.Window(w.FromPct, w.ToPct), say.Duration(w.TS), w.Reason)
			}
			return n
		},
	},
	{
		Key: "window", Name: "Window", Unit: "s",
		Definition: "The time from one post to another. A post is the first moment at which the state of charge, joined " +
			"by straight lines between readings, reaches a round value; nothing is extrapolated.",
		Formula: "post b − post a; absent where either is, and where it is implausible",
		Numbers: windowNumbers,
	},
}
