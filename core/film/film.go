// Package film makes readings of what was read off the pictures of a screen: of each look at it, what every figure in
// it may have said and how likely each is by the picture alone. A picture alone is not to be trusted: an 8 passes for
// a 6, a point gets lost, a reflection is taken for a 1. But a screen tells one story: charge, energy and minutes
// only rise, and no faster than a stall can make them; power, amps and volts go from one look to the next mostly by
// little, and power is amps by volts. Sift weighs all stories that the looks can tell, and keeps what nearly all of
// the likely ones agree on. What they do not agree on is asked, or left out: a gap does no harm.
package film

import (
	"math"

	"zincroad/core/trace"
)

// Minutes is the time that a screen itself counts, in minutes; it is no channel of a recording, but says how the clip
// runs.
const Minutes trace.Channel = "minutes"

// Figures are what can be read off a screen, with how fast each changes.
var Figures = []trace.Channel{trace.SoC, trace.Power, trace.Current, trace.Voltage, trace.Energy, Minutes,
	trace.BatteryTemp}

// Figure is one figure of the screen.
type Figure struct {
	Channel trace.Channel
}

// Look is one picture of the clip.
type Look struct {
	TS float64 // of the run's clock, in seconds; looks are in its order
	// Seen are the signs of each figure, in the order of the figures; none where nothing could be made out.
	Seen [][]Sign
}

// Sign is one character of a figure.
type Sign struct {
	Mark  byte // '.' or ':'; 0: a digit
	Digit []Digit
}

// Digit is what a sign may be.
type Digit struct {
	Digit int
	Share float64 // how likely it is by its picture, 0 to 1
}

// How a reading came about.
type How string

// What becomes of what was seen.
const (
	Nothing  How = ""         // nothing was to be seen
	Kept     How = "kept"     // as it was seen
	Mended   How = "mended"   // otherwise than it was seen: the only way in which the story goes on
	Doubtful How = "doubtful" // two or more ways would do
	LeftOut  How = "left out" // none would
	Settled  How = "settled"  // by somebody who looked
)

// Reading is what a figure said at a look.
type Reading struct {
	Value float64 // NaN where there is none
	How   How
	Sure  float64 // how much of what the looks may tell agrees with the value, 0 to 1
	Said  string  // as the picture alone would have it
	Maybe []float64
}

// Counts tells whether the value may be used.
func (r Reading) Counts() bool { return r.How == Kept || r.How == Mended || r.How == Settled }

// Answer settles what a figure said, from one look to another, both included.
type Answer struct {
	Figure   int
	From, To int
	Value    float64 // NaN: it could not be read
}

// sureEnough is how much of all stories has to agree on a reading before it is kept unseen: that of a thousand
// readings fewer than one is wrong takes more than 0.999 of the doubtful ones only, and those are few.
const sureEnough = 0.99

// Sift reads the looks: for each look a reading of each figure.
func Sift(figures []Figure, looks []Look, answers []Answer) [][]Reading {
	out := make([][]Reading, len(looks))
	for i := range out {
		out[i] = make([]Reading, len(figures))
		for k := range out[i] {
			out[i][k] = Reading{Value: math.NaN()}
		}
	}
	said := make([][]heard, len(figures))
	for k := range figures {
		said[k] = hear(figures[k].Channel, looks, k)
		for _, a := range answers {
			if a.Figure == k {
				settle(said[k], a)
			}
		}
	}
	for k := range figures {
		tell(figures, k, said, out)
	}
	joined := join(figures, said, out)
	for k := range figures {
		if joined[k] {
			tell(figures, k, said, out)
		}
	}
	return out
}

// tell reads one figure at all looks.
func tell(figures []Figure, k int, said [][]heard, out [][]Reading) {
	c := &chain{goes: courseOf(figures, k, out), span: span(figures[k].Channel)}
	stays := alike(said[k])
	for _, s := range stays {
		c.from, c.to = append(c.from, said[k][s.from].ts), append(c.to, said[k][s.to].ts)
		c.offers = append(c.offers, s.offers(said[k]))
		c.long = append(c.long, s.looks(said[k]))
	}
	shares := c.shares()
	for i, h := range said[k] {
		out[i][k] = Reading{Value: math.NaN(), How: h.how, Said: h.text}
	}
	for n, s := range stays {
		h := said[k][s.from]
		h.offers = c.offers[n]
		r := h.reading(shares[n])
		for i := s.from; i <= s.to; i++ {
			if said[k][i].text != "" {
				out[i][k] = r
			}
		}
	}
}

// stay is looks in a row at which a figure said the same. What made one of them wrong made all of them wrong, so that
// they are one witness and not many, though what is wrong seldom stays as long as what is right.
type stay struct{ from, to int }

// alike gives the stays of a figure; looks at which it could not be seen belong to what is said on both sides of
// them.
func alike(said []heard) (out []stay) {
	for i, h := range said {
		if len(h.offers) == 0 {
			continue
		}
		if n := len(out); n > 0 && said[out[n-1].to].text == h.text && said[out[n-1].to].how == h.how &&
			said[out[n-1].to].offers[0].value == h.offers[0].value {
			out[n-1].to = i
			continue
		}
		out = append(out, stay{i, i})
	}
	return out
}

// looks is how many looks of a stay saw something.
func (s stay) looks(said []heard) (n float64) {
	for _, h := range said[s.from : s.to+1] {
		if len(h.offers) > 0 {
			n++
		}
	}
	return n
}

// offers are those of a stay's looks, each as likely as it is on the average of them.
func (s stay) offers(said []heard) []offer {
	var out []offer
	looks := 0.0
	count := map[float64]float64{}
	at := map[float64]int{}
	for _, h := range said[s.from : s.to+1] {
		if len(h.offers) == 0 {
			continue
		}
		looks++
		for _, o := range h.offers {
			if _, ok := at[o.value]; !ok {
				at[o.value] = len(out)
				out = append(out, offer{o.value, 0, o.step, false})
			}
			out[at[o.value]].seen = out[at[o.value]].seen || o.seen
			out[at[o.value]].log += o.log
			count[o.value]++
		}
	}
	for i, o := range out {
		out[i].log = (o.log + (looks-count[o.value])*math.Log(worth)) / looks
	}
	return out
}

// reading is what comes of a look, where shares are how much of all stories goes through each offer.
func (h heard) reading(shares []float64) Reading {
	r := Reading{Value: math.NaN(), How: LeftOut, Said: h.text}
	best := 0
	for j := range shares {
		if shares[j] > shares[best] {
			best = j
		}
		if shares[j] > maybe {
			r.Maybe = append(r.Maybe, h.offers[j].value)
		}
	}
	r.Sure = shares[best]
	switch {
	case h.how == Settled:
		r.Value, r.How, r.Sure, r.Maybe = h.offers[0].value, Settled, 1, nil
	case shares[best] >= sureEnough:
		r.Value, r.How, r.Maybe = h.offers[best].value, Kept, nil
		if !h.offers[best].seen {
			r.How = Mended
		}
	case len(r.Maybe) > 0:
		r.How = Doubtful
	}
	return r
}

// maybe is from what share on a value is worth asking about.
const maybe = 0.05
