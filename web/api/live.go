package api

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"strings"

	"zincroad/core/trace"
	"zincroad/logbook"
)

// liveReading stores readings of a run under way, once for each key however often it is sent. 200 is the
// acknowledgement: it is on disk.
func (s *Room) liveReading(w http.ResponseWriter, r *http.Request) error {
	row, err := s.rowOf(r)
	if err != nil {
		return err
	}
	var in struct {
		Key    string                    `json:"key"`  // the sender's own name for it
		Side   trace.Side                `json:"side"` // car or stall
		TS     *float64                  `json:"t_s"`  // after the run's start; null: now
		Values map[trace.Channel]float64 `json:"values"`
	}
	if err := body(r, &in); err != nil {
		return err
	}
	switch {
	case row.StartedAt == nil || !row.Live:
		return problem{Status: http.StatusConflict, Title: "This run is not under way",
			Detail: "readings of a run that has ended come in as a file"}
	case in.Key == "" || len(in.Key) > mostKey:
		return bad(fmt.Sprintf("key: expected 1 to %d characters that no other reading has", mostKey))
	case in.Side != trace.CarSide && in.Side != trace.StallSide:
		return bad(fmt.Sprintf("side: %q, expected car or stall", in.Side))
	case len(in.Values) == 0:
		return bad("values: expected one at least")
	}
	heard := s.now().UTC().Sub(*row.StartedAt).Seconds()
	at := heard
	if in.TS != nil {
		at = *in.TS
	}
	if !(at >= 0 && at <= heard+ahead) {
		return bad(fmt.Sprintf("t_s: %g, expected 0 to %.0f, the time since the run's start", at, heard))
	}
	var line []string
	for _, c := range trace.Channels {
		v, ok := in.Values[c.Channel]
		if !ok {
			continue
		}
		if math.IsNaN(v) || v < c.Min || v > c.Max {
			return bad(fmt.Sprintf("values.%s: %g, expected %g to %g %s", c.Channel, v, c.Min, c.Max, c.Unit))
		}
		text, _ := json.Marshal(v)
		line = append(line, fmt.Sprintf("%s %s", c.Channel, text))
	}
	if len(line) < len(in.Values) {
		return bad("values: one names no channel; docs/formats.md lists them")
	}
	err = s.book.Type(r.Context(), row.ID, in.Side, in.Key, strings.Join(line, " "), "",
		logbook.Sample{TS: at, HeardS: heard, Values: in.Values})
	if err != nil {
		return err
	}
	return answer(w, http.StatusOK, map[string]bool{"stored": true})
}

const (
	mostKey = 100 // bytes
	ahead   = 5.0 // s by which a sender's clock may be ahead
)
