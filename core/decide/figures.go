package decide

import (
	"zincroad/core/figure"
	"zincroad/core/say"
)

// Explained is a charge's advice with what was asked.
type Explained struct {
	Asked  Asked
	Advice *Advice // nil: it was not worked out
}

// Figures are those of a charge to decide about that explain themselves, by name.
var Figures = figure.List[Explained]{
	{
		Key: "unplug", Name: "When to unplug", Unit: "%",
		Definition: "A stop costs its minutes beside the charging, spread over the points that it charges. So a point " +
			"takes long at a short stop, and long again where the power has fallen; in between lies the charge at which " +
			"it takes least. It counts where the next stop is like this one and the car arrives there with as much. " +
			"Whoever is nearly there charges what is needed.",
		Formula: "the charge b, in whole per cents and 5 points above the arrival a at least, for which (stop + t(a→b)) " +
			"/ (b − a) is least; t is forecast from plug-in. The charges for which it is no more than 2 % above that make no " +
			"difference. Where cold holds the pack, the same for a warm one stands beside it.",
		Source: "the marginal value theorem: Charnov, Theoretical Population Biology 9, 1976",
		Numbers: func(x Explained) (n figure.Lines) {
			if x.Advice == nil || x.Advice.Unplug == nil {
				return nil
			}
			u := x.Advice.Unplug
			n.Say("decide.at-best", say.Fig(u.BestPct, 0), say.Fig(x.Asked.StopS/60, 1),
				say.Duration(u.PointS*(u.BestPct-u.FromPct)-x.Asked.StopS), say.Fig(u.BestPct-u.FromPct, 0), say.Fig(u.PointS, 1))
			for _, t := range u.Tens {
				n.Say("decide.ten", say.Window(t.FromPct, t.ToPct), say.Clock(t.TS), say.Fig(t.TS/(t.ToPct-t.FromPct), 1))
			}
			return n
		},
	},
	{
		Key: "window", Name: "Which window", Unit: "min",
		Definition: "How long the same points take from each charge to start from, at this stall with the pack as it " +
			"is at plug-in. Those that lie within 2 % of the quickest cannot be told apart from it.",
		Formula: "t(a + points) from plug-in at a, forecast for a of 5, 10, 20 and so on, with the same pack and stall.",
		Numbers: func(x Explained) (n figure.Lines) {
			if x.Advice == nil {
				return nil
			}
			for _, s := range x.Advice.Starts {
				n.Say("decide.start", say.Window(s.FromPct, s.ToPct), say.Clock(s.TS), s.Range())
			}
			return n
		},
	},
	{
		Key: "gentle", Name: "Gentle or full", Unit: "min",
		Definition: "Both profiles over the planned window. From a charge on the gentle one costs nothing where what " +
			"is left takes as long in either.",
		Formula: "t(gentle) − t(full) over the window; the lowest charge from which what is left of the window differs " +
			"by no more than 2 %. C is the highest power into the pack over the usable capacity.",
		Numbers: func(x Explained) (n figure.Lines) {
			if x.Advice == nil || x.Advice.Gentle == nil {
				return nil
			}
			g := x.Advice.Gentle
			for _, p := range []struct {
				code string
				of   Profile
			}{{"decide.in-full", g.Full}, {"decide.in-gentle", g.Gentle}} {
				n.Say(p.code, say.Clock(p.of.TS), between(p.of.LowS, p.of.HighS), say.Fig(p.of.PeakKW, 0), say.Fig(p.of.CRate, 2),
					say.Q(p.of.WarmestC, "°C", 1))
			}
			return n
		},
	},
	{
		Key: "detour", Name: "Worth a detour", Unit: "km",
		Definition: "The planned charge at every other stall, with the pack as it is at plug-in. What one saves is worth " +
			"driving for, there and back, while that takes less. A stronger stall seldom gives all of its label, so that " +
			"what it saves for certain may be less.",
		Formula: "(t here − t there) × speed; nothing where the two differ by no more than 2 %. At least: with the " +
			"other stall at 88 % of its label. Not said of a quicker stall where the car's own curve is neither noted " +
			"nor seen over half of the window.",
		Source: "88 %: common practice, no source",
		Numbers: func(x Explained) (n figure.Lines) {
			if x.Advice == nil {
				return nil
			}
			for _, d := range x.Advice.Detours {
				if d.Untold {
					continue
				}
				if d.Longer() {
					n.Say("decide.elsewhere-longer", d.Name, say.Clock(d.TS), d.Apart())
				} else {
					n.Say("decide.elsewhere", d.Name, say.Clock(d.TS), d.Apart(), say.SignedClock(d.LeastS))
				}
			}
			return n
		},
	},
	{
		Key: "replug", Name: "Replug", Unit: "min",
		Definition: "Where a timer in the car takes power away, unplugging and plugging in again starts it anew. It is " +
			"worth what that gives back, less its pause and a new handshake.",
		Formula: "the window as it is, less the window with a replug of 60 s where the timer ends.",
		Source:  "a replug's 60 s: common practice, no source",
		Numbers: func(x Explained) (n figure.Lines) {
			if x.Advice == nil || x.Advice.Replug == nil {
				return nil
			}
			r := x.Advice.Replug
			n.Say("decide.replug-numbers", say.Clock(r.PlainS), say.Clock(r.ReplugS), say.Fig(r.AtPct, 1))
			return n
		},
	},
}
