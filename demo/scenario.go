// Package demo is the invented scenario that Zinc Road shows itself with: the
// vehicle workshop of the Wend Valley mobile libraries tests its book vans and
// staff cars at four sites of the valley. Nobody and nothing in it exists.
package demo

import (
	"time"

	"zincroad/core/run"
)

var n = run.N

// The cars, named after trees and the size of their packs.
var (
	tamarack = run.Car{Name: "Tamarack 78", Chemistry: "NMC", GrossKWh: n(78), UsableKWh: n(75), CellsInSeries: n(96),
		PackMinV: n(280), PackNominalV: n(352), PackMaxV: n(403), MaxKW: n(200), MaxA: n(520), BatteryMassKg: n(460),
		HeaterKW: n(4.4), WarmC: n(25), Preconditioning: "navigation", ConsumptionWhKm: n(178), RatedRangeKm: n(455),
		Envelope: []run.Point{
			{SoCPct: 0, KW: 150},
			{SoCPct: 6, KW: 196},
			{SoCPct: 46, KW: 190},
			{SoCPct: 47, KW: 142},
			{SoCPct: 80, KW: 104},
			{SoCPct: 90, KW: 62},
			{SoCPct: 100, KW: 14},
		}}
	osier = run.Car{Name: "Osier 88", Chemistry: "NMC", GrossKWh: n(92), UsableKWh: n(88), CellsInSeries: n(108),
		PackMinV: n(315), PackNominalV: n(396), PackMaxV: n(453), MaxKW: n(150), MaxA: n(420), BatteryMassKg: n(540),
		HeaterKW: n(6), WarmC: n(27), Preconditioning: "manual", ConsumptionWhKm: n(205), RatedRangeKm: n(440),
		Envelope: []run.Point{
			{SoCPct: 0, KW: 146},
			{SoCPct: 19, KW: 146},
			{SoCPct: 20, KW: 128},
			{SoCPct: 33, KW: 122},
			{SoCPct: 34, KW: 104},
			{SoCPct: 60, KW: 96},
			{SoCPct: 61, KW: 78},
			{SoCPct: 79.9, KW: 66},
			{SoCPct: 80, KW: 22},
			{SoCPct: 100, KW: 8},
		}}
	rowan = run.Car{Name: "Rowan 82", Chemistry: "NMC", GrossKWh: n(86), UsableKWh: n(82), CellsInSeries: n(192),
		PackMinV: n(560), PackNominalV: n(704), PackMaxV: n(806), MaxKW: n(240), MaxA: n(340),
		ConverterKW: n(112), BatteryMassKg: n(500),
		HeaterKW: n(2), WarmC: n(24), Preconditioning: "navigation", ConsumptionWhKm: n(190), RatedRangeKm: n(470),
		Envelope: []run.Point{
			{SoCPct: 0, KW: 180},
			{SoCPct: 5, KW: 224},
			{SoCPct: 52, KW: 226},
			{SoCPct: 55, KW: 180},
			{SoCPct: 75, KW: 150},
			{SoCPct: 80, KW: 118},
			{SoCPct: 90, KW: 58},
			{SoCPct: 100, KW: 12},
		}}
	larch = run.Car{Name: "Larch 52", Chemistry: "LFP", GrossKWh: n(54), UsableKWh: n(52), CellsInSeries: n(108),
		PackMinV: n(300), PackNominalV: n(350), PackMaxV: n(390), MaxKW: n(88), MaxA: n(250), BatteryMassKg: n(385),
		HeaterKW: n(1.3), WarmC: n(24), Preconditioning: "none", ConsumptionWhKm: n(148), RatedRangeKm: n(330),
		Envelope: []run.Point{
			{SoCPct: 0, KW: 80},
			{SoCPct: 8, KW: 86},
			{SoCPct: 42, KW: 84},
			{SoCPct: 60, KW: 66},
			{SoCPct: 80, KW: 50},
			{SoCPct: 94, KW: 34},
			{SoCPct: 100, KW: 10},
		}}
	alder = run.Car{Name: "Alder 64", Chemistry: "NMC", GrossKWh: n(67), UsableKWh: n(64), CellsInSeries: n(98),
		PackMinV: n(290), PackNominalV: n(358), PackMaxV: n(411), MaxKW: n(77), MaxA: n(170), BatteryMassKg: n(420),
		HeaterKW: n(2), WarmC: n(21), Preconditioning: "none", ConsumptionWhKm: n(156), RatedRangeKm: n(400),
		Envelope: []run.Point{
			{SoCPct: 0, KW: 80},
			{SoCPct: 72, KW: 80},
			{SoCPct: 75, KW: 46},
			{SoCPct: 82, KW: 36},
			{SoCPct: 92, KW: 20},
			{SoCPct: 100, KW: 7},
		}}
	hornbeam = run.Car{
		Name:            "Hornbeam 105",
		Chemistry:       "LFP",
		GrossKWh:        n(108),
		UsableKWh:       n(105),
		CellsInSeries:   n(180),
		PackMinV:        n(500),
		PackNominalV:    n(580),
		PackMaxV:        n(650),
		MaxKW:           n(125),
		MaxA:            n(230),
		BatteryMassKg:   n(830),
		HeaterKW:        n(5),
		WarmC:           n(25),
		Preconditioning: "none",
		ConsumptionWhKm: n(410),
		RatedRangeKm:    n(240),
		Envelope: []run.Point{
			{SoCPct: 0, KW: 110},
			{SoCPct: 10, KW: 124},
			{SoCPct: 78, KW: 122},
			{SoCPct: 80, KW: 80},
			{SoCPct: 94, KW: 45},
			{SoCPct: 100, KW: 12},
		},
	}
)

