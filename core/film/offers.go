package film

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/trace"
)

// offer is a value that a figure may have said.
type offer struct {
	value float64
	log   float64 // of how likely the picture makes it
	step  float64 // by which it can change on that screen
	seen  bool    // it is what the picture says to the letter
}

// heard is what one figure may have said at one look; the first offer is what the picture alone would have.
type heard struct {
	ts     float64
	text   string
	offers []offer
	how    How // where somebody settled it
}

const (
	// floor is how likely a digit is at least to be another one that looks like it: networks are surer than they are
	// right, on screens that they never saw.
	floor = 0.001
	// lostPoint is how often the point of a figure that has one is not seen.
	lostPoint = 0.05
	// worth is how likely an offer has to be to be considered, against all of its picture.
	worth = 1e-4
	// mostSigns is how long a figure can be.
	mostSigns = 8
)

// likenesses are the digits that a poor picture turns into each other.
var likenesses = [10][]int{{6, 8}, {7}, {}, {8}, {}, {6}, {0, 8, 5}, {1}, {0, 6, 3, 9}, {8}}

// hear gives what a figure may have said at every look.
func hear(c trace.Channel, looks []Look, k int) []heard {
	out := make([]heard, len(looks))
	behind := map[int]int{} // looks by how many digits stand behind the point
	for i, l := range looks {
		out[i].ts = l.TS
		if k < len(l.Seen) && len(l.Seen[k]) > 0 {
			out[i].text = text(l.Seen[k])
			behind[decimals(out[i].text)]++
		}
	}
	usual, most := 0, 0
	for d, n := range behind {
		if n > most || n == most && d < usual {
			usual, most = d, n
		}
	}
	colons, all := 0, 0
	for _, h := range out {
		if h.text != "" {
			all++
			colons += strings.Count(h.text, ":")
		}
	}
	for i, l := range looks {
		if out[i].text != "" {
			out[i].offers = offersOf(c, l.Seen[k], usual, 2*colons > all)
		}
	}
	return out
}

// text is a figure as the likeliest of each sign has it.
func text(signs []Sign) string {
	var b strings.Builder
	for _, s := range signs {
		if s.Mark != 0 {
			b.WriteByte(s.Mark)
		} else if len(s.Digit) > 0 {
			b.WriteByte('0' + byte(s.Digit[0].Digit))
		}
	}
	return b.String()
}

func decimals(text string) int {
	if i := strings.IndexByte(text, '.'); i >= 0 {
		return len(text) - i - 1
	}
	return 0
}

// offersOf gives the values that the signs may stand for, what they say literally first.
func offersOf(c trace.Channel, signs []Sign, usual int, clock bool) []offer {
	if len(signs) > mostSigns {
		return nil
	}
	type way struct {
		digits string
		log    float64
	}
	ways := []way{{"", 0}}
	for _, s := range signs {
		var next []way
		if s.Mark != 0 {
			for _, w := range ways {
				next = append(next, way{w.digits + string(s.Mark), w.log})
			}
			ways = next
			continue
		}
		shares := map[int]float64{}
		for _, d := range s.Digit {
			if d.Digit >= 0 && d.Digit <= 9 {
				shares[d.Digit] = math.Max(d.Share, floor)
			}
		}
		if len(s.Digit) == 0 {
			return nil
		}
		for _, d := range likenesses[s.Digit[0].Digit] {
			shares[d] = math.Max(shares[d], floor)
		}
		for _, w := range ways {
			for d := range 10 {
				if p := shares[d]; p > 0 {
					next = append(next, way{w.digits + string(rune('0'+d)), w.log + math.Log(p)})
				}
			}
		}
		slices.SortStableFunc(next, func(a, b way) int {
			switch {
			case a.log > b.log:
				return -1
			case a.log < b.log:
				return 1
			}
			return 0
		})
		ways = next[:min(len(next), 12)]
	}
	var out []offer
	literal := text(signs)
	for _, w := range ways {
		value, ok := valueOf(c, w.digits)
		behind := decimals(w.digits)
		log := w.log
		if n := len(w.digits); c == Minutes && clock && n > 2 && !strings.Contains(w.digits, ":") {
			if v, good := valueOf(c, w.digits[:n-2]+":"+w.digits[n-2:]); good {
				out = append(out, offer{v, log + math.Log(lostPoint), 1.0 / 60, false})
			}
			continue // such a screen has a colon always
		}
		if behind == 0 && usual > 0 && c != Minutes {
			if v, good := valueOf(c, pointed(w.digits, usual)); good {
				out = append(out, offer{v, log + math.Log(lostPoint), math.Pow(10, float64(-usual)), false})
			}
			log += math.Log(1 - lostPoint)
		}
		if ok {
			o := offer{value, log, stepOf(c, w.digits, behind), w.digits == literal}
			if o.seen {
				out = slices.Insert(out, 0, o)
			} else {
				out = append(out, o)
			}
		}
	}
	if len(out) == 0 {
		return nil
	}
	sum := 0.0
	for _, o := range out {
		sum += math.Exp(o.log)
	}
	kept := out[:0]
	for i, o := range out {
		o.log -= math.Log(sum)
		if i == 0 || o.log > math.Log(worth) {
			kept = append(kept, o)
		}
	}
	return kept
}

// pointed puts the point where it usually stands.
func pointed(digits string, behind int) string {
	if len(digits) <= behind {
		return "0." + strings.Repeat("0", behind-len(digits)) + digits
	}
	return digits[:len(digits)-behind] + "." + digits[len(digits)-behind:]
}

// stepOf is by how much a figure changes that is written so.
func stepOf(c trace.Channel, digits string, behind int) float64 {
	if c == Minutes && strings.Contains(digits, ":") {
		return 1.0 / 60
	}
	return math.Pow(10, float64(-behind))
}

// valueOf reads a figure; false where it cannot be one of its channel.
func valueOf(c trace.Channel, digits string) (float64, bool) {
	if c == Minutes {
		minutes, seconds, clock := strings.Cut(digits, ":")
		m, ok := number(minutes)
		if !clock {
			return m, ok && m <= 600
		}
		s, err := strconv.ParseUint(seconds, 10, 8)
		return m + float64(s)/60, ok && err == nil && len(seconds) == 2 && s < 60 && m <= 600
	}
	v, ok := number(digits)
	in, known := trace.Describe(c)
	return v, ok && known && v >= in.Min && v <= in.Max
}

// number reads digits with at most one point between them.
func number(digits string) (float64, bool) {
	whole, part, point := strings.Cut(digits, ".")
	if whole == "" || point && part == "" || len(whole) > 1 && whole[0] == '0' {
		return 0, false
	}
	v, scale := 0.0, 1.0
	for _, c := range whole + part {
		if c < '0' || c > '9' {
			return 0, false
		}
		v = 10*v + float64(c-'0')
	}
	for range part {
		scale *= 10
	}
	return v / scale, true
}

// settle puts what somebody answered in the place of what was seen.
func settle(said []heard, a Answer) {
	for i := max(0, a.From); i <= a.To && i < len(said); i++ {
		if said[i].text == "" {
			continue
		}
		if math.IsNaN(a.Value) {
			said[i].offers, said[i].how = nil, LeftOut
			continue
		}
		step := 1.0
		if len(said[i].offers) > 0 {
			step = said[i].offers[0].step
		}
		said[i].offers, said[i].how = []offer{{a.Value, 0, step, true}}, Settled
	}
}
