package prepare

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/say"
)

// Stage is how far a run is at the stall.
type Stage string

// The stages of a run under way.
const (
	BeforePlug Stage = "before the plug"
	Handshake  Stage = "handshake" // plugged in, no power yet
	Charging   Stage = "charging"
	Unplugged  Stage = "unplugged" // after power
)

// Present is what of a run under way decides what is due.
type Present struct {
	Stage    Stage
	SoCPct   float64 // NaN: not known
	Attempts int     // plug-ins without power so far
	Leg      int     // from 1; 0 before the first
	FromPct  float64 // where the run is to start
	ToPct    float64 // and where it is to stop
}

// soon is how many points before a charge what belongs to it is due.
const soon = 2

// Due says what a run by a method asks for at a moment, the most pressing first,
// and the cautions that are due with it.
func Due(m Method, s *run.Stall, ad *run.Adapter, at Present) (do []Item, cautions []say.Text) {
	switch at.Stage {
	case BeforePlug:
		return beforePlug(m, ad, at)
	case Handshake:
		do = []Item{
			{say.T("prepare.wait-for-the-contactors"), say.T("prepare.a-handshake-takes-seconds")},
		}
		if at.Attempts > 0 {
			do = append(do,
				Item{say.T("prepare.after-three-attempts-move"), say.T("prepare.what-is-lost-is")})
		}
		return do, nil
	case Charging:
		return whileCharging(m, s, at)
	case Unplugged:
		if replugDue(m, at) {
			do = append(do,
				Item{say.T("prepare.plug-in-again-within"), say.T("prepare.a-timer-in-the-car")})
		}
		return append(do,
			Item{say.T("prepare.note-what-the-screen"), say.T("prepare.the-screen-goes-blank-2")}), nil
	}
	return nil, nil
}

// beforePlug lists what is due on arrival, most of which cannot be made up for once the plug is in.
func beforePlug(m Method, ad *run.Adapter, at Present) (do []Item, cautions []say.Text) {
	if ad != nil {
		do = append(do, adapterItem)
		cautions = append(cautions, say.T("prepare.caution-adapter"))
	}
	do = append(
		do,
		Item{say.T("prepare.logger-running-before-the"), say.T("prepare.the-first-s-cannot")},
		Item{
			say.T("prepare.note-soc-odometer-outside"),
			say.T("prepare.without-conditions-nobody-believes"),
		},
		climateItem(m),
		Item{say.T("prepare.plug-in-at", say.Fig(at.FromPct, 1)), startWhy(at.FromPct)},
	)
	cautions = append(cautions, say.T("prepare.caution-connector"))
	if at.FromPct <= RunOutPct {
		cautions = append(cautions, say.T("prepare.caution-run-out"))
	}
	if m.Cold {
		cautions = append(cautions, say.T("prepare.caution-cold"))
	}
	return do, cautions
}

// whileCharging lists what is due by the charge that is reached.
func whileCharging(m Method, s *run.Stall, at Present) (do []Item, cautions []say.Text) {
	soc := at.SoCPct
	switch {
	case replugDue(m, at) && soc >= m.ReplugAtPct-soon:
		do, cautions = append(do, replugItem(m)), append(cautions, say.T("prepare.caution-replug"))
	case soc >= at.ToPct-soon:
		do = append(
			do,
			Item{
				say.T("prepare.at-note-the-screen", say.Fig(at.ToPct, 1)),
				say.T("prepare.the-screen-goes-blank"),
			},
		)
	case math.Mod(soc, 10) >= 10-soon:
		post := 10 * math.Ceil(soc/10)
		do = append(
			do,
			Item{
				say.T("prepare.check-in-at-soc", say.Fig(post, 0)),
				say.T("prepare.and-at-everything-odd"),
			},
		)
	}
	if s != nil {
		if _, shared := run.Known(s.SharedKW); shared {
			do = append(do, neighbourItem)
		}
	}
	if len(m.Log) > 0 && len(do) < 2 {
		do = append(do, Item{say.T("prepare.log-it", m.Log[0]), say.T("prepare.the-method-asks-for")})
	}
	if soc >= 80-soon && at.ToPct > 80 {
		cautions = append(cautions, say.T("prepare.caution-taper"))
	}
	return do, cautions
}

// replugDue tells whether a method's replug is still to come.
func replugDue(m Method, at Present) bool { return m.ReplugAtPct > 0 && at.Leg == 1 }
