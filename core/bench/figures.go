package bench

import (
	"math"
	"strings"

	"zincroad/core/figure"
	"zincroad/core/say"
	"zincroad/core/words"
)

// Explained is what a figure of the bench is worked out of: a comparison, with the race that is shown of it, a ranking
// or a matrix. What it is not is nil.
type Explained struct {
	Comparison *Comparison
	Raced      *Raced
	Ranked     *Ranked
	Sorted     *Sorted
}

// Raced is the race of the reference against one other run.
type Raced struct {
	Race
	Other int
	Unit  string // of its leads, as they are shown: points of charge, or energy or distance added
}

// Points is the unit of a race by charge.
const Points = "points"

// Ranked is a ranking with what it goes by.
type Ranked struct {
	Order  Order
	List   []Standing
	Passed []Passed
}

// Sorted is a matrix with the factors, the window and the packs that it is of.
type Sorted struct {
	Matrix
	Row, Col       Factor
	FromPct, ToPct float64
	Warmth         Warmth
}

// Figures are those of the bench that explain themselves, by name.
var Figures = figure.List[Explained]{
	{
		Key: "difference", Name: "Difference",
		Definition: "The mean time of the second group in the window, less that of the group with the " +
			"reference. It is real where chance alone would hardly ever make it so large: where the " +
			"interval that holds the true difference 95 times of 100 leaves nought out. There is none " +
			"that matters where that interval holds nought and is narrower than the smallest " +
			"difference worth a word. Anything between is undecided, and more repeats would tell. How " +
			"far runs scatter is told by the repeats on the bench; for one run against one, by those " +
			"of the logbook.",
		Formula: "the second group's mean less that of the reference's. Two and more each: Welch's 95 % " +
			"interval. One against three and more: the prediction interval, t · s · √(1 + 1/n). One " +
			"against one: t · s · √2 with the pooled spread of the logbook's repeats in this very " +
			"window (same car and software, stall, preconditioning, profile, packs within 3 K, none " +
			"disturbed), from 3 degrees of freedom on. Runs whose posts are the same to the last " +
			"digit are one run. Real: `yes` where 0 lies outside, `no` where it lies inside an " +
			"interval narrower than the smallest difference that matters (the larger of a minute and " +
			"3 %), else `undecided`.",
		Source:  "B. L. Welch, Biometrika 34 (1947) 28; ISO 16269-8; what matters: common practice, no source",
		Numbers: ofComparison(differenceNumbers),
	},
	{
		Key: "fair", Name: "Fairness",
		Definition: "A comparison isolates something only where nothing else that matters differs. Each " +
			"condition that differs is changed alone, in the reference and in the run furthest from " +
			"it, and both are forecast: from half of the least difference to half as much again as " +
			"the most is what it could have come to. Where the logbook holds enough pairs of runs " +
			"that differ in it alone, it could also come to what they did. It matters where even the " +
			"least of that is half of the smallest difference worth a word, and may where the most " +
			"is. What was not noted of every run is listed by itself: it may have differed.",
		Formula: "the forecast with each run's value in turn and all else as each of the runs has it; half " +
			"of the least difference to half as much again as the most (c). It matters where the low " +
			"end is half of the smallest difference that matters and more, may where only the high " +
			"end is.",
		Source:  "how near two readings are the same, and half: common practice, no source",
		Numbers: ofComparison(fairNumbers),
	},
	{
		Key: "bands", Name: "Minutes by band",
		Definition: "The window is cut into tens of charge, and each run's time in each is from post to post " +
			"of its own, so that they add up to its time in the window. A cause is named where it " +
			"held a run's power for 15 % of its time there and more; perhaps, where the run's own " +
			"reading is not sure of it.",
		Formula: "the window by tens of charge; a cause is named that had 15 % of a run's time in the " +
			"band, most first.",
		Source:  "15 %: common practice, no source",
		Numbers: ofComparison(bandNumbers),
	},
	{
		Key: "race", Name: "Race",
		Definition: "Each run's clock is set to nought where its time begins, and both are read by the minute " +
			"for as long as both charge. Ahead is who has more charge at that moment, wherever they " +
			"started from: in a race from unlike charges the lead at nought is the difference of the " +
			"starts. By energy or distance, ahead is who has added more.",
		Formula: "state of charge from each run's clock zero, by the minute while both charge; a meeting " +
			"is where the lead goes over after having been over half a point, found to the second.",
		Numbers: raceNumbers,
	},
	{
		Key: "ranking", Name: "Ranking",
		Definition: "A car with one software stands with the middle of its runs that count: charged in one " +
			"go, at full power, with a pack as warm and at stalls as strong as asked; of two runs " +
			"that is half way between them. The middle, for one failed morning would pull a mean by " +
			"minutes. What was lost to a stall or an adapter is not the car's, and stands beside it.",
		Formula: "a car with one software stands with the median of its runs that were charged in one go " +
			"at full power, with a pack as warm as asked (warm: from 1 K under the car's warm " +
			"temperature up, 20 °C where that is not noted; cold: from 8 K under it down (c)), at " +
			"stalls as strong as asked. By minutes of a window, minutes from plug-in to +100 km by " +
			"the observed consumption (of runs that start at 20 % or below (c)), kWh into the pack a " +
			"minute (its mean power / 60; 96 % of the stall's where the car's was not read), C-rate " +
			"(its mean power / usable capacity). Lost outside the car: minutes lost to stall and " +
			"adapter, the median. Lost by cause: the mean over all of its runs that were judged, cold, held " +
			"and disturbed ones too, each in its own window.",
		Source:  "warm, cold, and a start at 20 % or below: common practice, no source",
		Numbers: rankingNumbers,
	},
	{
		Key: "matrix", Name: "Matrix",
		Definition: "The runs that cover the window, by two factors; a cell shows the run in the middle of " +
			"its own. ± is half of the 95 % interval of a cell's mean, by the spread that runs of one " +
			"cell have, taken over all cells: sorted by so little, it holds all the rest that they " +
			"differ in. The next run is the one that would tell most: of what somebody compared and " +
			"kept, where the difference is known least well.",
		Formula: "runs that cover the window, none disturbed, by two factors; the strip is that of the run in the middle. " +
			"± is Student's 97.5 % point times the pooled standard deviation of all cells over √n, " +
			"from 3 degrees of freedom on. The next run: of the kept benches' runs that lie in " +
			"several cells, the two whose difference is known least well, t · s · √(1/n₁ + 1/n₂), in " +
			"the one with fewer runs, unless it is known to less than what matters; failing that, of " +
			"the cells without a run the one whose row and column have most; where there is none, " +
			"the cell with the widest interval.",
		Numbers: matrixNumbers,
	},
}

