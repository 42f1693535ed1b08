package follow_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// replayed are sessions of which a forecast's own steps are read back as a live run.
var replayed = []struct {
	name   string
	change func(*forecast.Plan)
}{
	{"warm", nil},
	{"cold, 5 °C", func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: 5, WarmestC: 5}; p.AmbientC = 5 }},
	{"timer, 300 s", func(p *forecast.Plan) { p.Car.TimerS, p.Car.TimerSharePct = n(300), n(60) }},
	{"timer, 600 s", func(p *forecast.Plan) { p.Car.TimerS, p.Car.TimerSharePct = n(600), n(60) }},
	{"hot, 44 °C", func(p *forecast.Plan) { p.Battery = pack.Nodes{ColdestC: 43, WarmestC: 44}; p.AmbientC = 33 }},
	{"step at a charge", func(p *forecast.Plan) {
		p.Car.Envelope = []run.Point{{SoCPct: 0, KW: 150}, {SoCPct: 50, KW: 140}, {SoCPct: 50.5, KW: 80},
			{SoCPct: 80, KW: 70}, {SoCPct: 100, KW: 10}}
	}},
	{"converter", func(p *forecast.Plan) {
		p.Car.CellsInSeries, p.Car.ConverterKW = n(192), n(105)
		p.Stall = &run.Stall{RatedKW: n(150), MaxA: n(400), MaxV: n(500)}
	}},
	{"adapter", func(p *forecast.Plan) { p.Adapter = &run.Adapter{Name: "Bobbin", MaxA: n(250), MaxV: n(1000)} }},
}

// A run that goes exactly as forecast is expected to end when it does: from minute 3 on,
// in 95 of 100 moments, within 2 % of what is left and inside the range shown; read from
// both sides, from the stall alone with whole percents, or from the car alone.
func TestReplayOfOwnSteps(t *testing.T) {
	for _, c := range replayed {
		for _, sides := range []string{"both", "stall", "car"} {
			t.Run(c.name+", "+sides, func(t *testing.T) {
				t.Parallel()
				p := plan(c.change)
				base, err := forecast.Of(p, forecast.DefaultUncertainty)
				require.NoError(t, err)
				end, ok := base.Post(80)
				require.True(t, ok)
				good, within, all, worst := 0, 0, 0, 0.0
				for at := 180; at < int(end.TS)-5; at += 35 {
					s := follow.Of(read(t, base, sides, at), p, base, 60+float64(at))
					all++
					if s.End == nil {
						continue
					}
					left := end.TS - float64(at)
					by := math.Abs(s.End.TS - end.TS)
					worst = math.Max(worst, by)
					if by <= 0.02*left+1 { // a second for the rounding of times
						good++
					}
					if s.End.LowS-1 <= end.TS && end.TS <= s.End.HighS+1 {
						within++
					}
				}
				t.Logf("%-20s %-6s %d moments: within 2 %% in %3.0f %%, in range %3.0f %%, farthest %4.0f s", c.name, sides, all,
					100*float64(good)/float64(all), 100*float64(within)/float64(all), worst)
				assert.GreaterOrEqual(t, float64(good), 0.95*float64(all))
				assert.GreaterOrEqual(t, float64(within), 0.95*float64(all))
			})
		}
	}
}

// read is what some sources have of a forecast's session after some seconds, every 5 s
// and plugged in 60 s after the run's start.
func read(t *testing.T, f *forecast.Forecast, sides string, seconds int) *run.Run {
	t.Helper()
	stall := &trace.Recording{Name: "stall.csv", Side: trace.StallSide, Columns: map[trace.Channel][]float64{}}
	car := &trace.Recording{Name: "car.csv", Side: trace.CarSide, Columns: map[trace.Channel][]float64{}}
	put := func(r *trace.Recording, c trace.Channel, v float64) { r.Columns[c] = append(r.Columns[c], v) }
	for i := 0; i <= seconds && i < len(f.Steps); i += 5 {
		st := f.Steps[i]
		stall.T, car.T = append(stall.T, 60+st.T), append(car.T, 60+st.T)
		put(stall, trace.Power, math.Round(st.StallKW*10)/10)
		put(stall, trace.SoC, math.Floor(st.SoCPct))
		put(stall, trace.BatteryTempMin, st.Battery.Ordered().ColdestC)
		put(car, trace.SoC, math.Floor(st.SoCPct*10)/10)
		put(car, trace.Current, st.Amps)
		put(car, trace.Voltage, st.PackV)
		put(car, trace.BatteryTempMin, st.Battery.Ordered().ColdestC)
		put(car, trace.BatteryTempMax, st.Battery.Ordered().WarmestC)
	}
	r := &run.Run{Marks: []run.Mark{{TS: 60, Kind: run.PlugIn}}}
	if sides != "stall" {
		delete(stall.Columns, trace.BatteryTempMin)
		r.Recordings = append(r.Recordings, car)
	}
	if sides != "car" {
		r.Recordings = append(r.Recordings, stall)
	}
	return r
}

// Amps flat at 200, one typed line a minute, a pack of 12 °C: the adapter, or a current
// limit of which nobody noted whose, and not surely the cold, whose power would climb.
func TestFlatAmpsOfTypedLinesAreNotTheCold(t *testing.T) {
	typed := func(every float64, lines int, adapter *run.Adapter) *follow.Holding {
		r := &run.Run{Marks: []run.Mark{{TS: 0, Kind: run.PlugIn}}}
		rec := &trace.Recording{Name: "typed", Side: trace.StallSide, Columns: map[trace.Channel][]float64{}}
		for i := range lines {
			at := 200 + every*float64(i)
			volts := 352 + 0.02*every*float64(i)
			rec.T = append(rec.T, at)
			for c, v := range map[trace.Channel]float64{trace.SoC: 20 + math.Floor(float64(i)*every/60*1.6),
				trace.Current: 200, trace.Voltage: math.Round(volts),
				trace.Power: math.Round(volts * 0.2), trace.BatteryTempMin: 12} {
				rec.Columns[c] = append(rec.Columns[c], v)
			}
		}
		r.Recordings = []*trace.Recording{rec}
		p := plan(func(p *forecast.Plan) { p.Adapter = adapter })
		return follow.Of(r, p, nil, rec.T[len(rec.T)-1]+1).Holding
	}
	for _, lines := range []int{3, 5, 8} {
		h := typed(60, lines, nil)
		require.NotNil(t, h)
		assert.False(t, h.Cause == limit.Cold && h.Sure(), "%d lines: %s", lines, h.Reason)
		h = typed(60, lines, &run.Adapter{MaxA: n(200), MaxV: n(1000)})
		assert.Equal(t, limit.AdapterCurrent, h.Cause, "%d lines", lines)
		assert.True(t, h.Confidence != say.Unsure || lines == 3, "%d lines: %s", lines, h.Reason)
	}
	h := typed(1, 90, &run.Adapter{MaxA: n(200), MaxV: n(1000)})
	assert.Equal(t, limit.AdapterCurrent, h.Cause)
}
