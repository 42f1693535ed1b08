package health

import (
	"math"

	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
)

// MarkProposal is a mark that nobody made, though the power shows what happened.
type MarkProposal struct {
	TS     float64  `json:"t_s"` // on the run's own clock
	Kind   string   `json:"kind"`
	Reason say.Text `json:"reason"`
	Drive  bool     `json:"drive"` // a drive lies on its far side, which every figure counts until it is marked
}

// How charging is told from a drive (common practice, no source): a drive takes power out of the
// pack and puts it back for seconds; charging puts it in for a minute and more.
const (
	driveKW     = 1.0 // out of the pack
	chargeLeast = 60  // s without power being taken out
	handshakeS  = 60  // how long before power comes again the plug may have gone in
	pauseS      = 45  // without power, from which on it may have been a replug
)

// Marks proposes marks for a run that has no plug-in mark, by its power in order of time, into the
// battery positive: a plug-in where the log begins with the drive there, an unplug where it ends
// with one, and an unplug and a plug-in around a pause. None where a plug-in is marked.
func Marks(marks []run.Mark, power trace.Series) []MarkProposal {
	for _, m := range marks {
		if m.Kind == run.PlugIn {
			return nil
		}
	}
	legs := ChargingIn(power)
	if len(legs) == 0 {
		return nil
	}
	var out []MarkProposal
	first, last := legs[0], legs[len(legs)-1]
	if i, drove := lastDriven(power, first.From); drove {
		out = append(out, MarkProposal{first.From, run.PlugIn, say.T("health.the-log-begins-with", say.Clock(power.T[i]),
			say.Clock(first.From)), true})
	}
	for k := 1; k < len(legs); k++ {
		pause := trace.Span{From: legs[k-1].To, To: legs[k].From}
		out = append(out,
			MarkProposal{pause.From, run.Unplug, say.T("health.no-power-for", say.Duration(pause.Len())), false},
			MarkProposal{math.Max(pause.From+1, pause.To-handshakeS/2), run.PlugIn,
				say.T("health.power-comes-again", say.Clock(pause.To)), false})
	}
	if drivesAfter(power, last.To) {
		out = append(
			out,
			MarkProposal{last.To, run.Unplug, say.T("health.ends-with-drive",
				say.Clock(last.To)), true},
		)
	}
	return out
}

// ChargingIn lists the stretches of a minute and more in which power flows in, dips left out.
func ChargingIn(p trace.Series) []trace.Span {
	var out []trace.Span
	from, to := math.NaN(), math.NaN()
	end := func() {
		if to-from >= chargeLeast {
			out = append(out, trace.Span{From: from, To: to})
		}
		from, to = math.NaN(), math.NaN()
	}
	for i, kw := range p.V {
		t := p.T[i]
		switch {
		case kw <= -driveKW:
			end()
		case kw >= run.PowerFloorKW:
			if math.IsNaN(from) {
				from = t
			}
			to = t
		case t-to > pauseS:
			end()
		}
	}
	end()
	return out
}

// DroveBetween tells whether power was taken out of the pack, as on a drive, between two times.
func DroveBetween(p trace.Series, from, to float64) bool {
	at, ok := lastDriven(p, to)
	return ok && p.T[at] > from
}

// lastDriven gives the last reading before a time at which power was taken out of the pack.
func lastDriven(p trace.Series, before float64) (at int, ok bool) {
	for i := range p.T {
		if p.T[i] >= before {
			break
		}
		if p.V[i] <= -driveKW {
			at, ok = i, true
		}
	}
	return at, ok && at+1 < p.Len()
}

func drivesAfter(p trace.Series, t float64) bool {
	for i := range p.T {
		if p.T[i] > t && p.V[i] <= -driveKW {
			return true
		}
	}
	return false
}
