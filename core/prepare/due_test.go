package prepare_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/say"
)

// What is due comes when it is due, and not before.
func TestDue(t *testing.T) {
	shared, adapter := &run.Stall{SharedKW: n(180)}, &run.Adapter{Name: "Bobbin"}
	for _, tt := range []struct {
		name     string
		method   string
		stall    *run.Stall
		adapter  *run.Adapter
		at       prepare.Present
		says     []string // each in one of the items or cautions
		saysNone []string
	}{
		{"before the plug", "stop", nil, nil, prepare.Present{Stage: prepare.BeforePlug, FromPct: 10},
			[]string{"Logger running", "Climate off", "Plug in at 10 %", "Damaged cable"}, []string{"adapters", "0 % without"}},
		{"before it, with an adapter", "stop", nil, adapter, prepare.Present{Stage: prepare.BeforePlug, FromPct: 10},
			[]string{"never chain them"}, nil},
		{"before it, empty", "full", nil, nil, prepare.Present{Stage: prepare.BeforePlug},
			[]string{"flips from 1 to 0", "Do not run to 0 %"}, nil},
		{"before it, cold on purpose", "cold", nil, nil, prepare.Present{Stage: prepare.BeforePlug, FromPct: 10},
			[]string{"Extreme cold"}, nil},
		{"handshake", "stop", nil, nil, prepare.Present{Stage: prepare.Handshake}, []string{"contactors"},
			[]string{"three attempts"}},
		{"handshake after one that failed", "stop", nil, nil, prepare.Present{Stage: prepare.Handshake, Attempts: 1},
			[]string{"After three attempts"}, nil},

		{"far from a post", "stop", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 33, Leg: 1, ToPct: 80},
			[]string{"Log SoC and kW"}, []string{"Check in", "stop by"}},
		{"near a post", "stop", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 38.5, Leg: 1, ToPct: 80},
			[]string{"Check in at 40 %"}, nil},
		{"near the end", "stop", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 78.2, Leg: 1, ToPct: 80},
			[]string{"At 80 %: note the screen"}, []string{"Check in", "block a stall"}},
		{"above 80 %", "full", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 86, Leg: 1, ToPct: 100},
			[]string{"Do not block a stall"}, []string{"At 100 %"}},
		{"a shared cabinet", "stop", shared, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 33, Leg: 1,
			ToPct: 80}, []string{"neighbour"}, nil},
		{"charge not known", "stop", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: math.NaN(), Leg: 1,
			ToPct: 80}, []string{"Log SoC"}, []string{"Check in", "At 80 %"}},
		{"before the replug", "replug", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 44, Leg: 1,
			ToPct: 80}, nil, []string{"plug in again"}},
		{"at the replug", "replug", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 48, Leg: 1, ToPct: 80},
			[]string{"plug in again at 50 %", "Stop first, then unplug"}, nil},
		{"unplugged for it", "replug", nil, nil, prepare.Present{Stage: prepare.Unplugged, SoCPct: 50, Leg: 1,
			ToPct: 80}, []string{"Plug in again, within a minute"}, nil},
		{"after it", "replug", nil, nil, prepare.Present{Stage: prepare.Charging, SoCPct: 51, Leg: 2, ToPct: 80}, nil,
			[]string{"plug in again"}},
		{"at the end", "stop", nil, nil, prepare.Present{Stage: prepare.Unplugged, SoCPct: 80, Leg: 1, ToPct: 80},
			[]string{"free the stall"}, []string{"Plug in again"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			m, ok := prepare.MethodOf(tt.method)
			require.True(t, ok)
			do, cautions := prepare.Due(m, tt.stall, tt.adapter, tt.at)
			text := strings.Join(say.AllKept(cautions), "\n")
			for _, item := range do {
				text += "\n" + item.Do.Kept() + " " + item.Why.Kept()
			}
			for _, s := range tt.says {
				assert.Contains(t, text, s)
			}
			for _, s := range tt.saysNone {
				assert.NotContains(t, text, s)
			}
		})
	}
}
