package chart

import (
	"math"

	"zincroad/core/curve"
	"zincroad/core/trace"
	"zincroad/logbook"
)

// Subject is one run to draw.
type Subject struct {
	Name    string
	Results *logbook.Results
	Reading *curve.Reading
	Behind  bool // one of many: drawn behind the others, without a name
}

// Column gives a channel of the subject's reduced curve with the time of each
// point from clock zero; nil where there is none. Power and energy are of the
// reading's side; what only the car or only the stall logs is taken from there.
func (s *Subject) Column(c trace.Channel) (t, v []float64) {
	t, v, _ = s.Of(c)
	return t, v
}

// Of is Column with the side whose reading it is.
func (s *Subject) Of(c trace.Channel) (t, v []float64, of trace.Side) {
	for _, side := range []trace.Side{s.Reading.Side, trace.CarSide, trace.StallSide} {
		red, ok := s.Results.Curves[side]
		if !ok {
			continue
		}
		v := []float64(red.Columns[c])
		if !anyValue(v) {
			continue
		}
		t := make([]float64, len(red.T))
		for i := range t {
			t[i] = red.T[i] - s.Reading.ZeroS
		}
		return t, v, side
	}
	return nil, nil, ""
}

func anyValue(v []float64) bool {
	for _, x := range v {
		if !math.IsNaN(x) {
			return true
		}
	}
	return false
}

// Against gives the axis' values at the times of a column, NaN where there is none.
func (s *Subject) Against(axis axisChoice, t []float64) []float64 {
	if axis.sincePct > 0 {
		return s.since(axis.sincePct, t)
	}
	if axis.Channel == "" {
		return t
	}
	if v := s.Values(axis.Channel, t); v != nil {
		return v
	}
	none := make([]float64, len(t))
	for i := range none {
		none[i] = math.NaN()
	}
	return none
}

// since gives times counted from when a charge was first reached, NaN before it and where it never was.
func (s *Subject) since(pct float64, t []float64) []float64 {
	var soc trace.Series
	at, v := s.Column(trace.SoC)
	for i := range at {
		if !math.IsNaN(v[i]) && at[i] >= -1 {
			soc.T, soc.V = append(soc.T, at[i]), append(soc.V, v[i])
		}
	}
	from := soc.FirstReachAll([]float64{pct})[0]
	out := make([]float64, len(t))
	for i := range t {
		if out[i] = t[i] - from; out[i] < 0 {
			out[i] = math.NaN()
		}
	}
	return out
}

// trimmed leaves out what lies before clock zero.
func trimmed(t, x, y []float64) ([]float64, []float64) {
	i := 0
	for i < len(t) && t[i] < -1 {
		i++
	}
	return x[i:], y[i:]
}

// Values gives a channel joined to the given times.
func (s *Subject) Values(c trace.Channel, t []float64) []float64 {
	at, v := s.Column(c)
	if at == nil {
		return nil
	}
	series := trace.Series{}
	for i := range at {
		if !math.IsNaN(v[i]) {
			series.T, series.V = append(series.T, at[i]), append(series.V, v[i])
		}
	}
	out := make([]float64, len(t))
	for i := range t {
		out[i] = math.NaN()
		if x, ok := series.At(t[i]); ok {
			out[i] = x
		}
	}
	return out
}
