package prepare

import (
	"fmt"
	"math"

	"zincroad/core/run"
	"zincroad/core/words"
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
func Due(m Method, s *run.Stall, ad *run.Adapter, at Present) (do []Item, cautions []string) {
	switch at.Stage {
	case BeforePlug:
		return beforePlug(m, ad, at)
	case Handshake:
		do = []Item{
			{"Wait for the contactors' click and the cable's cooling.", "a handshake takes seconds to a minute"},
		}
		if at.Attempts > 0 {
			do = append(do,
				Item{"After three attempts move to the next stall.", "what is lost is noted, and is no charging time"})
		}
		return do, nil
	case Charging:
		return whileCharging(m, s, at)
	case Unplugged:
		if replugDue(m, at) {
			do = append(do,
				Item{"Plug in again, within a minute.", "a timer in the car starts anew; some cables get cooler"})
		}
		return append(do,
			Item{"Note what the screen says, put the cable back, free the stall.", "the screen goes blank"}), nil
	}
	return nil, nil
}

// beforePlug lists what is due on arrival, most of which cannot be made up for once the plug is in.
func beforePlug(m Method, ad *run.Adapter, at Present) (do []Item, cautions []string) {
	if ad != nil {
		do = append(do, adapterItem)
		cautions = append(cautions, cautionAdapter)
	}
	do = append(
		do,
		Item{"Logger running before the plug.", "the first 60 s cannot be repeated"},
		Item{
			"Note SoC, odometer, outside, coldest and warmest cell, software.",
			"without conditions nobody believes the result",
		},
		climateItem(m),
		Item{fmt.Sprintf("Plug in at %s %%.", words.Figure(at.FromPct, 1)), startWhy(at.FromPct)},
	)
	cautions = append(cautions, cautionConnector)
	if at.FromPct <= RunOutPct {
		cautions = append(cautions, cautionRunOut)
	}
	if m.Cold {
		cautions = append(cautions, cautionCold)
	}
	return do, cautions
}

// whileCharging lists what is due by the charge that is reached.
func whileCharging(m Method, s *run.Stall, at Present) (do []Item, cautions []string) {
	soc := at.SoCPct
	switch {
	case replugDue(m, at) && soc >= m.ReplugAtPct-soon:
		do, cautions = append(do, replugItem(m)), append(cautions, cautionReplug)
	case soc >= at.ToPct-soon:
		do = append(
			do,
			Item{
				fmt.Sprintf("At %s %%: note the screen, stop by the right button, then unplug.",
					words.Figure(at.ToPct, 1)),
				"the screen goes blank when the plug is out",
			},
		)
	case math.Mod(soc, 10) >= 10-soon:
		post := 10 * math.Ceil(soc/10)
		do = append(
			do,
			Item{
				fmt.Sprintf("Check in at %s %%: SoC, kW, coldest cell.", words.Figure(post, 0)),
				"and at everything odd",
			},
		)
	}
	if s != nil {
		if _, shared := run.Known(s.SharedKW); shared {
			do = append(do, neighbourItem)
		}
	}
	if len(m.Log) > 0 && len(do) < 2 {
		do = append(do, Item{"Log " + m.Log[0] + ".", "the method asks for it"})
	}
	if soc >= 80-soon && at.ToPct > 80 {
		cautions = append(cautions, cautionTaper)
	}
	return do, cautions
}

// replugDue tells whether a method's replug is still to come.
func replugDue(m Method, at Present) bool { return m.ReplugAtPct > 0 && at.Leg == 1 }
