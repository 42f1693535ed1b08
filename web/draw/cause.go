package draw

import "zincroad/core/limit"

// Look is how a cause is drawn: the letter that stands for it where there is no room, one capital, no two alike; and
// its hatch, the strokes of a tile of 8 by 8 as an SVG path, empty for none. The stall's limits lie level, the car's
// and the pack's slant, cold and heat are dotted, what comes and goes is broken; so no colour is needed.
type Look struct{ Letter, Hatch string }

var looks = map[limit.Cause]Look{
	limit.Ramp:           {"R", "M0 4h2M4 4h2"},
	limit.StallPower:     {"P", "M0 2h8M0 6h8"},
	limit.StallCurrent:   {"A", "M2 0v8M6 0v8"},
	limit.StallVoltage:   {"V", "M1 0v8M3 0v8M5 0v8M7 0v8"},
	limit.AdapterCurrent: {"D", "M0 4h8M4 0v8"},
	limit.CarPower:       {"K", "M0 8L8 0M-2 2L2 -2M6 10L10 6"},
	limit.CarCurrent:     {"I", "M0 0L8 8M6 -2L10 2M-2 6L2 10"},
	limit.CarConverter:   {"B", "M0 0L8 8M0 8L8 0"},
	limit.PackTaper:      {"T", "M0 8L8 0"},
	limit.Cold:           {"C", "M2 2h.1M6 6h.1"},
	limit.Hot:            {"H", "M1 1h.1M5 1h.1M3 3h.1M7 3h.1M1 5h.1M5 5h.1M3 7h.1M7 7h.1"},
	limit.TimerStep:      {"M", "M0 2h3M4 6h3"},
	limit.SoCStep:        {"S", "M4 2v4M2 4h4"},
	limit.Finish:         {"F", "M0 7h8"},
	limit.StallFault:     {"X", "M2 2l4 4M6 2l-4 4"},
	limit.SharedCabinet:  {"N", "M2 0v4M6 4v4"},
	limit.CableHot:       {"W", "M0 2q2 3 4 0t4 0M0 6q2 3 4 0t4 0"},
	limit.Paused:         {"–", ""},
	limit.Unknown:        {"?", ""},
}

// LookOf is how a cause is drawn; one that nobody drew is a question mark.
func LookOf(c limit.Cause) Look {
	if look, ok := looks[c]; ok {
		return look
	}
	return Look{Letter: "?"}
}

// Keyed is a cause as the key beside a strip has it.
type Keyed struct{ Letter, Name, Swatch string }

// KeyOf lists the causes of stretches, each once, in the order in which they held.
func KeyOf(held []Stretch) []Keyed {
	var out []Keyed
	seen := map[limit.Cause]bool{}
	for _, s := range held {
		if seen[s.Cause] || s.Cause == "" {
			continue
		}
		seen[s.Cause] = true
		look := LookOf(s.Cause)
		swatch := `<svg class="inline-block" viewBox="0 0 24 8" width="24" height="12" aria-hidden="true">` +
			`<rect class="held" x="0" y="0" width="24" height="8"/>`
		if look.Hatch != "" {
			for _, x := range []string{"0", "8", "16"} {
				swatch += `<path class="held-tile" d="` + look.Hatch + `" transform="translate(` + x + `)"/>`
			}
		}
		out = append(out, Keyed{look.Letter, s.Cause.Words(), swatch + `</svg>`})
	}
	return out
}
