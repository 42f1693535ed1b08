package trace

import (
	"math"
)

// oneWay is how much more must speak for one sign than for the other, as a share of all that speaks: a charge that the
// car sets down in the middle of a short run contradicts the rest, and does not tell (common practice, no source).
const oneWay = 0.5

// ChargesBelowZero tells whether amps or kW are written with charging below zero: they are mostly so while the state
// of charge rises, and above it while it falls, on the way to the stall. Where the charge does not tell, what flowed
// longest in one direction is the charging: a drive changes its sign with every hill. v and soc are as long as t; soc
// may be nil.
func ChargesBelowZero(t, v, soc []float64) bool {
	for _, x := range v {
		if x < 0 {
			if turned, sure := byCharge(v, soc); sure {
				return turned
			}
			return byLongestFlow(t, v)
		}
	}
	return false
}

// byCharge weighs each rise and fall of the charge by what flowed in it; sure is false where they contradict each
// other.
func byCharge(v, soc []float64) (turned, sure bool) {
	sum, all, last := 0.0, 0.0, math.NaN()
	for i, s := range soc {
		if s == last || math.IsNaN(s) || math.IsNaN(v[i]) {
			continue
		}
		if !math.IsNaN(last) {
			sum += v[i] * (s - last)
			all += math.Abs(v[i] * (s - last))
		}
		last = s
	}
	return sum < 0, all > 0 && math.Abs(sum) > oneWay*all
}

// byLongestFlow adds up the squares of what flowed between two changes of the sign, so that one long flow counts for
// more than the same in pieces.
func byLongestFlow(t, v []float64) bool {
	sum, flow, last := 0.0, 0.0, -1
	close := func() {
		sum += flow * math.Abs(flow)
		flow = 0
	}
	for i, x := range v {
		if math.IsNaN(x) {
			continue
		}
		if x*flow < 0 {
			close()
		}
		if last >= 0 && t[i] > t[last] {
			flow += x * (t[i] - t[last])
		}
		last = i
	}
	close()
	return sum < 0
}

// Upright gives the recording with amps and power above zero while the car charges, and the channels that were turned
// for it. Its columns are shared with r where nothing was.
func (r *Recording) Upright() (*Recording, []Channel) {
	var turned []Channel
	for _, c := range []Channel{Power, Current} {
		if col := r.Columns[c]; col != nil && ChargesBelowZero(r.T, col, r.Columns[SoC]) {
			turned = append(turned, c)
		}
	}
	if len(turned) == 0 {
		return r, nil
	}
	out := *r
	out.Columns = make(map[Channel][]float64, len(r.Columns))
	for c, col := range r.Columns {
		out.Columns[c] = col
	}
	for _, c := range turned {
		col := make([]float64, len(r.T))
		for i, v := range r.Columns[c] {
			col[i] = -v
		}
		out.Columns[c] = col
	}
	return &out, turned
}
