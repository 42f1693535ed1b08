package school

import (
	"fmt"
	"math"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/web/draw"
)

// lesson is two minutes of reading beside a picture or two.
type lesson struct {
	Key, Title string
	Text       []string
	Pictures   []picture
}

type picture struct{ Caption, SVG string }

var n = run.N

// sycamore and hazel are the car and the one of twice its volts that all lessons charge; mill is a strong stall.
var (
	sycamore = run.Car{Name: "Sycamore 70", Chemistry: "NMC", UsableKWh: n(70), CellsInSeries: n(96), MaxKW: n(180),
		MaxA: n(500), BatteryMassKg: n(440), HeaterKW: n(4), WarmC: n(25), ConsumptionWhKm: n(175),
		Envelope: []run.Point{{SoCPct: 0, KW: 150}, {SoCPct: 5, KW: 178}, {SoCPct: 40, KW: 174}, {SoCPct: 60, KW: 120},
			{SoCPct: 80, KW: 84}, {SoCPct: 90, KW: 48}, {SoCPct: 100, KW: 12}}}
	mill = run.Stall{Site: "Fulling Mill", Name: "1", RatedKW: n(300), MaxA: n(500), MaxV: n(1000)}
)

// charged is a session of the lessons' car, from 10 to 80 % with a warm pack at the strong stall, but for what changes.
func charged(change func(*forecast.Plan)) (*forecast.Forecast, error) {
	car, st := sycamore, mill
	plan := forecast.Plan{Car: &car, Stall: &st, FromPct: 10, ToPct: 80, AmbientC: 15,
		Battery: pack.Nodes{ColdestC: 27, WarmestC: 29}}
	change(&plan)
	f, err := forecast.Once(plan)
	if err != nil {
		return nil, fmt.Errorf("drawing a lesson: %w", err)
	}
	return f, nil
}

// took is what 10 to 80 % took.
func took(f *forecast.Forecast) float64 {
	if w, ok := f.Window(10, 80); ok {
		return w.TS
	}
	return math.NaN()
}

// drawn puts sessions under each other, on one axis of time and of power.
func drawn(captions []string, list ...*forecast.Forecast) []picture {
	end, top := 0.0, 0.0
	for _, f := range list {
		end, top = math.Max(end, f.Steps[len(f.Steps)-1].T), math.Max(top, f.Peak.KW)
	}
	var out []picture
	for i, f := range list {
		d := draw.Strip{Title: captions[i] + ": power against time", FromPct: 10, ToPct: 80, ToS: end, TopKW: 1.1 * top,
			Width: 760, RoadH: 74}
		last := len(f.Steps) - 2 // the one behind it is unplugged
		for k, st := range f.Steps[:last+1] {
			if k%5 == 0 || k == last {
				d.T, d.KW = append(d.T, st.T), append(d.KW, st.StallKW)
			}
		}
		for _, p := range f.Posts {
			d.Posts = append(d.Posts, curve.Post{SoCPct: p.SoCPct, TS: p.TS})
		}
		for _, h := range f.Ceilings {
			d.Held = append(d.Held, draw.Stretch(h))
		}
		out = append(out, picture{captions[i] + ": 10–80 % in " + words.Clock(math.Round(took(f))), d.Large()})
	}
	return out
}

