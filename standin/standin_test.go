package standin_test

import (
	"bufio"
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/trace"
	"zincroad/formats/profile"
	"zincroad/internal/ocppschema"
	"zincroad/standin"
)

var quiet = slog.New(slog.DiscardHandler)

const scenario = `{"car": {"chemistry": "NMC", "usable_kwh": 75, "cells_in_series": 96, "max_kw": 200, "heater_kw": 4.4, "warm_c": 25},
	"stall": {"rated_kw": 350, "max_a": 500}, "from_pct": 10, "to_pct": 80, "battery_c": 18, "ambient_c": 6, "plug_s": 1, "faults": [%s]}`

func world(t *testing.T, speed float64, faults string) *standin.World {
	t.Helper()
	sc, err := standin.ReadScenario(fmt.Appendf(nil, scenario, faults))
	require.NoError(t, err)
	w, err := standin.NewWorld(sc, speed, 7)
	require.NoError(t, err)
	return w
}

// first is the world just after the plug-in.
func first(t *testing.T, faults string) standin.State {
	t.Helper()
	w := world(t, 10, faults)
	var s standin.State
	require.Eventually(t, func() bool { s = w.Now(); return s.Plugged }, 5*time.Second, time.Millisecond)
	return s
}

// ISO 15765-2, examples from memory: up to seven bytes in a single frame; a longer
// message in a first frame with its length in twelve bits and consecutive frames
// numbered 1 to 15 and then 0.
func TestSegmentation(t *testing.T) {
	hexes := func(frames [][]byte) []string {
		var out []string
		for _, f := range frames {
			out = append(out, strings.ToUpper(hex.EncodeToString(f)))
		}
		return out
	}
	assert.Equal(t, []string{"0362F190AAAAAAAA"}, hexes(standin.Frames([]byte{0x62, 0xF1, 0x90})))
	vin := append(
		[]byte{0x62, 0xF1, 0x90},
		[]byte("ZZWEND0LIBRARY001")...) // 20 bytes, as every vehicle identification answer
	assert.Equal(t, []string{"101462F1905A5A57", "21454E44304C4942", "2252415259303031"}, hexes(standin.Frames(vin)))
	long := standin.Frames(make([]byte, 6+7*17))
	assert.Equal(t, byte(0x2F), long[15][0])
	assert.Equal(t, byte(0x20), long[16][0], "after 15 comes 0")
	assert.Equal(t, byte(0x10), standin.Frames(make([]byte, 255))[0][0])
	assert.Equal(t, []byte{0x11, 0x00}, standin.Frames(make([]byte, 256))[0][:2])
}

// client is written from the descriptions of the dialect and of ISO 14229 alone: a
// command ends with a carriage return, an answer with a prompt; without headers a
// long message is its length in hex and numbered lines.
type client struct {
	*testing.T
	c net.Conn
	r *bufio.Reader
}

func (c *client) say(command string) []string {
	c.Helper()
	require.NoError(c, c.c.SetDeadline(time.Now().Add(10*time.Second)))
	_, err := c.c.Write([]byte(command + "\r"))
	require.NoError(c, err)
	text, err := c.r.ReadString('>')
	require.NoError(c, err)
	var out []string
	for _, l := range strings.Split(strings.NewReplacer("\n", "\r", ">", "").Replace(text), "\r") {
		if l = strings.TrimSpace(l); l != "" {
			out = append(out, l)
		}
	}
	return out
}

func adapter(t *testing.T, w *standin.World) *client {
	t.Helper()
	p, err := profile.Parse(profile.Example())
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- (&standin.Adapter{World: w, Profile: p, Log: quiet}).Serve(ctx, l) }()
	t.Cleanup(func() { stop(); require.NoError(t, <-done) })
	c, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	t.Cleanup(func() { c.Close() })
	return &client{t, c, bufio.NewReader(c)}
}