// ofComparison gives the lines of a comparison; none where it is none.
func ofComparison(of func(*Comparison) figure.Lines) func(Explained) figure.Lines {
	return func(x Explained) figure.Lines {
		if x.Comparison == nil {
			return nil
		}
		return of(x.Comparison)
	}
}

// timeOf writes a run's time in the window.
func (c *Comparison) timeOf(run int) say.Text {
	if t := c.Runs[run].TS; t != nil {
		return c.timed(run, *t)
	}
	return say.T("bench.does-not-cover", c.name(run))
}

// timed is a run with a time.
func (c *Comparison) timed(run int, tS float64) say.Text {
	return say.T("bench.run-took", c.name(run), say.Clock(math.Round(tS)))
}

func differenceNumbers(c *Comparison) (n figure.Lines) {
	n.Say("bench.window", say.Window(c.Window.FromPct, c.Window.ToPct))
	for _, g := range c.Groups {
		times := make([]say.Text, len(g.Runs))
		for i, run := range g.Runs {
			times[i] = c.timeOf(run)
			if c.copyOf != nil && c.copyOf[run] != run {
				times[i] = times[i].And("bench.same-log", c.name(c.copyOf[run]))
			}
		}
		line := g.Words().And("colon").Then(say.Join("semicolon", times...))
		if g.MeanS != nil && len(g.Runs) > 1 {
			line = line.And("bench.mean", say.Clock(math.Round(*g.MeanS)))
		}
		if g.SdS != nil {
			line = line.And("bench.deviation", say.Duration(math.Round(*g.SdS)))
		}
		n.Add(line)
	}
	d := c.Difference
	if d == nil {
		n.Say("bench.there-is-no-second")
		return n
	}
	if d.LowS != nil {
		n.Say("bench.and-its-interval", say.Signed(d.TS), say.T("bench.by-"+d.By))
	} else {
		n.Say("bench.and-too-few-repeats", say.Signed(d.TS))
	}
	n.Say("bench.the-smallest-difference-that", say.Duration(math.Round(d.SmallestS)))
	c.sayReal(concluding(&n))
	return n
}

