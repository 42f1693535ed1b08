package web

import (
	"fmt"
	"math"
	"net/http"

	"zincroad/core/pack"
	"zincroad/core/words"
)

// liveTexts are the definitions of a live run's figures in a few sentences each.
var liveTexts = map[string][2]string{
	"counted":  {"Counted charge", "The display's state of charge, carried on since it last changed by the energy since: 96 % of the stall's energy, or all of the car's, over the usable capacity. The power read last is taken to go on for 2 minutes at most. The car's display counts, or the stall's where that is more than a minute newer."},
	"expected": {"Expected times", "The rest of the run worked out like any forecast, from the counted charge and the temperatures read, as a session that goes on from where this one stands: charge, both temperatures, and how long this leg has had power. Where the power is not what ratings and envelope give, the limit that seems to hold is taken for what it is, or the envelope scaled to what the pack has taken of it (median of the last readings). The range is that of ±5 % of the envelope, ±2 % of the capacity and ±1 K."},
	"holding": {"What seems to hold the power",
		"From the last 90 seconds, or of typed lines the last four within eight minutes: what the stall says it offers, if all of it flows. Else every cause is weighed by how far the readings are from what it would make of them: amps level at a noted rating, or at none; power level at the converter's, the car's or just under the stall's rating, or at half of a shared cabinet; what the pack would take at this charge, cold, warm or hot, where amps that stay level and power that does not rise speak against the cold. The nearest is named, and is sure where it fits well and the next one clearly worse. Else a sudden fall, and what would tell its cause."},
	"alert": {"Away from the forecast", "Power at the same state of charge differs from the forecast by more than 10 kW and 15 %, for a minute or longer. The forecast starts from the first charge and the first temperatures that were read."},
	"lost":  {"Time lost", "From the plug-in of the first failed attempt to the plug-in that led to power. It is no charging time."},
}

// howLive explains one of a live run's figures with the numbers of this moment.
func (s *Server) howLive(w http.ResponseWriter, r *http.Request) {
	figure, text, err := definitionOf(r, liveTexts)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v, ok := s.liveViewOf(w, r)
	if !ok {
		return
	}
	s.explain(w, r, howView{Name: text[0], Of: "this run, now", Definition: text[1], Numbers: v.numbersFor(figure),
		Back: fmt.Sprintf("/stall/%d", v.Row.ID), BackText: "Back to the run"}, Frame{Page: "stall"})
}

// numbersFor puts a definition's terms with this moment's numbers into lines.
func (v *liveView) numbersFor(figure string) []string {
	st := v.State
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	switch figure {
	case "counted":
		if st.SoC.Known() {
			say("display: %s, read %s ago", percent(st.SoC.V), words.Duration(math.Round(st.SoC.AgeS)))
		}
		if !math.IsNaN(st.Counted) {
			say("counted: %s %%", words.Fixed(st.Counted, 2))
		}
		if b, err := pack.For(v.Plan.Car); err == nil {
			say("usable capacity: %s kWh", words.Fixed(b.UsableKWh, 1))
		}
	case "expected":
		if e := st.End; e != nil {
			say("%s at %s: %s after plug-in, from %s to %s", percent(e.SoCPct), v.Wall(e.TS), words.Clock(e.TS), words.Clock(e.LowS), clockOrNever(e.HighS))
		}
		if f := st.Forecast; f != nil {
			if p, ok := f.Post(v.Plan.ToPct); ok {
				say("the forecast before plug-in: %s after plug-in, from %s to %s", words.Clock(p.TS), words.Clock(p.LowS), clockOrNever(p.HighS))
			}
		}
		if st.Holding != nil {
			say("taken to hold: %s", st.Holding.Reason)
		}
	case "holding":
		if h := st.Holding; h != nil {
			say("%s: %s", h.Cause.Words(), h.Reason)
			say("%s", map[bool]string{true: "sure", false: "not sure"}[h.Sure])
		}
		for _, x := range []struct {
			name, unit string
			v          float64
		}{{"power", "kW", st.KW.V}, {"amps", "A", st.Amps.V}, {"volts", "V", st.Volts.V}, {"coldest cell", "°C", st.Coldest.V}, {"warmest cell", "°C", st.Warmest.V}} {
			if !math.IsNaN(x.v) {
				say("%s: %s %s", x.name, words.Figure(x.v, 1), x.unit)
			}
		}
	case "alert":
		if a := st.Alert; a != nil {
			say("%s kW away since %s", words.Figure(a.ByKW, 1), v.Wall(a.SinceTS))
		} else {
			say("within the forecast")
		}
	case "lost":
		say("%d failed %s, %s", st.Attempts, plural(st.Attempts, "attempt"), words.Duration(math.Round(st.LostS)))
	}
	return out
}

func clockOrNever(s float64) string {
	if math.IsNaN(s) {
		return "never"
	}
	return words.Clock(s)
}
