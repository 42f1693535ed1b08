package vehicle

import (
	"math"

	"zincroad/core/say"
)

// SaidOfEnvelope says what the warm pack takes, where the car was seen to hold it.
func (m *Model) SaidOfEnvelope() say.Text {
	var parts []say.Text
	for _, soc := range []float64{20, 50, 80} {
		if m.Saw(soc) {
			parts = append(parts, say.T("vehicle.kw-at", say.Fig(m.At(soc), 0), say.Fig(soc, 0)))
		}
	}
	if len(parts) == 0 {
		return say.T("vehicle.held-by-stalls")
	}
	return say.T("vehicle.warm-takes", say.List(parts...))
}

// SaidOfRests says on which runs it all rests.
func (m *Model) SaidOfRests() say.Text {
	out := say.T("vehicle.from-one-run")
	if n := len(m.Runs); n != 1 {
		out = say.T("vehicle.from-runs", n)
	}
	var versions []say.Text
	for _, v := range m.Software {
		if v != "" {
			versions = append(versions, say.Own(v))
		}
	}
	if len(versions) > 0 {
		out = out.And("vehicle.on-software", say.List(versions...))
	}
	return out.And("stop")
}

// SaidOfWarmth says what cold does, where a run was cold; nil where none was.
func (m *Model) SaidOfWarmth() say.Text {
	if m.WarmC == nil || m.HalfK == nil {
		return nil
	}
	return say.T("vehicle.cold-from", say.Q(*m.WarmC, "°C", 0), say.Q(*m.WarmC-*m.HalfK, "°C", 0))
}

// SaidOfKnown says how well a car is known: how its runs were foretold from each other.
func SaidOfKnown(list []HeldOut) say.Text {
	if len(list) == 0 {
		return say.T("vehicle.none-foretold")
	}
	within, off := 0, 0.0
	for _, h := range list {
		if h.Within() {
			within++
		}
		off += math.Abs(h.ForetoldS/h.MeasuredS - 1)
	}
	return say.T("vehicle.foretold", within, len(list), say.Fig(100*off/float64(len(list)), 0))
}