// concluding adds what is concluded to lines of numbers, in the words of the page, with how sure it is.
func concluding(n *figure.Lines) func(confidence say.Confidence, code string, args ...any) {
	return func(confidence say.Confidence, code string, args ...any) {
		if line := say.T(code, args...); confidence == "" {
			n.Add(line)
		} else {
			n.Say("bench.so-sure", line, confidence.Text())
		}
	}
}

// Words are what a group's runs have in common, in words: "stall Fulling Mill 1"; "all runs" where they are not
// grouped.
func (g Group) Words() say.Text {
	for name, value := range g.By {
		c := conditionOf(name)
		return c.head().And("space").Then(value.in(c.unit))
	}
	return say.T("bench.all-runs")
}

func fairNumbers(c *Comparison) (n figure.Lines) {
	for _, d := range c.Fairness.Differs {
		what := conditionOf(d.Condition)
		of := make([]say.Text, len(d.Values))
		for i, v := range d.Values {
			of[i] = c.name(i).And("colon").Then(v.in(what.unit))
		}
		line := what.head().And("colon").Then(say.Join("semicolon", of...))
		if d.HighS != nil {
			line = line.And("bench.could-come-to", fromTo(*d.LowS, *d.HighS))
		}
		if p := d.Shown; p != nil {
			line = line.And("bench.of-the-logbook", p.Pairs, fromTo(p.LowS, p.HighS))
		}
		n.Add(line.And("colon").And("matters." + string(d.Matters)))
	}
	if len(c.Fairness.Differs) == 0 {
		n.Say("bench.nothing-that-was-noted")
	}
	if with := together(c.Fairness); with.Any() {
		n.Add(with)
	}
	c.sayFair(concluding(&n))
	return n
}

// together says what matters and is no second thing beside what a clean comparison isolates: a pack is as warm as it
// was made, and the air outside acts through it.
func together(f Fairness) say.Text {
	var with []say.Text
	for _, d := range f.Differs {
		if f.Verdict == Clean && d.Matters != DoesNot && d.Condition != f.Isolates {
			with = append(with, human(d.Condition))
		}
	}
	if len(with) == 0 {
		return nil
	}
	return say.T("bench.no-second", say.Listed(with...), human(f.Isolates))
}

// fromTo writes two durations, equal ones once.
func fromTo(lowS, highS float64) say.Text {
	a, b := say.Duration(math.Round(lowS)), say.Duration(math.Round(highS))
	if a == b {
		return say.T("bench.just", a)
	}
	return say.T("bench.from-to", a, b)
}

