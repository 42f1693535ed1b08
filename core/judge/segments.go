package judge

import (
	"math"

	"zincroad/core/trace"
)

// Piece is a stretch of power along one straight line: the best description of the whole by such
// lines, where each costs what its numbers are worth.
type Piece struct {
	FromS, ToS    float64 // on the clock of the series
	FromKW, ToKW  float64 // of the line, at its ends
	SlopeKWPerMin float64
	Leap          float64 // logarithm of its first power over the last one before; 0: it goes on without one
}

// Pieces splits a stretch of flowing power into its pieces, in order of time; those of fewer than
// two readings are none.
func Pieces(power trace.Series) []Piece {
	if power.Len() < 2 {
		return nil
	}
	g := cellsOf(power, trace.MedianInterval(power.T))
	g.kwOnly = true
	g.amps, g.volts = g.kw, make([]float64, len(g.kw))
	g.noise(&SideLog{KW: power})
	list := g.pieces()
	g.sharpen(list, power)
	out := make([]Piece, len(list))
	for i := range list {
		p := &list[i]
		out[i] = Piece{FromS: p.fromS, ToS: p.toS, FromKW: p.line[0], ToKW: p.line[1], Leap: p.fall}
		if long := g.t[p.b-1] - g.t[p.a]; long > 0 {
			out[i].SlopeKWPerMin = (p.line[1] - p.line[0]) / long * 60
		}
	}
	return out
}

// Level tells whether a piece leans less than a share of its mean a minute.
func (p Piece) Level(share float64) bool {
	return math.Abs(p.SlopeKWPerMin) < share*math.Abs(p.FromKW+p.ToKW)/2
}