func with(c run.Car, software string) run.Car {
	c.Software = software
	return c
}

// The sites, named after old mills and quarries, and their stalls.
var (
	millTariff = &run.Tariff{
		Currency:     "EUR",
		PerKWh:       n(0.59),
		SessionFee:   n(0),
		IdlePerMin:   n(0.1),
		IdleAfterMin: n(10),
		TaxPct:       n(0),
	}
	tanneryTariff = &run.Tariff{Currency: "EUR", PerKWh: n(0.47), SessionFee: n(1)}
	weighTariff   = &run.Tariff{Currency: "EUR", PerMin: []run.Tier{{UpToKW: n(90), Price: n(0.32)}, {Price: n(0.64)}}}

	fulling1 = run.Stall{
		Site:    "Fulling Mill",
		Name:    "1",
		RatedKW: n(350),
		MaxA:    n(500),
		MinV:    n(150),
		MaxV:    n(1000),
		Tariff:  millTariff,
	}
	fulling3 = run.Stall{
		Site:     "Fulling Mill",
		Name:     "3",
		RatedKW:  n(350),
		MaxA:     n(500),
		MinV:     n(150),
		MaxV:     n(1000),
		SharedKW: n(180),
		Tariff:   millTariff,
	}
	fulling4 = run.Stall{
		Site:     "Fulling Mill",
		Name:     "4",
		RatedKW:  n(350),
		MaxA:     n(500),
		MinV:     n(150),
		MaxV:     n(1000),
		SharedKW: n(180),
		Tariff:   millTariff,
	}
	tannery1 = run.Stall{
		Site:    "Old Tannery",
		Name:    "1",
		RatedKW: n(150),
		MaxA:    n(350),
		MinV:    n(150),
		MaxV:    n(500),
		Tariff:  tanneryTariff,
	}
	tannery2 = run.Stall{
		Site:    "Old Tannery",
		Name:    "2",
		RatedKW: n(150),
		MaxA:    n(350),
		MinV:    n(150),
		MaxV:    n(500),
		Tariff:  tanneryTariff,
	}
	weigh2 = run.Stall{
		Site:    "Weigh House",
		Name:    "2",
		RatedKW: n(100),
		MaxA:    n(250),
		MinV:    n(200),
		MaxV:    n(920),
		Tariff:  weighTariff,
	}
	weigh4 = run.Stall{
		Site:    "Weigh House",
		Name:    "4",
		RatedKW: n(100),
		MaxA:    n(250),
		MinV:    n(200),
		MaxV:    n(920),
		Tariff:  weighTariff,
	}
	copse1 = run.Stall{Site: "Copse Lane Quarry", Name: "1", RatedKW: n(50), MaxA: n(125), MinV: n(200), MaxV: n(500)}
)

// entry is one run of the demo: a session and what the tester wrote beside it.
type entry struct {
	title     string
	startedAt string
	session   session
	pre       string
	preMin    float64
	weather   string
	claims    []run.Claim
	from, to  float64
}

func at(s string) time.Time {
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		panic("demo: " + err.Error())
	}
	return t
}

// both logs the car every two seconds with temperatures and the stall every five.
func both(s session) session {
	s.carEveryS, s.stallEveryS, s.socStep, s.temps = 2, 5, 0.1, true
	if s.handshakeS == 0 {
		s.handshakeS = 16
	}
	return s
}

var tamarackClaims = []run.Claim{
	{Kind: "window", FromPct: n(10), ToPct: n(80), Minutes: n(24)},
	{Kind: "peak", KW: n(195)},
}

