package judge

import (
	"zincroad/core/limit"
	"zincroad/core/say"
)

// Holder is what held a stretch, as far as it is known: a limit, and whose it is.
type Holder struct {
	What            say.Text // the limit as a noun: "the stall's 350 A"
	Confidence      say.Confidence
	Pair            bool // What names two causes of one kind, of which either may be meant
	Whose           limit.Whose
	WhoseConfidence say.Confidence
}

// Holder is what held the stretch.
func (s *Stretch) Holder() Holder {
	return Holder{s.What, s.Confidence, s.Pair, s.Whose, s.WhoseConfidence}
}

// parties are whose a limit is, as the subject of a sentence, and what their limits begin with.
var parties = map[limit.Whose]string{limit.OfCar: "judge.the-car", limit.OfStall: "judge.the-stall"}

var ofParty = map[limit.Whose]string{limit.OfCar: "judge.cars", limit.OfStall: "judge.stalls"}

// Words says what held, no surer than it is known: the limit, with "probably" where it is likely; else whose it was,
// with "perhaps" the limit behind it; where that cannot be told either, that. A pair of limits is sure to be one of
// the two.
func (h Holder) Words() say.Text {
	switch {
	case h.Pair || h.Confidence == say.Strong:
		return h.What
	case h.Confidence == say.Likely:
		return say.T("judge.probably", h.What)
	case h.Whose == limit.Open:
		return say.T("judge.open")
	}
	code, ok := parties[h.Whose]
	if !ok || h.WhoseConfidence == say.Unsure {
		return say.T("judge.perhaps", h.What)
	}
	party := say.T(code)
	said := say.T("judge.perhaps-by", party, h.What)
	if m := h.What[0]; m.Code == ofParty[h.Whose] {
		said = say.T("judge.perhaps-by-its", party, m.Args[0])
	}
	if h.What[0].Code == failingStall {
		said = say.T("judge.perhaps-failing", party)
	}
	if h.WhoseConfidence == say.Likely {
		return say.T("judge.probably", said)
	}
	return said
}

// failingStall is how a failing stall is named.
const failingStall = "judge.failing-stall"