// lessons are the ten, in the order in which one builds on the other.
func lessons() ([]lesson, error) {
	sessions := map[string]*forecast.Forecast{}
	for key, change := range map[string]func(*forecast.Plan){
		"warm": func(*forecast.Plan) {},
		"slow start": func(p *forecast.Plan) {
			p.HandshakeS, p.RampS = 75, 60
		},
		"few amps": func(p *forecast.Plan) { p.Stall.MaxA = n(200) },
		"cold": func(p *forecast.Plan) {
			p.AmbientC, p.Battery = 0, pack.Nodes{ColdestC: 3, WarmestC: 4}
		},
		"neighbour": func(p *forecast.Plan) {
			p.Stall.SharedKW, p.NeighbourOnS, p.NeighbourS = n(200), 240, 420
		},
		"hot cable": func(p *forecast.Plan) { p.DerateS, p.DerateShare = 300, 0.55 },
		"small":     func(p *forecast.Plan) { p.Stall.RatedKW = n(100) },
	} {
		f, err := charged(change)
		if err != nil {
			return nil, err
		}
		sessions[key] = f
	}
	of := func(keys ...string) (list []*forecast.Forecast) {
		for _, k := range keys {
			list = append(list, sessions[k])
		}
		return list
	}
	minutes := func(key string) string { return words.Duration(math.Round(took(sessions[key]))) }
	later := func(key string) string {
		return words.Duration(math.Round(took(sessions[key]) - took(sessions["warm"])))
	}
	warm, small := sessions["warm"], sessions["small"]
	average := warm.Energy.StallKWh / warm.Steps[len(warm.Steps)-1].T * 3600
	return []lesson{
		{"strip", "A charge is a road", []string{
			"Time runs to the right, the power is the road's height, and a post stands wherever the charge reached " +
				"a round value. Posts close together are fast; far apart, slow.",
			"The band below says what held the power down, by letter and hatch. There is always something: the " +
				"question is whose it is, the car's or the stall's.",
		}, drawn([]string{"Warm pack, strong stall"}, warm)},
		{"envelope", "The pack has a curve of its own", []string{
			"Nearly empty and warm, a pack takes all it ever will; the fuller it is, the less it takes. That is " +
				"its taper, and no stall makes it faster. Here it governs nearly all the way.",
			fmt.Sprintf("So the peak says little: this car peaks at %s kW and averages %s kW from 10 to 80 %%. "+
				"Compare minutes, "+
				"not peaks.", words.Figure(warm.Peak.KW, 0), words.Figure(average, 0)),
		}, nil},
		{"clocks", "Two clocks: plug-in and first power", []string{
			"Between plugging in and the first kW lie payment, handshake and tests of the cable, then a ramp. From " +
				"plug-in is what a driver waits; from first power is what the pack did. Say which one you mean, and " +
				"compare like with like.",
			fmt.Sprintf("The same pack at a stall that takes its time: %s more for the driver, and nothing of it "+
				"is the pack's.",
				later("slow start")),
		}, drawn([]string{"A stall that takes its time"}, sessions["slow start"])},
		{"amps", "Power is volts times amps", []string{
			"Every stall and cable has a limit in amps. A pack's volts rise as it fills, so at an amps limit the " +
				"power climbs slowly while the amps stand still. A flat power with falling amps is a limit in kW.",
			"That is why volts and amps are worth noting: kW alone do not tell the two apart. A car with a 400 V " +
				"pack gets half the power of an 800 V one from the same cable.",
		}, drawn([]string{"A stall of 200 A"}, sessions["few amps"])},
		{"cold", "Cold is the largest thief", []string{
			"A cold pack lets little in until it is warm, and charging warms it slowly. The power rises while the " +
				"charge does: that is the sign. Below a few degrees a car may take many minutes to reach its own " +
				"curve.",
			fmt.Sprintf("Warmed on the way, this car takes %s; straight from a night of frost, %s longer. Note "+
				"the coldest "+
				"cell at plug-in: without it nobody can say what cold took.", minutes("warm"), later("cold")),
		}, drawn([]string{"Warmed on the way", "After a cold night"}, of("warm", "cold")...)},
		{"neighbour", "A cabinet may be shared", []string{
			"Two stalls often share one cabinet. When a neighbour plugs in, the power falls at once to a share, " +
				"and comes back when it leaves. The sudden fall and the return tell it from a taper.",
			fmt.Sprintf("Look around and mark it when it happens: here it cost %s. A run that met a neighbour is "+
				"no repeat of "+
				"one that did not.", later("neighbour")),
		}, drawn([]string{"A neighbour for seven minutes"}, sessions["neighbour"])},
		{"steps", "A step: the cable, a timer, or the charge?", []string{
			"A fall that stays has three usual parents. A hot cable or connector: the stall offers fewer amps, and " +
				"it is the same with another car. A timer in the car: it falls as many minutes after each plug-in, " +
				"and a replug brings it back. A step in the car's curve: it falls at the same charge each time.",
			"One run seldom tells which. Try another stall, replug once, or come in with another charge: one " +
				"change at a time. Until then \"cannot be told\" is the right answer.",
		}, drawn([]string{"The cable gets warm after five minutes"}, sessions["hot cable"])},
		{"fair", "A fair comparison changes one thing", []string{
			"Software, stall, cold, starting charge, profile, climate, neighbour: change one, keep the rest. Two " +
				"runs that differ in two things tell you about neither.",
			"Like runs differ by a few per cent by themselves. Two runs can show a large difference; a small one " +
				"needs three and more of each. The bench says how large the difference is, how sure, and what else " +
				"could have made it.",
		}, nil},
		{"claims", "Read a claim with its small print", []string{
			"\"10 to 80 % in 24 minutes\" is with a warm pack, at a stall that is strong enough, from first power " +
				"as a rule. \"Up to 300 kW\" is what the stall can give to a car that takes it, with nobody beside.",
			fmt.Sprintf("The same car at a stall marked 100 kW: %s instead of %s. Hold a claim against a run "+
				"that met its "+
				"conditions, or say which ones were not met.", minutes("small"), minutes("warm")),
		}, drawn([]string{"A stall of 100 kW"}, small)},
		{"money", "What it costs, and per what", []string{
			fmt.Sprintf("You pay for what leaves the stall: %s kWh here, of which %s went into the pack; the "+
				"rest is lost as "+
				"heat or drawn by pumps and heater. Where the minute is charged for, a slow car or a cold pack pays "+
				"more "+
				"for the same charge.", words.Figure(warm.Energy.StallKWh, 1), words.Figure(warm.Energy.CarKWh, 1)),
			"Write down the total, the kWh on the screen and the tariff on the day: the price a kWh follows from " +
				"the three, and nobody remembers it a month later.",
		}, nil},
	}, nil
}
