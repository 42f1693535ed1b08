package standin

import (
	"fmt"
	"math"
	"net/http"
	"time"
)

// Screen is the charger's screen as a page: three pages that switch by themselves,
// kW rounded and late, so that readings can be typed as at a real one.
type Screen struct{ World *World }

// lagS is how old what the screen shows is, at most.
const (
	pageS = 6
	lagS  = 3
)

// ServeHTTP shows the page whose turn it is.
func (s *Screen) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.URL.Path != "/" {
		http.NotFound(w, r)
		return
	}
	st := s.World.Now()
	turn := int(time.Now().Unix()/pageS) % 3
	minutes := 0.0
	if st.T > 0 {
		minutes = math.Floor((st.T - math.Mod(st.T, lagS)) / 60)
	}
	var rows string
	switch turn {
	case 0:
		rows = fmt.Sprintf("<p><b>%.0f</b> %%</p><p><b>%.0f</b> kW</p>", math.Floor(st.SoCPct), math.Round(st.StallKW))
	case 1:
		rows = fmt.Sprintf("<p><b>%.1f</b> kWh</p><p><b>%.0f</b> min</p>", st.KWh, minutes)
	default:
		rows = fmt.Sprintf("<p><b>%.0f</b> V</p><p><b>%.0f</b> A</p>", st.PackV, st.Amps)
		if t := s.World.sc.Stall; t != nil && t.Tariff != nil && t.Tariff.PerKWh != nil {
			rows = fmt.Sprintf("<p><b>%.2f</b> %s</p>", st.KWh**t.Tariff.PerKWh, t.Tariff.Currency)
		}
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'")
	fmt.Fprintf(
		w,
		`<!doctype html><html lang="en"><head><meta charset="utf-8"><meta http-equiv="refresh" content="%d">
<title>Charger's screen, a stand-in</title>
<style>body{background:#10202c;color:#dfe9f0;font:26px sans-serif;
  display:grid;place-content:center;min-height:90vh;text-align:center}
b{font-size:84px}small{color:#9fb2c0}</style></head>
<body><h1>%s</h1>%s<small>page %d of 3, simulated</small></body></html>`,
		lagS,
		st.Status,
		rows,
		turn+1,
	)
}
