package hooks

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"zincroad/logbook"
)

// Outbox is what the sender needs of the logbook.
type Outbox interface {
	NextTelling(ctx context.Context, now time.Time, hold time.Duration) (*logbook.Telling, error)
	SetBody(ctx context.Context, id int64, body string) error
	SetTold(ctx context.Context, id int64, said string, again *time.Time) error
	Run(ctx context.Context, id int64) (*logbook.Run, error)
	Results(ctx context.Context, row *logbook.Run) (*logbook.Results, error)
}

// Sender tells hooks what happened.
type Sender struct {
	Book   Outbox
	Log    *slog.Logger
	Now    func() time.Time
	Client *http.Client // how it is told
}

const (
	patience  = 10 * time.Second // for an answer
	holdFor   = time.Minute      // longer than a try takes
	lookEvery = 5 * time.Second
	mostSaid  = 200 // of what comes back, bytes
)

// backoff is after how long an event is tried again; after the last it is given up.
var backoff = []time.Duration{10 * time.Second, time.Minute, 10 * time.Minute, time.Hour, 6 * time.Hour}

// NewClient is a client that goes where it is sent and no further.
func NewClient() *http.Client {
	return &http.Client{Timeout: patience, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
}

// Keep tells what is due, until the context ends. Any number of copies of the program can do so at once.
func (s *Sender) Keep(ctx context.Context) {
	for ctx.Err() == nil {
		did, err := s.One(ctx)
		if err != nil && ctx.Err() == nil {
			s.Log.Warn("telling a hook", "error", err)
		}
		if did && err == nil {
			continue
		}
		select {
		case <-ctx.Done():
		case <-time.After(lookEvery):
		}
	}
}

// One tells the event that is due; false where none is.
func (s *Sender) One(ctx context.Context) (did bool, err error) {
	ctx = logbook.Everywhere(ctx)
	t, err := s.Book.NextTelling(ctx, s.Now(), holdFor)
	if err != nil || t == nil {
		return false, err
	}
	if t.Body == "" {
		if t.Body, err = s.body(ctx, t); err == nil {
			err = s.Book.SetBody(ctx, t.ID, t.Body)
		}
		if errors.Is(err, logbook.ErrNotFound) { // the run is gone
			return true, s.Book.SetTold(ctx, t.ID, "given up: the run is gone", nil)
		}
		if err != nil {
			return true, err
		}
	}
	said, told := s.send(ctx, t)
	if ctx.Err() != nil {
		return true, ctx.Err() // it is tried again when its hold is over
	}
	if told {
		return true, s.Book.SetTold(ctx, t.ID, said, nil)
	}
	if t.Tries > len(backoff) {
		return true, s.Book.SetTold(ctx, t.ID, "given up: "+said, nil)
	}
	again := s.Now().Add(backoff[t.Tries-1])
	return true, s.Book.SetTold(ctx, t.ID, said, &again)
}

// message is what is told.
type message struct {
	Type      logbook.Event `json:"type"`
	Timestamp time.Time     `json:"timestamp"` // when it happened
	Data      *data         `json:"data"`
}

type data struct {
	Run       int64    `json:"run"`
	Title     string   `json:"title"`
	Car       string   `json:"car"`
	Verdict   string   `json:"verdict"`
	Sure      string   `json:"sure"`
	Side      string   `json:"side"`
	Clock     string   `json:"clock"`
	FromPct   *float64 `json:"from_pct"`
	ToPct     *float64 `json:"to_pct"`
	WindowS   *float64 `json:"window_s"`
	PeakKW    *float64 `json:"peak_kw"`
	AverageKW *float64 `json:"average_kw"`
}

// body says what happened, with the run's figures as they stand.
func (s *Sender) body(ctx context.Context, t *logbook.Telling) (string, error) {
	m := message{Type: t.Event, Timestamp: t.At.UTC()}
	if t.RunID != nil {
		row, err := s.Book.Run(ctx, *t.RunID)
		if err != nil {
			return "", err
		}
		m.Data = &data{Run: row.ID, Title: row.Title}
		if row.Car != nil {
			m.Data.Car = row.Car.Name
		}
		res, err := s.Book.Results(ctx, row)
		if err != nil {
			m.Data.Verdict = "its figures cannot be worked out"
		} else {
			x := res.Head()
			m.Data.Side, m.Data.Clock = string(x.Side), string(x.Clock)
			if len(x.Findings) > 0 {
				m.Data.Verdict, m.Data.Sure = x.Findings[0].Text.Kept(), string(x.Findings[0].Confidence)
			}
			if w, ok := x.Headline(row.Describe().Method); ok {
				m.Data.FromPct, m.Data.ToPct, m.Data.WindowS, m.Data.AverageKW = &w.FromPct, &w.ToPct, &w.TS, w.AverageKW
			}
			if x.Peak != nil {
				m.Data.PeakKW = &x.Peak.KW
			}
		}
	}
	text, err := json.Marshal(m)
	return string(text), err
}

// send tells an event, and gives what came back; told where that was a yes.
func (s *Sender) send(ctx context.Context, t *logbook.Telling) (said string, told bool) {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, t.Address, bytes.NewReader([]byte(t.Body)))
	if err != nil {
		return "the address cannot be called", false
	}
	id, at := fmt.Sprintf("msg_%d", t.ID), strconv.FormatInt(s.Now().Unix(), 10)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("User-Agent", "Zinc Road")
	r.Header.Set("Webhook-Id", id)
	r.Header.Set("Webhook-Timestamp", at)
	r.Header.Set("Webhook-Signature", signature(t.Secret, id, at, t.Body))
	answer, err := s.Client.Do(r)
	if err != nil {
		return "no answer", false
	}
	defer answer.Body.Close()
	_, _ = io.CopyN(io.Discard, answer.Body, mostSaid)
	return answer.Status, answer.StatusCode/100 == 2
}

// signature signs a message in the form of Standard Webhooks 1.0: v1, and the base64 of HMAC-SHA256 over id, time and
// body with points between them.
func signature(secret []byte, id, at, body string) string {
	mac := hmac.New(sha256.New, secret)
	mac.Write([]byte(id + "." + at + "." + body))
	return "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil))
}
