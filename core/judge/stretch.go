package judge

import (
	"zincroad/core/limit"
	"zincroad/core/say"
)

// Stretch is a part of a run with one cause that held the power down. Times are on the log's clock.
type Stretch struct {
	FromS, ToS float64
	Cause      limit.Cause
	Confidence say.Confidence
	Odds       float64 // probability of the cause

	Whose           limit.Whose // whose limit it was, by the chances of all causes of a party together
	WhoseConfidence say.Confidence
	RunnerUp        limit.Cause // empty: none worth a word
	RunnerOdds      float64
	What            say.Text // the limit as a noun with its figure: "the stall's 350 A"
	Pair            bool     // What names two causes of one kind, of which either may be meant
	Level           Level    // what stays level at its end
	Evidence        []say.Text
	LostS           float64 // against the warm reference; NaN: there is none

	trusted float64   // how far the readings are to be trusted: 1, less of typed ones
	chances []float64 // of every cause, in the order of causes; nil: only the one named
}

// Chance is how likely a cause held the stretch.
func (s *Stretch) Chance(c limit.Cause) float64 {
	if i, ok := indexOf[c]; ok && s.chances != nil {
		return s.chances[i]
	}
	if c == s.Cause {
		return s.Odds
	}
	return 0
}

// Level is what stays level while the rest moves.
type Level string

// The levels; empty where neither stays.
const (
	LevelAmps Level = "amps"
	LevelKW   Level = "kW"
)

// join puts neighbours of one cause together: sure as their mean over time. What is empty or backwards, as a piece
// between two instants that were settled to be one, is left out. Here a stretch gets its confidence; a runner-up of
// less than one in two hundred is not worth a word.
func join(list []Stretch) []Stretch {
	var out []Stretch
	for _, s := range list {
		if !(s.ToS > s.FromS) {
			continue
		}
		if n := len(out); n > 0 && out[n-1].Cause == s.Cause && s.FromS-out[n-1].ToS < 1e-6 {
			q := &out[n-1]
			a, b := q.ToS-q.FromS, s.ToS-s.FromS
			q.Odds = (q.Odds*a + s.Odds*b) / (a + b)
			if s.RunnerOdds*b > q.RunnerOdds*a {
				q.RunnerUp = s.RunnerUp
			}
			q.RunnerOdds = (q.RunnerOdds*a + s.RunnerOdds*b) / (a + b)
			if s.chances == nil {
				q.chances = nil
			}
			for i := range q.chances {
				q.chances[i] = (q.chances[i]*a + s.chances[i]*b) / (a + b)
			}
			q.ToS = s.ToS
			continue
		}
		out = append(out, s)
	}
	for i := range out {
		s := &out[i]
		s.Confidence = confidence(s.Odds)
		s.decideWhose()
		if s.RunnerOdds < 0.005 {
			s.RunnerUp = ""
		}
	}
	return out
}

// confidence is what a probability is called.
func confidence(odds float64) say.Confidence {
	switch {
	case odds >= strongFrom:
		return say.Strong
	case odds >= likelyFrom:
		return say.Likely
	}
	return say.Unsure
}

// decideWhose says whose limit it was: the party whose causes are likelier together than any other's, if they are
// likely; else it is open. No cause is surer than its party.
func (s *Stretch) decideWhose() {
	s.Whose, s.WhoseConfidence = s.Cause.Sign().Whose, s.Confidence
	if s.chances == nil {
		return
	}
	s.Whose = likeliest(s.chances)
	together := 0.0
	for i, c := range causes {
		if c.Sign().Whose == s.Whose {
			together += s.chances[i]
		}
	}
	if s.trusted > 0 {
		together *= s.trusted
	}
	if s.WhoseConfidence = confidence(together); s.WhoseConfidence == say.Unsure && s.Whose != limit.OfNobody {
		s.Whose = limit.Open
	}
}

// likeliest is the party whose causes are likelier together than any other's.
func likeliest(chances []float64) limit.Whose {
	by := map[limit.Whose]float64{}
	for i, c := range causes {
		by[c.Sign().Whose] += chances[i]
	}
	best := limit.OfCar
	for _, w := range []limit.Whose{limit.OfStall, limit.Between, limit.OfNobody} {
		if by[w] > by[best] {
			best = w
		}
	}
	return best
}
