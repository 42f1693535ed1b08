package standin

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/coder/websocket"

	"zincroad/internal/again"
)

// Charger is a charger that speaks the open charge-point protocol 1.6 (JSON over
// WebSocket) to a central system: it connects there, and again when the connection
// is lost, and keeps meter values until they are answered.
type Charger struct {
	World  *World
	URL    string  // of the central system, ending in the charge point's name
	EveryS float64 // simulated seconds between meter values; 0: 5
	Log    *slog.Logger

	next    int
	waiting []call // not answered yet, in order
}

type call struct {
	id, action string
	payload    any
}

const stamp = "2006-01-02T15:04:05.000Z"

// clock is the charger's own, wrong where that is the fault.
func (c *Charger) clock() string {
	t := c.World.Clock()
	if f, ok := c.World.has(ClockWrong); ok {
		t = t.Add(time.Duration(orElse(f.By, 7) * float64(time.Minute)))
	}
	return t.UTC().Format(stamp)
}

// firstWait is how soon it connects again; twice as long each time that it fails.
const firstWait = 300 * time.Millisecond

// Run speaks until the context ends.
func (c *Charger) Run(ctx context.Context) error {
	wait := again.Wait{First: firstWait, Most: 5 * time.Second, Lasting: firstWait}
	var talk talk
	_ = again.Do(ctx, wait, func(ctx context.Context) error {
		err := c.connect(ctx, &talk)
		if ctx.Err() == nil {
			c.Log.Info("charge point", "away", err)
		}
		return cmp.Or(err, errHungUp)
	})
	return nil
}

// errHungUp is what a connection that ended without an error comes to.
var errHungUp = errors.New("hung up")

// talk is what the charge point has told so far.
type talk struct {
	status      string
	transaction int
	charging    bool
	meterAt     float64
	booted      bool
}

// connect speaks over one connection until it is lost.
func (c *Charger) connect(ctx context.Context, t *talk) error {
	dial, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	ws, _, err := websocket.Dial(dial, c.URL, &websocket.DialOptions{Subprotocols: []string{"ocpp1.6"}})
	if err != nil {
		return fmt.Errorf("connecting: %w", err)
	}
	defer ws.CloseNow()
	t.status = ""
	if _, err := c.ask(ctx, ws, "BootNotification", map[string]any{"chargePointVendor": "Wend Valley",
		"chargePointModel": "stand-in"}); err != nil {
		return err
	}
	t.booted = true
	for ctx.Err() == nil {
		if err := c.tell(ctx, ws, t); err != nil {
			return err
		}
		if !c.World.Wait(ctx, min(1, orElse(c.EveryS, 5))) {
			break
		}
	}
	ws.Close(websocket.StatusNormalClosure, "")
	return ctx.Err()
}

// tell says what is new: a change of status, a beginning, a meter value, an end.
func (c *Charger) tell(ctx context.Context, ws *websocket.Conn, t *talk) error {
	s := c.World.Now()
	if err := c.tellStatus(ctx, ws, t, s.Status); err != nil {
		return err
	}
	if s.Plugged && s.StallKW > 0 && !t.charging {
		if err := c.begin(ctx, ws, t, s.Register); err != nil {
			return err
		}
	}
	if s.ClockS >= t.meterAt+orElse(c.EveryS, 5) {
		t.meterAt = s.ClockS
		value := map[string]any{"connectorId": 1, "meterValue": []any{c.meter(s)}}
		if t.charging {
			value["transactionId"] = t.transaction
		}
		c.keep("MeterValues", value)
	}
	if err := c.flush(ctx, ws); err != nil {
		return err
	}
	if !t.charging || s.Plugged && !s.Over {
		return nil
	}
	t.charging = false
	_, err := c.ask(ctx, ws, "StopTransaction", map[string]any{"transactionId": t.transaction,
		"meterStop": int(s.Register * 1000), "timestamp": c.clock(), "reason": "Local"})
	return err
}

