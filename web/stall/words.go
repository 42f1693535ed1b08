package stall

import (
	"fmt"
	"math"
	"strings"
	"time"

	"zincroad/core/follow"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Wall is the wall clock at a time since plug-in.
func (v *liveView) Wall(ts float64) string {
	return ui.Local(v.started.Add(time.Duration((ts+v.zero())*float64(time.Second))),
		v.Row.Timezone).Format(ui.WallClock)
}

// WallRun is the wall clock at a time since the run's start.
func (v *liveView) WallRun(ts float64) string { return v.Wall(ts - v.zero()) }

func (v *liveView) zero() float64 {
	if v.State == nil || v.State.Reading == nil || math.IsNaN(v.State.TS) {
		return 0
	}
	return v.NowS - v.State.TS
}

// KWNote says whose power is shown, how old it is, and the other side's.
func (v *liveView) KWNote() string {
	st := v.State
	if !st.KW.Known() {
		return "not read yet"
	}
	side, other, of := "stall", "car", st.CarKW
	if st.KWSide == trace.CarSide {
		side, other, of = "car", "stall", st.StallKW
	}
	text := fmt.Sprintf("%s; %s %s kW", side, other, words.Figure(of.V, 0))
	switch {
	case st.KW.Old() || !of.Known():
		text = side + ago(st.KW)
	case of.Old():
		text = fmt.Sprintf("%s; the %s's is %s old", side, other, words.Duration(math.Round(of.AgeS)))
	}
	if st.RequestedKW.Known() {
		text += fmt.Sprintf("; the car asks for %s kW%s", words.Figure(st.RequestedKW.V, 0), ago(st.RequestedKW))
	}
	if st.OfferedKW.Known() {
		text += fmt.Sprintf("; %s kW offered%s", words.Figure(st.OfferedKW.V, 0), ago(st.OfferedKW))
	}
	return text
}

// Silent says which sources have gone quiet, and since when: a log that stands still
// is the worst that can happen.
func (v *liveView) Silent() string {
	var out []string
	for _, f := range v.Feeds {
		age, heard := v.ages[f.RecordingID]
		lost := f.State == logbook.FeedLost
		if !lost && !(v.IsCharging() && heard && age > follow.QuietS) {
			continue
		}
		text := "Nothing from " + f.Address
		if f.Kind == logbook.AdapterFeed {
			text = "Nothing from the car's adapter"
		}
		if heard {
			text += " for " + words.Duration(math.Round(age))
		}
		out = append(out, text+".")
	}
	if len(out) > 0 && len(out) == len(v.Feeds) {
		out = append(out, "Type what the screen says.")
	}
	return strings.Join(out, " ")
}

// ago says how old a figure is, where it is old.
func ago(x follow.Value) string {
	if x.Old() {
		return ", " + words.Duration(math.Round(x.AgeS)) + " ago"
	}
	return ""
}

// SoCNote says how the state of charge stands between two flips of the display.
func (v *liveView) SoCNote() string {
	st := v.State
	if !st.SoC.Known() {
		return "not read yet"
	}
	if !math.IsNaN(st.Counted) && math.Abs(st.Counted-st.SoC.V) >= 0.1 {
		return "display" + ago(st.SoC) + "; " + words.Fixed(st.Counted, 1) + " % counted"
	}
	return "display" + ago(st.SoC)
}

// ColdNote says what the warmest cell has.
func (v *liveView) ColdNote() say.Text {
	switch st := v.State; {
	case !st.Coldest.Known():
		return say.T("live.coldest-not-read")
	case st.Warmest.Known():
		return say.T("live.coldest", ago(st.Coldest)).And("live.warmest", say.Q(st.Warmest.V, "°C", 0))
	}
	return say.T("live.coldest", ago(v.State.Coldest))
}

// Minutes is the time since plug-in, or what is going on instead.
func (v *liveView) Minutes() string {
	if math.IsNaN(v.State.TS) || v.State.Phase == follow.Waiting && v.State.Leg < 2 {
		return "–"
	}
	return words.Clock(v.State.TS)
}

// SoFar is the energy of the whole run; with several legs it says so, and how long this one has been.
func (v *liveView) SoFar() string {
	s := v.State
	if s.KWh == 0 {
		return ""
	}
	kwh := words.Fixed(s.KWh, 1) + " kWh so far"
	switch {
	case s.Leg < 2:
		return kwh + "."
	case math.IsNaN(s.PluggedS):
		return fmt.Sprintf("%s, over %d legs.", kwh, s.Leg)
	}
	return fmt.Sprintf("%s, over %d legs; this one for %s.", kwh, s.Leg, words.Duration(math.Round(s.PluggedS)))
}

// EndNote says when the run is to reach its end.
func (v *liveView) EndNote() string {
	e := v.State.End
	if e == nil {
		return "since plug-in"
	}
	if math.IsNaN(e.HighS) {
		return fmt.Sprintf("%s not before %s", words.Percent(e.SoCPct), v.Wall(e.LowS))
	}
	return fmt.Sprintf("%s at %s, ± %s min", words.Percent(e.SoCPct), v.Wall(e.TS), words.Figure(e.HalfS()/60, 0))
}

// EndRange is between when and when the end is due.
func (v *liveView) EndRange() string {
	low, high := v.State.End.Within()
	if math.IsNaN(high) {
		return "not before " + v.Wall(low)
	}
	return fmt.Sprintf("between %s and %s", v.Wall(low), v.Wall(high))
}

// AlertText says how far the power is from the forecast.
func (v *liveView) AlertText() say.Text {
	a := v.State.Alert
	if a == nil {
		return nil
	}
	code := "live.under"
	if a.ByKW > 0 {
		code = "live.over"
	}
	text := say.T(code, say.Fig(math.Abs(a.ByKW), 0), v.Wall(a.SinceTS))
	if !v.State.Coldest.Known() {
		text = text.And("live.taken-for", say.Q(v.Plan.Battery.ColdestC, "°C", 0))
	}
	return text
}

// HoldText says what seems to hold the power, or held it when it was read last, and how long ago that was.
func (v *liveView) HoldText() say.Text {
	h := v.State.Holding
	if h == nil {
		if h = v.State.LastHeld; h == nil || !v.IsCharging() {
			return nil
		}
		return say.T("live.held-ago", say.Duration(math.Round(v.State.KW.AgeS)), h.What, h.Reason)
	}
	return say.T("live.held", h.What, h.Reason)
}

// PhaseText says in a line where the run stands.
func (v *liveView) PhaseText() string {
	st := v.State
	switch st.Phase {
	case follow.Waiting:
		return "plugged in " + words.Duration(math.Round(st.PluggedS)) + " ago, no power yet"
	case follow.Charging:
		if st.Finished {
			return "finished"
		}
		if st.Leg > 1 {
			return fmt.Sprintf("leg %d, plugged in at %s", st.Leg, v.WallRun(v.NowS-st.PluggedS))
		}
		return "plugged in at " + v.WallRun(v.NowS-st.PluggedS)
	case follow.Between:
		return "unplugged"
	}
	if st.Attempts > 0 {
		return fmt.Sprintf("%d failed %s, %s lost", st.Attempts, words.Plural(st.Attempts, "attempt"),
			words.Duration(math.Round(st.LostS)))
	}
	return "not plugged in yet"
}

// Stored says how old the newest reading is.
func (v *liveView) Stored() string {
	if math.IsNaN(v.StoredS) {
		return "nothing stored yet"
	}
	return "stored " + words.Duration(math.Round(v.StoredS)) + " ago"
}

// IsArrived and so on tell the phase to the page.
func (v *liveView) IsArrived() bool { return v.State.Phase == follow.Arrived }

// IsWaiting: plugged in, and no power yet.
func (v *liveView) IsWaiting() bool { return v.State.Phase == follow.Waiting }

// IsCharging: power is flowing, or has in this leg.
func (v *liveView) IsCharging() bool { return v.State.Phase == follow.Charging }

// IsBetween: unplugged after power.
func (v *liveView) IsBetween() bool { return v.State.Phase == follow.Between }

// PadKeys are the keys of the pad for thumbs.
func (v *liveView) PadKeys() []string {
	return []string{"1", "2", "3", "4", "5", "6", "7", "8", "9", ".", "0", " ", "back"}
}

// Failures are why a plug-in may not have led to power.
func (v *liveView) Failures() []string {
	return []string{"payment refused", "handshake failed", "stall dead", "red light"}
}

// markButton makes a mark with one tap or key.
type markButton struct{ Kind, Label, Note, Key, Ask string }

// MarkButtons are the marks worth a button.
func (v *liveView) MarkButtons() []markButton {
	return []markButton{
		{run.Fan, "Fans", "", "f", ""}, {run.Heater, "Heater", "", "h", ""}, {run.Neighbour, "Neighbour", "", "o", ""},
		{
			run.Note,
			"Dip",
			"dip",
			"i",
			"",
		}, {run.Note, "Screen froze", "screen froze", "z", ""}, {run.Note, "Note", "", "t", "What happened?"},
	}
}