var entries = []entry{
	{
		title:     "Cold soak, no preconditioning",
		startedAt: "2026-02-03T18:20:00Z",
		pre:       "none",
		weather:   "sleet",
		claims:    tamarackClaims,
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(tamarack, "2.4"),
				stall:    fulling3,
				startPct: 8.3,
				stopPct:  86,
				batteryC: 6,
				ambientC: 2,
				seed:     1,
			},
		),
	},
	{
		title:     "Same stall, preconditioned on the way",
		startedAt: "2026-02-05T18:05:00Z",
		pre:       "car",
		preMin:    32,
		weather:   "overcast",
		claims:    tamarackClaims,
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(tamarack, "2.4"),
				stall:    fulling3,
				startPct: 9.2,
				stopPct:  84,
				batteryC: 26,
				ambientC: 5,
				seed:     2,

				approachMin: 32, approachC: 8,
			},
		),
	},
	{
		title:     "Repeat, preconditioned",
		startedAt: "2026-02-12T18:40:00Z",
		pre:       "car",
		preMin:    30,
		weather:   "dry",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(tamarack, "2.4"),
				stall:    fulling3,
				startPct: 9.6,
				stopPct:  82,
				batteryC: 25.5,
				ambientC: 6,
				seed:     3,
			},
		),
	},
	{
		title:     "Second repeat, preconditioned",
		startedAt: "2026-02-19T19:10:00Z",
		pre:       "car",
		preMin:    34,
		weather:   "rain",
		from:      10,
		to:        80,
		session: both(
			session{
				car:         with(tamarack, "2.4"),
				stall:       fulling3,
				stallClockS: 3637, // its clock was still on the other time of the year
				startPct:    8.8,
				stopPct:     83,
				batteryC:    27,
				ambientC:    7,
				seed:        4,
			},
		),
	},
	{
		title:     "Before the update",
		startedAt: "2026-01-14T17:55:00Z",
		pre:       "car",
		preMin:    30,
		weather:   "fog",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      olderSoftware(),
				stall:    fulling1,
				startPct: 9.0,
				stopPct:  82,
				batteryC: 25,
				ambientC: 6,
				seed:     5,
			},
		),
	},
	{
		title:     "What the 150 kW cabinet gives it",
		startedAt: "2026-02-24T12:30:00Z",
		pre:       "driven",
		weather:   "sun",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(tamarack, "2.4"),
				stall:    tannery2,
				startPct: 9.1,
				stopPct:  83,
				batteryC: 24,
				ambientC: 9,
				seed:     6,
			},
		),
	},
	{
		title:     "Gentle profile",
		startedAt: "2026-03-02T17:45:00Z",
		pre:       "car",
		preMin:    30,
		weather:   "dry",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(tamarack, "2.4"),
				stall:    fulling3,
				startPct: 9.4,
				stopPct:  81,
				batteryC: 25,
				ambientC: 8,
				seed:     7,
				gentle:   true,
			},
		),
	},
	{
		title:     "Neighbour on the shared cabinet",
		startedAt: "2026-03-09T18:15:00Z",
		pre:       "car",
		preMin:    28,
		weather:   "dry",
		from:      10,
		to:        80,
		session: both(
			session{
				car:          with(tamarack, "2.4"),
				stall:        fulling4,
				startPct:     9.0,
				stopPct:      82,
				batteryC:     25,
				ambientC:     10,
				seed:         8,
				neighbourAtS: [2]float64{300, 690},
			},
		),
	},
	{title: "Whole curve, warm", startedAt: "2026-02-10T18:30:00Z", pre: "driven", weather: "dry", from: 0, to: 100,
		session: both(
			session{
				car:      with(osier, "1.9"),
				stall:    fulling1,
				startPct: 0,
				stopPct:  99.6,
				batteryC: 27,
				ambientC: 7,
				seed:     9,
			},
		)},
	{
		title:     "At the Weigh House, cliff at 80 %",
		startedAt: "2026-02-17T13:20:00Z",
		pre:       "driven",
		weather:   "drizzle",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(osier, "1.9"),
				stall:    weigh4,
				startPct: 7.8,
				stopPct:  88,
				batteryC: 24,
				ambientC: 8,
				seed:     10,
			},
		),
	},
	{
		title:     "Full power ends after five minutes; replugged at 45 %",
		startedAt: "2026-03-04T12:10:00Z",
		pre:       "driven",
		weather:   "dry",
		from:      10,
		to:        80,
		session: both(
			session{
				car:        with(osier, "1.9"),
				stall:      fulling1,
				startPct:   9.5,
				stopPct:    81,
				batteryC:   28,
				ambientC:   11,
				seed:       11,
				timerS:     300,
				timerShare: 0.62,
				pauseAtPct: 45,
				pauseS:     50,
			},
		),
	},
	{
		title:     "800 volts at a high-voltage stall",
		startedAt: "2026-02-26T18:00:00Z",
		pre:       "car",
		preMin:    25,
		weather:   "dry",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(rowan, "5.1"),
				stall:    fulling1,
				startPct: 8.6,
				stopPct:  82,
				batteryC: 25,
				ambientC: 6,
				seed:     12,
			},
		),
	},
	{
		title:     "800 volts at a 500 V cabinet",
		startedAt: "2026-02-27T18:10:00Z",
		pre:       "car",
		preMin:    25,
		weather:   "dry",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(rowan, "5.1"),
				stall:    tannery1,
				startPct: 8.9,
				stopPct:  82,
				batteryC: 25,
				ambientC: 5,
				seed:     13,
			},
		),
	},
	{
		title:     "Cold at the Weigh House, screen only",
		startedAt: "2026-01-28T08:15:00Z",
		pre:       "none",
		weather:   "frost",
		from:      10,
		to:        80,
		session: session{
			car:         with(rowan, "5.1"),
			stall:       weigh4,
			startPct:    6,
			stopPct:     81,
			batteryC:    7,
			ambientC:    -3,
			seed:        14,
			handshakeS:  25,
			stallEveryS: 10,
		},
	},
	{
		title:     "Iron phosphate after a night at 2 °C",
		startedAt: "2026-01-21T07:50:00Z",
		pre:       "none",
		weather:   "frost",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(larch, "3.0"),
				stall:    weigh2,
				startPct: 7,
				stopPct:  81,
				batteryC: 6,
				ambientC: 2,
				seed:     15,
			},
		),
	},
	{title: "Iron phosphate, warm", startedAt: "2026-03-11T15:30:00Z", pre: "charged", weather: "sun", from: 10, to: 80,
		session: both(
			session{
				car:      with(larch, "3.0"),
				stall:    weigh2,
				startPct: 8,
				stopPct:  82,
				batteryC: 25,
				ambientC: 13,
				seed:     16,
			},
		)},
	{
		title:     "170 A and no more: power climbs with voltage",
		startedAt: "2026-03-06T11:20:00Z",
		pre:       "driven",
		weather:   "dry",
		from:      10,
		to:        80,
		session: both(
			session{
				car:      with(alder, "4.2"),
				stall:    fulling1,
				startPct: 9,
				stopPct:  84,
				batteryC: 23,
				ambientC: 9,
				seed:     17,
			},
		),
	},
	{
		title:     "At the quarry's 50 kW stall, logger fell asleep",
		startedAt: "2026-03-13T10:05:00Z",
		pre:       "none",
		weather:   "rain",
		from:      10,
		to:        80,
		session: session{
			car:        with(alder, "4.2"),
			stall:      copse1,
			startPct:   9.2,
			stopPct:    80.5,
			batteryC:   16,
			ambientC:   8,
			seed:       18,
			handshakeS: 12,
			carEveryS:  3,
			socStep:    0.5,
			temps:      true,
			gap:        [2]float64{1510, 1985},
		},
	},
	{
		title:     "Book van on the morning round",
		startedAt: "2026-03-16T06:40:00Z",
		pre:       "none",
		weather:   "dry",
		from:      10,
		to:        80,
		session: session{
			car:         with(hornbeam, "1.2"),
			stall:       fulling1,
			startPct:    9,
			stopPct:     83,
			batteryC:    14,
			ambientC:    5,
			seed:        19,
			handshakeS:  20,
			carEveryS:   5,
			stallEveryS: 5,
			socStep:     1,
		},
	},
}

// olderSoftware is the Tamarack before its update: a lower and shorter plateau.
func olderSoftware() run.Car {
	c := with(tamarack, "2.3")
	c.Envelope = []run.Point{
		{SoCPct: 0, KW: 140},
		{SoCPct: 6, KW: 178},
		{SoCPct: 34, KW: 176},
		{SoCPct: 36, KW: 138},
		{SoCPct: 80, KW: 96},
		{SoCPct: 90, KW: 58},
		{SoCPct: 100, KW: 14},
	}
	return c
}

// typedNotes is a run that was read off the charger's screen: fourteen readings.
const typedNotes = `# Larch 52 at the quarry, read off the screen
0:00 plug-in
0:40 18% 31kW 17C
2:10 20% 42kW
5:30 25% 43kW 19C
8:55 30% 43kW
12:20 35% 44kW 21C
15:45 40% 44kW
22:35 50% 44kW 23C
26:00 55% 45kW
26:30 fans at full
29:25 60% 45kW 25C
32:50 65% 45kW
36:10 70% 46kW 26C
39:35 75% 46kW
43:20 80% 38kW 27C
45:30 82% 36kW
46:00 stop
46:40 unplug
`