func TestAdapterSpeaksTheDialect(t *testing.T) {
	w := world(t, 60, "")
	c := adapter(t, w)
	assert.Contains(t, c.say("ATZ")[1], "stand-in", "the reset echoes, and says who it is")
	assert.Equal(t, []string{"ATE0", "OK"}, c.say("ATE0"), "the echo goes with the next command")
	assert.Equal(t, []string{"OK"}, c.say("AT S0"), "spaces within a command mean nothing")
	assert.Equal(t, []string{"?"}, c.say("ATQQ"))
	assert.Equal(t, []string{"?"}, c.say("hello"))
	assert.Equal(t, []string{"OK"}, c.say("ATSH7A1"))
	first := c.say("22D010")
	require.Len(t, first, 2)
	assert.Equal(t, "SEARCHING...", first[0], "only the first time")
	require.Regexp(t, "^62D010[0-9A-F]{4}$", first[1])
	var soc int
	_, err := fmt.Sscanf(first[1][6:], "%x", &soc)
	require.NoError(t, err)
	assert.InDelta(t, 10, float64(soc)/100, 3, "hundredths of a percent, near the start")

	long := c.say("22D030") // ten bytes of temperatures: more than one frame holds
	require.GreaterOrEqual(t, len(long), 3)
	assert.Equal(t, "00D", long[0], "its length: identifier, service and ten bytes")
	assert.True(t, strings.HasPrefix(long[1], "0:") && strings.HasPrefix(long[2], "1:"))
	require.Equal(t, []string{"OK"}, c.say("ATH1"))
	framed := c.say("22D030")
	assert.True(t, strings.HasPrefix(framed[0], "7A9100D62D030"), framed[0])
	assert.True(t, strings.HasPrefix(framed[1], "7A921"), framed[1])

	require.Equal(t, []string{"OK"}, c.say("ATCFC0"))
	assert.Len(t, c.say("22D030"), 1, "without flow control nothing follows the first frame")
	require.Equal(t, []string{"OK"}, c.say("ATCFC1"))
	assert.Equal(t, len(framed), len(c.say("22D030")))

	assert.Equal(t, "7A9037F2231AAAAAAAA", c.say("22FFFF")[0], "an unknown identifier: request out of range")
	assert.Equal(t, "7A9037F1011AAAAAAAA", c.say("1001")[0], "another service: not supported")
	assert.Equal(t, []string{"OK"}, c.say("ATSH7FF"))
	assert.Equal(t, []string{"NO DATA"}, c.say("22D010"), "nobody there")
}