func bandNumbers(c *Comparison) (n figure.Lines) {
	sums, whole := make([]float64, len(c.Runs)), make([]bool, len(c.Runs))
	for i := range whole {
		whole[i] = true
	}
	for _, b := range c.Bands {
		of := make([]say.Text, 0, len(b.TS))
		for i, t := range b.TS {
			if t == nil {
				whole[i] = false
				continue
			}
			sums[i] += *t
			text := c.timed(i, *t)
			if held := b.Held(i); held.Any() {
				text = text.And("bench.held-by", held)
			}
			of = append(of, text)
		}
		n.Add(say.Window(b.FromPct, b.ToPct).And("colon").Then(say.Join("semicolon", of...)))
	}
	var together []say.Text
	for i, s := range sums {
		if whole[i] && len(c.Bands) > 0 {
			together = append(together, c.timed(i, s))
		}
	}
	if len(together) > 0 {
		n.Say("bench.together", say.Join("semicolon", together...))
	}
	return n
}

func raceNumbers(x Explained) (n figure.Lines) {
	c, r := x.Comparison, x.Raced
	if c == nil || r == nil {
		return nil
	}
	reference, other := c.name(c.Reference), c.name(r.Other)
	if w := r.Widest; w != nil {
		ahead, behind := other, reference
		if w.Points < 0 {
			ahead, behind = behind, ahead
		}
		n.Say("bench.widest-before-at", ahead, say.Fig(math.Abs(w.Points), 1), r.Unit, behind, say.Clock(w.TS))
	} else {
		n.Say("bench.and-never-charge-in", reference, other)
	}
	for _, m := range r.Meetings {
		at := ""
		if r.Unit == Points {
			at = ", at " + words.Percent(m.SoCPct)
		}
		n.Say("bench.and-are-level-at", other, reference, say.Clock(math.Round(m.TS)), at)
	}
	if len(r.Meetings) == 0 {
		n.Say("bench.the-lead-never-goes")
	}
	return n
}

func rankingNumbers(x Explained) (n figure.Lines) {
	r := x.Ranked
	if r == nil {
		return nil
	}
	n.Say("bench.by-packs-at-plug", r.Order.words(), r.Order.Warmth)
	if r.Order.StallFromKW > 0 {
		n.Say("bench.stalls-of-kw-and", say.Fig(r.Order.StallFromKW, 0))
	}
	for i, s := range r.List {
		of := make([]say.Text, len(s.Runs))
		for k, id := range s.Runs {
			of[k] = say.T("bench.run-value", id, r.Order.By.Write(s.Values[k]))
		}
		line := say.T("bench.ranked", i+1, strings.TrimSpace(s.Car+" "+s.Software), say.List(of...))
		if len(s.Runs) > 1 {
			line = line.And("bench.middle", r.Order.By.Write(s.Value))
		}
		n.Add(line)
	}
	for _, p := range r.Passed {
		n.Say("bench.passed", strings.TrimSpace(p.Car+" "+p.Software), p.Why)
	}
	return n
}

func matrixNumbers(x Explained) (n figure.Lines) {
	m := x.Sorted
	if m == nil {
		return nil
	}
	n.Say("bench.by-and-packs-at", say.Window(m.FromPct, m.ToPct), m.Row.Words(), m.Col.Words(), m.Warmth, m.Count)
	if math.IsNaN(m.PooledS) {
		n.Say("bench.no-spread-fewer-than", leastFreedom)
	} else {
		n.Say("bench.runs-of-one-cell", say.Duration(math.Round(m.PooledS)))
	}
	for i, line := range m.Cells {
		for j, c := range line {
			k := len(c.Runs)
			if k == 0 {
				continue
			}
			text := say.T("bench.in-the-middle", m.Rows[i], m.Cols[j], k, say.Clock(math.Round(c.MedianS)))
			if k > 1 {
				text = text.And("bench.low-high", say.Clock(math.Round(c.LowS)), say.Clock(math.Round(c.HighS)))
			}
			if !math.IsInf(c.HalfS, 1) {
				text = text.And("bench.half", say.Clock(math.Round(c.HalfS)))
			}
			n.Add(text)
		}
	}
	if m.Next != nil {
		n.Say("bench.next-since", m.Rows[m.Next.Row], m.Cols[m.Next.Col], m.Next.Why)
	}
	return n
}