// tellStatus says how the connector stands where that is news.
func (c *Charger) tellStatus(ctx context.Context, ws *websocket.Conn, t *talk, status string) error {
	if status == t.status {
		return nil
	}
	code := "NoError"
	if status == "Faulted" {
		code = "InternalError"
	}
	_, err := c.ask(ctx, ws, "StatusNotification",
		map[string]any{"connectorId": 1, "errorCode": code, "status": status, "timestamp": c.clock()})
	if err == nil {
		t.status = status
	}
	return err
}

// begin starts a transaction at so many kWh of the register.
func (c *Charger) begin(ctx context.Context, ws *websocket.Conn, t *talk, registerKWh float64) error {
	answer, err := c.ask(ctx, ws, "StartTransaction", map[string]any{"connectorId": 1, "idTag": "WORKSHOP",
		"meterStart": int(registerKWh * 1000), "timestamp": c.clock()})
	if err != nil {
		return err
	}
	var got struct {
		TransactionID int `json:"transactionId"`
	}
	if err := json.Unmarshal(answer, &got); err != nil {
		return fmt.Errorf("StartTransaction: %w", err)
	}
	t.transaction, t.charging = got.TransactionID, true
	return nil
}

// meter is one meter value, with power offered beside power delivered.
func (c *Charger) meter(s State) map[string]any {
	value := func(measurand, unit string, v float64, decimals int) map[string]any {
		return map[string]any{
			"value":     strconv.FormatFloat(v, 'f', decimals, 64),
			"context":   "Sample.Periodic",
			"measurand": measurand,
			"unit":      unit,
			"location":  "Outlet",
		}
	}
	amps := 0.0
	if s.PackV > 0 {
		amps = s.StallKW * 1000 / s.PackV
	}
	soc := value("SoC", "Percent", s.SoCPct, 0)
	soc["location"] = "EV"
	sampled := []any{
		value("Power.Active.Import", "W", s.StallKW*1000, 0),
		value("Current.Import", "A", amps, 1),
		value("Voltage", "V", s.PackV, 1),
		value("Energy.Active.Import.Register", "Wh", s.Register*1000, 0),
		soc,
	}
	if s.OfferedKW > 0 && !math.IsInf(s.OfferedKW, 1) {
		sampled = append(sampled, value("Power.Offered", "W", s.OfferedKW*1000, 0))
	}
	return map[string]any{"timestamp": c.clock(), "sampledValue": sampled}
}

func (c *Charger) keep(action string, payload any) {
	c.next++
	c.waiting = append(c.waiting, call{strconv.Itoa(c.next), action, payload})
}

// flush sends what is kept, one after the other, each until it is answered.
func (c *Charger) flush(ctx context.Context, ws *websocket.Conn) error {
	for len(c.waiting) > 0 {
		if _, err := exchange(ctx, ws, c.waiting[0]); err != nil {
			return err
		}
		c.waiting = c.waiting[1:]
	}
	return nil
}

func (c *Charger) ask(ctx context.Context, ws *websocket.Conn, action string, payload any) (json.RawMessage, error) {
	c.next++
	return exchange(ctx, ws, call{strconv.Itoa(c.next), action, payload})
}

// exchange sends a call, [2, id, action, payload], and waits for its answer,
// [3, id, payload]; an error is [4, id, code, description, details].
func exchange(ctx context.Context, ws *websocket.Conn, x call) (json.RawMessage, error) {
	ctx, cancel := context.WithTimeout(ctx, 15*time.Second)
	defer cancel()
	text, err := json.Marshal([]any{2, x.id, x.action, x.payload})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", x.action, err)
	}
	if err := ws.Write(ctx, websocket.MessageText, text); err != nil {
		return nil, fmt.Errorf("%s: %w", x.action, err)
	}
	for {
		_, got, err := ws.Read(ctx)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", x.action, err)
		}
		var parts []json.RawMessage
		if err := json.Unmarshal(got, &parts); err != nil || len(parts) < 3 {
			return nil, fmt.Errorf("%s: the answer is no message: %.80q", x.action, got)
		}
		kind, id := string(parts[0]), strings.Trim(string(parts[1]), `"`)
		switch {
		case id != x.id:
			continue
		case kind == "3":
			return parts[2], nil
		}
		return nil, errors.New(x.action + " was refused: " + string(got))
	}
}
