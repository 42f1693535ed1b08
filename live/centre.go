package live

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/go-chi/httprate"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/meter"
	"zincroad/logbook"
)

// Centre is the central system that charge points report to by the open
// charge-point protocol 1.6, JSON over WebSocket. A call that carries readings of a
// live run is answered when they are stored, and not before, so that the charge
// point sends them again otherwise.
type Centre struct {
	Recorder  *Recorder
	Passwords Passwords // nil: everybody is let in
	Proxied   bool      // a proxy stands in front: nobody is known to be on this machine

	counting  sync.Once
	counted   *httprate.RateLimiter // tries of passwords
	proved    sync.Map              // by name, the sum of what proved a charge point last
	connected stations
	mu        sync.Mutex
	clocks    map[int64]*trace.SourceClock // of feeds
}

// longestMessage is how large a message of a charge point may be.
const longestMessage = 1 << 20

// silentFor is how long a charge point may say nothing.
const silentFor = 15 * time.Minute

// Serve takes a charge point's connection; name is its own.
func (c *Centre) Serve(w http.ResponseWriter, r *http.Request, name string) {
	proved, ok := c.admit(w, r, name)
	if !ok {
		return
	}
	ws, err := websocket.Accept(w, r, &websocket.AcceptOptions{Subprotocols: []string{"ocpp1.6"}})
	if err != nil {
		return // Accept has answered
	}
	defer ws.CloseNow()
	if ws.Subprotocol() != "ocpp1.6" {
		ws.Close(websocket.StatusPolicyViolation, "the subprotocol ocpp1.6 is needed")
		return
	}
	mine, ok := c.connected.join(name, ws, proved, time.Now())
	if !ok {
		ws.Close(websocket.StatusPolicyViolation, "a charge point of this name is connected")
		return
	}
	ws.SetReadLimit(longestMessage)
	ctx := logbook.Everywhere(context.WithoutCancel(r.Context())) // pages time out, charge points do not
	for {
		read, cancel := context.WithTimeout(ctx, silentFor)
		_, message, err := ws.Read(read)
		cancel()
		if err != nil {
			c.left(ctx, name, mine)
			return
		}
		c.connected.hears(mine, time.Now())
		answer := c.answer(ctx, name, message)
		if answer == nil {
			continue // not stored: the charge point will say it again
		}
		write, cancel := context.WithTimeout(ctx, 10*time.Second)
		err = ws.Write(write, websocket.MessageText, answer)
		cancel()
		if err != nil {
			c.left(ctx, name, mine)
			return
		}
	}
}

// left notes that a charge point's connection has ended, unless it has another already.
func (c *Centre) left(ctx context.Context, name string, mine *station) {
	if c.connected.leave(name, mine) {
		c.gone(ctx, name)
	}
}

// call is what a charge point asks for: [2, id, action, payload].
type call struct {
	id, action string
	payload    json.RawMessage
}

// callOf reads a call whose payload fits the protocol's schema; else it fails with a refusal, and the id where there
// is one to answer to.
func callOf(message []byte) (c call, err error) {
	var parts []json.RawMessage
	var kind int
	if json.Unmarshal(message, &parts) != nil || len(parts) != 4 || json.Unmarshal(parts[0], &kind) != nil || kind != 2 ||
		json.Unmarshal(parts[1], &c.id) != nil || json.Unmarshal(parts[2], &c.action) != nil {
		if len(parts) > 1 {
			_ = json.Unmarshal(parts[1], &c.id)
		}
		return c, &refusal{malformed, "expected [2, id, action, payload]"}
	}
	c.payload = parts[3]
	taken, err := checked(c.action, c.payload)
	if err == nil {
		c.payload = taken
	}
	return c, err
}

// longestLogged is how much of a message that was refused the program's log keeps, so that its readings are not gone.
const longestLogged = 4096

// answer reads a call and gives what is answered; nil where nothing may be answered yet.
func (c *Centre) answer(ctx context.Context, name string, message []byte) []byte {
	asked, err := callOf(message)
	var result any
	if err == nil {
		result, err = actions[asked.action](c, ctx, name, asked.payload)
	}
	var no *refusal
	if errors.As(err, &no) {
		if asked.id == "" {
			return nil // there is nothing to answer to
		}
		c.Recorder.Log.Warn("a charge point's message was refused", "name", name, "action", asked.action,
			"error", err, "message", string(message[:min(len(message), longestLogged)]))
		c.refused(ctx, name, asked, no)
		return callError(asked.id, no.code, no.what)
	}
	if err != nil {
		c.Recorder.Log.Warn("charge point", "name", name, "action", asked.action, "error", err)
		return nil
	}
	text, err := json.Marshal([]any{3, asked.id, result})
	if err != nil {
		return nil
	}
	return text
}

// refused says on the run's page that what its charge point sent could not be taken.
func (c *Centre) refused(ctx context.Context, name string, asked call, no *refusal) {
	var of struct {
		ConnectorID int `json:"connectorId"`
	}
	_ = json.Unmarshal(asked.payload, &of) // 0 where it does not say: any of its connectors
	if f, err := c.Recorder.Book.FeedAt(ctx, name, of.ConnectorID); err == nil && f != nil {
		c.Recorder.say(ctx, f, logbook.FeedConnected, words.Line(asked.action+" refused: "+no.what))
	}
}

func callError(id, code, description string) []byte {
	text, _ := json.Marshal([]any{4, id, code, description, struct{}{}})
	return text
}

// heartbeat is how often a charge point is to show that it is there, in s.
const heartbeat = 60

// gone notes that a charge point is away.
func (c *Centre) gone(ctx context.Context, name string) {
	end, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	if f, err := c.Recorder.Book.FeedAt(end, name, 0); err == nil && f != nil {
		c.Recorder.say(end, f, logbook.FeedLost, "the charge point went away")
	}
}