func TestFaultsOfTheCar(t *testing.T) {
	t.Parallel()
	t.Run("frozen values", func(t *testing.T) {
		w := world(t, 120, `{"kind": "frozen-values", "at_s": 0}`)
		a := w.CarValues().SoCPct
		require.Eventually(t, func() bool { return w.Now().SoCPct > a+0.5 }, 10*time.Second, 20*time.Millisecond)
		assert.Equal(t, a, w.CarValues().SoCPct)
	})
	t.Run("dropped adapter", func(t *testing.T) {
		w := world(t, 1, `{"kind": "adapter-dropped", "at_s": 0}`)
		c := adapter(t, w)
		require.NoError(t, c.c.SetDeadline(time.Now().Add(5*time.Second)))
		_, _ = c.c.Write([]byte("ATZ\r"))
		_, err := c.r.ReadByte()
		assert.Error(t, err, "the connection is gone")
	})
	t.Run("bus trouble", func(t *testing.T) {
		c := adapter(t, world(t, 1, `{"kind": "can-error", "at_s": 0}`))
		c.say("ATZ")
		c.say("ATE0")
		c.say("ATSH7A1")
		assert.Equal(t, []string{"SEARCHING...", "CAN ERROR"}, c.say("22D010"))
	})
	t.Run("late answers, and one that is cut short", func(t *testing.T) {
		c := adapter(t, world(t, 10, `{"kind": "late-readings", "at_s": 0, "by": 20}`))
		c.say("ATE0")
		c.say("ATSH7A1")
		began := time.Now()
		c.say("22D010")
		assert.Greater(t, time.Since(began), 1900*time.Millisecond, "20 simulated seconds at ten times the speed")
		_, err := c.c.Write([]byte("22D010\r"))
		require.NoError(t, err)
		assert.Equal(t, []string{"STOPPED"}, c.say(""), "what is typed meanwhile stops it")
	})
	t.Run("a cold pack, and one that is hot", func(t *testing.T) {
		assert.InDelta(t, 3, first(t, `{"kind": "cold-pack", "by": 15}`).Battery.ColdestC, 0.2)
		assert.InDelta(t, 38, first(t, `{"kind": "heat-throttle"}`).Battery.ColdestC, 0.2)
	})
	t.Run("a cable that gets warm", func(t *testing.T) {
		w := world(t, 120, `{"kind": "cable-derated", "at_s": 200, "by": 0.3}`)
		most := map[bool]float64{}
		require.Eventually(t, func() bool {
			s := w.Now()
			late := s.ClockS > 210
			most[late] = max(most[late], s.Amps)
			return s.ClockS > 240
		}, 10*time.Second, 5*time.Millisecond)
		assert.Greater(t, most[false], 200.0)
		assert.LessOrEqual(t, most[true], 150.5, "0.3 of 500 A")
	})
	t.Run("a neighbour: what is offered falls", func(t *testing.T) {
		sc, err := standin.ReadScenario(
			[]byte(
				strings.Replace(
					fmt.Sprintf(scenario, `{"kind": "neighbour", "at_s": 100, "for_s": 100}`),
					`"max_a": 500`,
					`"max_a": 500, "shared_kw": 120`,
					1,
				),
			),
		)
		require.NoError(t, err)
		w, err := standin.NewWorld(sc, 120, 7)
		require.NoError(t, err)
		seen := map[float64]bool{}
		require.Eventually(t, func() bool {
			s := w.Now()
			seen[s.OfferedKW] = true
			return s.ClockS > 220
		}, 10*time.Second, 5*time.Millisecond)
		assert.True(t, seen[350] && seen[60], "%v", seen)
	})
	t.Run("dead stall", func(t *testing.T) {
		w := world(t, 120, `{"kind": "stall-dead", "at_s": 100}`)
		require.Eventually(t, func() bool { return w.Now().Status == "Faulted" }, 10*time.Second, 20*time.Millisecond)
		assert.Zero(t, w.Now().StallKW)
	})
	t.Run("refused payment", func(t *testing.T) {
		w := world(t, 120, `{"kind": "payment-refused"}`)
		seen := false
		require.Eventually(t, func() bool {
			s := w.Now()
			seen = seen || s.Status == "Preparing" && s.StallKW == 0
			return s.StallKW > 10
		}, 10*time.Second, 5*time.Millisecond)
		assert.True(t, seen)
		assert.Greater(t, w.Now().ClockS, 100.0, "a minute and three quarters are lost")
	})
	t.Run("a kind that is none", func(t *testing.T) {
		_, err := standin.ReadScenario(fmt.Appendf(nil, scenario, `{"kind": "gremlins"}`))
		assert.ErrorContains(t, err, `fault 1: "gremlins" is no kind of fault`)
	})
}

