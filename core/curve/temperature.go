package curve

import (
	"math"
	"sort"

	"zincroad/core/trace"
)

// temperatures gives the outside temperature at plug-in and the pack's at plug-in
// and at the end, each from a reading near to it: within the larger of 3 minutes
// and three intervals. The coldest cell counts before the pack's one value, where it
// was read near by.
func (s *sides) temperatures(plug float64) (ambient *float64, battery *Battery) {
	end := math.Inf(-1)
	for _, flows := range s.flows {
		for _, f := range flows {
			end = math.Max(end, f.lastS)
		}
	}
	for _, rec := range s.recordings {
		if ambient == nil {
			ambient, _ = nearTo(rec.Series(trace.AmbientTemp), plug)
		}
	}
	b := &Battery{}
	for _, c := range []trace.Channel{trace.BatteryTempMin, trace.BatteryTemp} {
		for _, rec := range s.recordings {
			series := rec.Series(c)
			start, first := nearTo(series, plug)
			last, at := nearTo(series, end)
			if first >= 0 && first == at { // one reading in a run of minutes speaks for the nearer end
				if math.Abs(series.T[at]-plug) <= math.Abs(series.T[at]-end) {
					last = nil
				} else {
					start = nil
				}
			}
			if b.StartC == nil && start != nil {
				b.StartC, b.Coldest = start, c == trace.BatteryTempMin
			}
			if b.EndC == nil && last != nil {
				b.EndC, b.EndColdest = last, c == trace.BatteryTempMin
			}
		}
	}
	if b.StartC == nil && b.EndC == nil {
		return ambient, nil
	}
	return ambient, b
}

// nearTo gives the reading nearest to a time and its index, nil and -1 where none is
// within the larger of 3 min and three intervals.
func nearTo(series trace.Series, t float64) (*float64, int) {
	n := series.Len()
	if n == 0 || math.IsInf(t, 0) {
		return nil, -1
	}
	i := sort.SearchFloat64s(series.T, t)
	if i == n || i > 0 && t-series.T[i-1] <= series.T[i]-t {
		i--
	}
	if by := math.Abs(series.T[i] - t); by > nearS && by > nearIntervals*trace.MedianInterval(series.T) {
		return nil, -1
	}
	return ptr(series.V[i]), i
}
