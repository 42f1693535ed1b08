package judge

import (
	"math"
	"slices"

	"zincroad/core/trace"
)

// How long a leap may take, and how large the change must be as a share: contactors, modules and cars go from one
// level to another within half a minute, and 4.5 % is several times the wobble of an ordinary log.
const (
	suddenS     = 30.0
	suddenShare = 0.045
)

// turned splits pieces where what holds the power may change although it runs on along one line: where the coldest
// cell comes up to the temperature from which the pack is warm, where the warmest passes the one from which it is led
// back, as far as these are noted, and where the power bends away from the pack's own taper or comes back to it. A pack
// that warms, or grows hot, takes another share of its taper little by little; and where the taper falls, its power may
// be as straight as ever.
func (g *grid) turned(list []piece, k *known) []piece {
	over := func(col []float64, limit float64) func(i int) bool {
		return func(i int) bool {
			return col[i-1] < limit && col[i] >= limit || col[i-1] >= limit && col[i] < limit
		}
	}
	cold, hot := over(g.coldest, k.warmC), over(g.warmest, k.hotC)
	warms := func(p piece) piece {
		p.warms = p.before && k.warmKnown && cold(p.a) && g.coldest[p.a] >= k.warmC
		return p
	}
	var out []piece
	for _, p := range list {
		bends := g.bendsAway(p, k)
		last := p.a
		for i := p.a + 1; i < p.b; i++ {
			turns := k.warmKnown && cold(i) || hot(i) || slices.Contains(bends, i)
			within := g.from[i] > p.fromS && g.from[i] < p.toS // its ends may be settled some cells away
			if turns && within && i-last > leastCells && p.b-i > leastCells {
				out = append(out, warms(g.part(p, last, i)))
				last = i
			}
		}
		out = append(out, warms(g.part(p, last, p.b)))
	}
	return out
}

// followsNear is how near to its taper, as a share, a pack is most of the time that follows it at all.
const followsNear = 0.1

// bendsAway lists the cells of a piece at which its share of the pack's own taper begins to run along another line.
func (g *grid) bendsAway(p piece, k *known) []int {
	if k.taper == nil || !k.given || g.typed || p.top || p.b-p.a <= 2*leastCells {
		return nil
	}
	s := newSums(g, p.a, p.b)
	if level := min(p.misfit[levelAmps], p.misfit[levelKW]); level <= p.misfit[straight]+s.half {
		return nil // a level outside the pack does not bend with the taper
	}
	h := *g
	h.kw = make([]float64, len(g.kw))
	near := 0
	for i := p.a; i < p.b; i++ {
		share := g.packKW[i] / k.taper.KW(g.soc[i])
		if math.IsNaN(share) || math.IsInf(share, 0) { // an envelope may end at nothing
			return nil
		}
		if h.kw[i] = share * g.kw[p.a]; share > 1-followsNear && share < 1+followsNear {
			near++
		}
	}
	if near < (p.b-p.a)/2 {
		return nil
	}
	h.amps, h.relAmps = h.kw, h.relKW
	s = newSums(&h, p.a, p.b)
	s.kwOnly = true
	cuts := s.split()
	for i := range cuts {
		cuts[i] += p.a
	}
	return cuts[:len(cuts)-1]
}

// leans is how fast a piece's power moves by itself, kW a second; one of a few cells is no more
// than the way from one level to another.
func (g *grid) leans(p *piece) float64 {
	long := g.t[p.b-1] - g.t[p.a]
	if long < suddenS && !g.typed {
		return 0
	}
	return math.Abs(p.line[1]-p.line[0]) / max(1, long)
}

// crossing is where the lines of two neighbours meet, if that is near to their change point: within half of the
// shorter one and a minute. Lines that are nearly parallel meet anywhere, and say nothing.
func (g *grid) crossing(q, p *piece) (float64, bool) {
	longQ, longP := g.t[q.b-1]-g.t[q.a], g.t[p.b-1]-g.t[p.a]
	if longQ <= 0 || longP <= 0 {
		return 0, false
	}
	sq, sp := (q.line[1]-q.line[0])/longQ, (p.line[1]-p.line[0])/longP
	if math.Abs(sq-sp) < 1e-9 {
		return 0, false
	}
	at := g.t[q.b-1] + (p.line[0]-sp*(g.t[p.a]-g.t[q.b-1])-q.line[1])/(sq-sp)
	reach := min(60, longQ/2, longP/2)
	if math.Abs(at-g.from[p.a]) > reach {
		return 0, false
	}
	return at, true
}

// sharpen settles the first instant of each leap by the readings themselves: behind the last one
// that still lies at the level before. The new cause begins with the first instant of the fall, not with its end: the
// first reading that has moved by 2 % and four times the wobble (but no more than two fifths of the leap), if two
// readings on it has moved by half of it. Where readings are further apart than 3 s, the middle between the two.
func (g *grid) sharpen(list []piece, power trace.Series) {
	for i := 1; i < len(list); i++ {
		p, q := &list[i], &list[i-1]
		if p.fall == 0 || g.typed {
			continue
		}
		before := q.line[1]
		from, to := g.t[q.b-1]-2*cellS, g.t[p.a]+suddenS
		j, _ := slices.BinarySearch(power.T, from)
		last := -1
		for ; j < power.Len() && power.T[j] <= to; j++ {
			moved := math.Log(max(0.5, power.V[j]) / max(0.5, before))
			if moved*p.fall > 0 && math.Abs(moved) >= min(0.02+4*g.relKW, 0.4*math.Abs(p.fall)) {
				if k := min(j+2, power.Len()-1); math.Abs(
					math.Log(max(0.5, power.V[k])/max(0.5, before)),
				) >= 0.5*math.Abs(
					p.fall,
				) ||
					math.Abs(moved) >= 0.5*math.Abs(p.fall) {
					last = j
					break
				}
			}
		}
		if last > 0 {
			at := power.T[last]
			if power.T[last]-power.T[last-1] > 3 {
				at = (power.T[last] + power.T[last-1]) / 2
			}
			at = max(at, q.fromS) // the reading before may be one without power
			p.fellS, p.fromS, q.toS = at, at, at
		}
	}
}