// Every call of the charger is valid by the protocol's published schemas, its meter
// values add up, and what was not answered is sent again.
func TestChargePointBySchema(t *testing.T) {
	t.Parallel()
	check := ocppschema.New(t)
	type message struct {
		action  string
		payload json.RawMessage
	}
	var mu sync.Mutex
	var got []message
	dropped := false
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ws, err := websocket.Accept(w, r, &websocket.AcceptOptions{Subprotocols: []string{"ocpp1.6"}})
		if err != nil {
			return
		}
		defer ws.CloseNow()
		for {
			_, text, err := ws.Read(r.Context())
			if err != nil {
				return
			}
			var parts []json.RawMessage
			if json.Unmarshal(text, &parts) != nil || len(parts) != 4 {
				return
			}
			var action string
			_ = json.Unmarshal(parts[2], &action)
			mu.Lock()
			got = append(got, message{action, parts[3]})
			drop := action == "MeterValues" && !dropped && len(got) > 8
			dropped = dropped || drop
			mu.Unlock()
			if drop {
				return // heard, but never answered
			}
			answer := map[string]string{"BootNotification": `{"status":"Accepted","currentTime":"2026-01-01T00:00:00Z","interval":60}`,
				"StartTransaction": `{"transactionId":11,"idTagInfo":{"status":"Accepted"}}`}[action]
			if answer == "" {
				answer = "{}"
			}
			if ws.Write(r.Context(), websocket.MessageText, fmt.Appendf(nil, "[3,%s,%s]", parts[1], answer)) != nil {
				return
			}
		}
	}))
	defer srv.Close()
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() {
		done <- (&standin.Charger{World: world(t, 120, ""), URL: "ws" + srv.URL[4:] + "/MILL-1", Log: quiet}).Run(ctx)
	}()
	require.Eventually(t, func() bool {
		mu.Lock()
		defer mu.Unlock()
		return slices.ContainsFunc(got, func(m message) bool { return m.action == "StopTransaction" })
	}, 40*time.Second, 50*time.Millisecond)
	stop()
	require.NoError(t, <-done)
	mu.Lock()
	defer mu.Unlock()
	count := map[string]int{}
	var last json.RawMessage
	again := false
	register := 0.0
	for _, m := range got {
		check.Check(t, m.action+".req", m.payload)
		count[m.action]++
		if m.action == "MeterValues" {
			again = again || string(m.payload) == string(last)
			last = m.payload
			var v struct {
				MeterValue []struct {
					SampledValue []struct{ Value, Measurand, Unit string }
				}
			}
			require.NoError(t, json.Unmarshal(m.payload, &v))
			for _, s := range v.MeterValue[0].SampledValue {
				if s.Measurand == "Energy.Active.Import.Register" {
					var wh float64
					_, err := fmt.Sscan(s.Value, &wh)
					require.NoError(t, err)
					assert.GreaterOrEqual(t, wh, register, "a register only climbs")
					register = wh
				}
			}
		}
	}
	assert.Equal(t, 2, count["BootNotification"], "once at first, once after the lost connection")
	assert.Equal(t, 1, count["StartTransaction"])
	assert.Equal(t, 1, count["StopTransaction"])
	assert.Greater(t, count["MeterValues"], 60)
	assert.True(t, again, "what was not answered is said again")
}

// The screen switches its pages by itself and shows no more than a screen does.
func TestScreen(t *testing.T) {
	w := httptest.NewRecorder()
	(&standin.Screen{World: world(t, 1, "")}).ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/", nil))
	assert.Equal(t, 200, w.Code)
	assert.Contains(t, w.Body.String(), "of 3, simulated")
	w = httptest.NewRecorder()
	(&standin.Screen{World: world(t, 1, "")}).ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/other", nil))
	assert.Equal(t, 404, w.Code)
}

// A value that is written and read again is itself, to the resolution of its bytes.
func TestProfileThereAndBack(t *testing.T) {
	p, err := profile.Parse(profile.Example())
	require.NoError(t, err)
	for _, c := range p.Channels {
		data := make([]byte, c.Start+c.Length)
		for _, v := range []float64{0, 1, 3.4, 17, 80} {
			if c.Channel == trace.HeaterPower && v > 20 {
				continue
			}
			c.Write(data, v)
			got, ok := c.Read(data)
			require.True(t, ok)
			in, _ := trace.Describe(c.Channel)
			tolerance := c.Factor / 2
			if c.Unit == "W" {
				tolerance /= 1000
			}
			assert.InDelta(t, v, got, tolerance+1e-9, "%s %g %s", c.Channel, v, in.Unit)
		}
	}
}

// A pack has volts whether it is plugged in or not: before the plug goes in and after the
// end the adapter answers with the pack at rest.
func TestPackHasVoltsUnplugged(t *testing.T) {
	of := func(change func(*standin.Scenario)) *standin.World {
		sc, err := standin.ReadScenario(fmt.Appendf(nil, scenario, ""))
		require.NoError(t, err)
		sc.FromPct = 78
		change(sc)
		w, err := standin.NewWorld(sc, 1000, 3)
		require.NoError(t, err)
		return w
	}
	before := of(func(sc *standin.Scenario) { sc.PlugS = 36000 }).CarValues()
	assert.Greater(t, before.PackV, 250.0)
	assert.Zero(t, before.Amps)
	w := of(func(*standin.Scenario) {})
	// The second in which it is over still has its amps; the one behind it has none.
	var after standin.State
	require.Eventually(t, func() bool {
		after = w.CarValues()
		return after.Over && after.Amps == 0
	}, 20*time.Second, 5*time.Millisecond)
	assert.InDelta(t, before.PackV, after.PackV, 12, "two points more of charge, and at rest again")
}
