package runs

import (
	"cmp"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/limit"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/chart"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// evidenceView is the picture of why a cause is named.
type evidenceView struct {
	SVG  string
	Text string
	Back string

	Whose, Which string // how likely it was whose limit, and which, in 100; empty where only one can be
}

// chances say how likely it was whose limit, and which, likeliest first.
func chances(c curve.Ceiling) (whose, which string) {
	by := map[limit.Whose]float64{}
	var causes, parties []string
	for _, x := range c.Chances {
		by[x.Cause.Sign().Whose] += x.Chance
		causes = append(causes, in100(x.Cause.Words(), x.Chance))
	}
	order := []limit.Whose{limit.OfCar, limit.OfStall, limit.Between, limit.OfNobody}
	slices.SortStableFunc(order, func(a, b limit.Whose) int { return cmp.Compare(by[b], by[a]) })
	for _, w := range order {
		if by[w] > 0 {
			parties = append(parties, in100(partyWords[w], by[w]))
		}
	}
	return strings.Join(parties, ", "), strings.Join(causes, ", ")
}

// in100 writes a chance as so many in a hundred.
func in100(what string, chance float64) string { return fmt.Sprintf("%s %.0f", what, 100*chance) }

// partyWords are the parties as a table names them.
var partyWords = map[limit.Whose]string{
	limit.OfCar:    "the car",
	limit.OfStall:  "the stall",
	limit.Between:  "between them",
	limit.OfNobody: "nobody that is known",
}

// evidence draws the ceilings over a stretch of a run. It reads the run's readings, so it is asked
// for only where somebody looks.
func (s *Room) evidence(w http.ResponseWriter, r *http.Request) error {
	row, res, err := s.loadRun(r)
	if err != nil {
		return err
	}
	q := chart.ReadQuery(r.URL.Query())
	x := res.Reading(q.Clock, q.Side)
	at, err := strconv.Atoi(r.URL.Query().Get("stretch"))
	if err != nil || at < 0 || at >= len(x.Ceilings) {
		return fmt.Errorf("stretch %q: %w", r.URL.Query().Get("stretch"), logbook.ErrNotFound)
	}
	c := x.Ceilings[at]
	described, err := s.book.Load(r.Context(), row)
	if err != nil {
		return err
	}
	v := evidenceView{Back: ui.RunPath(row.ID)}
	v.Text = fmt.Sprintf("%s to %s: the power that was read, inked, and the lowest ceilings that are known.",
		words.Clock(c.FromS), words.Clock(c.ToS))
	v.Whose, v.Which = chances(c)
	if j := curve.Of(described).Judgement(); j != nil {
		pic := draw.Evidence{Title: "Power and the ceilings over it, " + words.Clock(c.FromS) + " to " + words.Clock(c.ToS),
			Lines: j.Lines(c.FromS+x.ZeroS, c.ToS+x.ZeroS), Holds: holdingLine(c.Cause), ZeroS: x.ZeroS}
		v.SVG = pic.SVG()
	}
	if ui.IsPart(r) {
		s.Part(w, r, "evidence", "evidence", v)
		return nil
	}
	s.Render(w, r, "evidence", http.StatusOK, ui.Frame{Title: "Evidence", Run: row, Data: v})
	return nil
}

// holdingLine is the ceiling that a cause's stretch is drawn against: cold, heat and steps take
// something off what the warm pack takes.
func holdingLine(c limit.Cause) limit.Cause {
	switch c {
	case limit.Cold, limit.Hot, limit.TimerStep, limit.SoCStep, limit.Finish:
		return limit.PackTaper
	case limit.CableHot, limit.StallFault:
		return limit.StallCurrent
	}
	return c
}

// paceBar draws how the headline window's time is made up, with its caption; empty where that is
// not known.
func paceBar(p *curve.Pace) (svg, caption string) {
	if p == nil {
		return "", ""
	}
	own := draw.Part{Minutes: p.ReferenceMin - p.GainedMin}
	own.Words = minutes(own.Minutes) + " this car's own pace, warm"
	parts := []draw.Part{own}
	rest := 0.0
	for _, l := range p.Lost {
		if l.Minutes*60 < leastLostS {
			rest += l.Minutes
			continue
		}
		parts = append(parts, draw.Part{Cause: l.Cause, Minutes: l.Minutes,
			Words: minutes(l.Minutes) + " lost to " + l.Cause.Words()})
	}
	if rest*60 >= leastLostS {
		parts = append(parts, draw.Part{Cause: limit.Unknown, Minutes: rest, Words: minutes(rest) + " lost in small parts"})
	}
	title := words.Window(p.FromPct, p.ToPct) + ": the car's own pace, and the minutes lost"
	return draw.PaceBar(title, parts), "against " + p.Against.Kept()
}

// leastLostS is what must be lost to something to be drawn, s.
const leastLostS = 2

func minutes(m float64) string { return words.Duration(math.Round(m * 60)) }

// stretchOf is the number of the stretch that a finding speaks of, -1 where it speaks of none.
func stretchOf(x *curve.Reading, f curve.Finding) int {
	if f.Kind != curve.AboutCeiling {
		return -1
	}
	for i, c := range x.Ceilings {
		if c.FromS == f.FromS && c.ToS == f.ToS {
			return i
		}
	}
	return -1
}

// usedSigns are the causes that held a run, each once, in the order in which they came.
func usedSigns(x *curve.Reading) []limit.Sign {
	seen := map[limit.Cause]bool{}
	var out []limit.Sign
	for _, c := range x.Ceilings {
		if !seen[c.Cause] {
			seen[c.Cause] = true
			out = append(out, c.Cause.Sign())
		}
	}
	return out
}