// status notes what the stall says of itself.
func (c *Centre) status(ctx context.Context, name string, p statusNotification) error {
	f, err := c.Recorder.Book.FeedAt(ctx, name, p.ConnectorID)
	if err != nil || f == nil {
		return err
	}
	said := strings.ToLower(p.Status)
	if p.ErrorCode != "" && p.ErrorCode != "NoError" {
		said += ", " + p.ErrorCode
	}
	c.Recorder.say(ctx, f, logbook.FeedConnected, said)
	if p.Status == "Faulted" {
		return c.mark(ctx, f, run.Note, "the stall reports a fault: "+p.ErrorCode)
	}
	if p.ConnectorID != f.Connector {
		return nil // 0 is the charge point as a whole, whatever its connectors do
	}
	return c.plug(ctx, f, p.Status)
}

// plug marks plug-in and unplug where a connector's status says so and nobody else
// has. A plug-in that had no power before the stall was free again was an attempt.
func (c *Centre) plug(ctx context.Context, f *logbook.Feed, status string) error {
	in := false
	switch status {
	case "Preparing", "Charging", "SuspendedEV", "SuspendedEVSE":
		in = true
	case "Available":
	default:
		return nil
	}
	p, err := c.Recorder.Book.PlugOf(ctx, f.RunID, f.RecordingID)
	switch {
	case err != nil || p.In == in:
		return err
	case in:
		return c.mark(ctx, f, run.PlugIn, run.ByStall)
	case p.Powered:
		return c.mark(ctx, f, run.Unplug, run.ByStall)
	}
	return c.mark(ctx, f, run.Attempt, "no power, and the stall is free again")
}

func (c *Centre) mark(ctx context.Context, f *logbook.Feed, kind, note string) error {
	start, err := c.Recorder.startOf(ctx, f.RunID)
	if err != nil {
		return err
	}
	at := c.Recorder.now().Sub(start).Seconds()
	m := &logbook.Mark{RunID: f.RunID, TS: at, Kind: kind, Note: note}
	return c.Recorder.Book.LiveMark(ctx, m, fmt.Sprintf("feed-%d-%s-%.0f-%s", f.ID, kind, at, note))
}

// meterValues stores what a connector's meter says.
func (c *Centre) meterValues(ctx context.Context, name string, p meterValues) error {
	if p.TransactionID != nil {
		if known, ok, err := c.Recorder.Book.ConnectorOf(ctx, name, *p.TransactionID); err != nil {
			return err
		} else if ok {
			p.ConnectorID = known
		}
	}
	if p.ConnectorID == 0 {
		return nil // the meter of the whole charge point, neighbours and all
	}
	for i, v := range p.MeterValue {
		if v.Timestamp.IsZero() {
			return &refusal{wrongCount, fmt.Sprintf("meterValue.%d: timestamp is missing", i)}
		}
	}
	f, err := c.Recorder.Book.FeedAt(ctx, name, p.ConnectorID)
	if err != nil || f == nil {
		return err
	}
	return c.store(ctx, f, p.MeterValue)
}

// startTransaction answers with a number that the connector is found by again, and
// stores the meter.
func (c *Centre) startTransaction(ctx context.Context, name string, p startTransaction) (id int, err error) {
	if p.ConnectorID < 1 {
		return 0, &refusal{wrongValue, "connectorId: expected 1 or more"}
	}
	if id, err = c.Recorder.Book.StartTransaction(ctx, name, p.ConnectorID); err != nil {
		return 0, err
	}
	return id, c.meter(ctx, name, p.ConnectorID, p.Timestamp, p.MeterStart)
}

// stopTransaction stores the meter where the transaction ran: its end does not say on
// which connector, and a neighbour's is none of this run's business.
func (c *Centre) stopTransaction(ctx context.Context, name string, p stopTransaction) error {
	connector, ok, err := c.Recorder.Book.ConnectorOf(ctx, name, p.TransactionID)
	if err != nil || !ok {
		return err
	}
	return c.meter(ctx, name, connector, p.Timestamp, p.MeterStop)
}

// meter stores the register of a connector in Wh.
func (c *Centre) meter(ctx context.Context, name string, connector int, at time.Time, wh float64) error {
	f, err := c.Recorder.Book.FeedAt(ctx, name, connector)
	if err != nil || f == nil {
		return err
	}
	return c.store(ctx, f, []meter.Value{{Timestamp: at,
		Sampled: []meter.Sample{{Value: meter.Number(wh)}}}})
}

// store keeps what a meter said in the recording of a feed, once its clock is lined up.
func (c *Centre) store(ctx context.Context, f *logbook.Feed, values []meter.Value) error {
	start, err := c.Recorder.startOf(ctx, f.RunID)
	if err != nil {
		return err
	}
	heard := c.Recorder.now().Sub(start).Seconds()
	var samples []logbook.Sample
	for _, v := range values {
		s := logbook.Sample{TS: v.Timestamp.Sub(start).Seconds(), HeardS: heard, Values: v.Channels()}
		if len(s.Values) > 0 {
			samples = append(samples, s)
		}
	}
	if len(samples) == 0 {
		return nil
	}
	if err := c.lineUp(ctx, f, samples[len(samples)-1]); err != nil {
		return err
	}
	// A charge point says again what it has heard no answer to.
	err = c.Recorder.Book.AppendOnce(ctx, f.RunID, f.RecordingID, samples)
	if err == nil {
		c.Recorder.stored(start, samples)
	}
	if errors.Is(err, logbook.ErrEnded) {
		return nil // nobody wants it any more
	}
	return err
}
