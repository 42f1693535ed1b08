package live

import (
	"context"
	"encoding/json"
	"time"

	"zincroad/formats/meter"
)

// The messages of the open charge-point protocol (OCPP 1.6J, edition 2, chapter 6) that a
// charge point sends, as far as anything here looks at them, and their answers.

type bootAnswer struct {
	Status      string `json:"status"`
	CurrentTime string `json:"currentTime"`
	Interval    int    `json:"interval"` // s between heartbeats
}

type timeAnswer struct {
	CurrentTime string `json:"currentTime"`
}

type tagInfo struct {
	Status string `json:"status"`
}

type tagAnswer struct {
	IDTagInfo tagInfo `json:"idTagInfo"`
}

type statusAnswer struct {
	Status string `json:"status"`
}

type startAnswer struct {
	TransactionID int     `json:"transactionId"`
	IDTagInfo     tagInfo `json:"idTagInfo"`
}

type statusNotification struct {
	ConnectorID int    `json:"connectorId"` // 0: the charge point as a whole
	Status      string `json:"status"`
	ErrorCode   string `json:"errorCode"`
}

type startTransaction struct {
	ConnectorID int       `json:"connectorId"`
	MeterStart  float64   `json:"meterStart"` // Wh
	Timestamp   time.Time `json:"timestamp"`
}

type stopTransaction struct {
	TransactionID int       `json:"transactionId"`
	MeterStop     float64   `json:"meterStop"` // Wh
	Timestamp     time.Time `json:"timestamp"`
}

type meterValues struct {
	ConnectorID   int           `json:"connectorId"` // 0: the meter of the whole charge point
	TransactionID *int          `json:"transactionId"`
	MeterValue    []meter.Value `json:"meterValue"`
}

// nothing is an answer, or a message, that says no more than that it came.
type nothing struct{}

// action answers one kind of message of a charge point.
type action func(c *Centre, ctx context.Context, name string, payload json.RawMessage) (any, error)

// heard makes an action of what is done with a message of a kind. A message that is not of
// that kind is refused.
func heard[T any](do func(c *Centre, ctx context.Context, name string, m T) (any, error)) action {
	return func(c *Centre, ctx context.Context, name string, payload json.RawMessage) (any, error) {
		var m T
		if err := json.Unmarshal(payload, &m); err != nil {
			return nil, &refusal{malformed, err.Error()}
		}
		return do(c, ctx, name, m)
	}
}

// always answers the same, whatever a message says.
func always(answer any) action {
	return func(*Centre, context.Context, string, json.RawMessage) (any, error) { return answer, nil }
}

var accepted = tagInfo{Status: "Accepted"}

// actions are the messages that are answered, those of schemas; any other is not known here.
var actions = map[string]action{
	"BootNotification": func(c *Centre, _ context.Context, _ string, _ json.RawMessage) (any, error) {
		return bootAnswer{"Accepted", c.wall(), heartbeat}, nil
	},
	"Heartbeat": func(c *Centre, _ context.Context, _ string, _ json.RawMessage) (any, error) {
		return timeAnswer{c.wall()}, nil
	},
	"Authorize":                     always(tagAnswer{accepted}),
	"DataTransfer":                  always(statusAnswer{"UnknownVendorId"}),
	"FirmwareStatusNotification":    always(nothing{}),
	"DiagnosticsStatusNotification": always(nothing{}),
	"StatusNotification": heard(func(c *Centre, ctx context.Context, name string, m statusNotification) (any, error) {
		return nothing{}, c.status(ctx, name, m)
	}),
	"StartTransaction": heard(func(c *Centre, ctx context.Context, name string, m startTransaction) (any, error) {
		id, err := c.startTransaction(ctx, name, m)
		return startAnswer{id, accepted}, err
	}),
	"StopTransaction": heard(func(c *Centre, ctx context.Context, name string, m stopTransaction) (any, error) {
		return tagAnswer{accepted}, c.stopTransaction(ctx, name, m)
	}),
	"MeterValues": heard(func(c *Centre, ctx context.Context, name string, m meterValues) (any, error) {
		return nothing{}, c.meterValues(ctx, name, m)
	}),
}

// wall is the time that a charge point is to set its clock to.
func (c *Centre) wall() string { return c.Recorder.now().UTC().Format(time.RFC3339) }
