package api

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"strings"

	"zincroad/formats/csvlog"
	"zincroad/logbook"
)

// problem is what went wrong, as RFC 9457 has it; about:blank is its type, so that its title says what it is.
type problem struct {
	Type   string         `json:"type"`
	Status int            `json:"status"`
	Title  string         `json:"title"`
	Detail string         `json:"detail,omitempty"`
	Faults []csvlog.Fault `json:"faults,omitempty"` // of a file: where, and what was expected
	Run    int64          `json:"run,omitempty"`    // that is there already
}

// Error says it.
func (p problem) Error() string { return p.Title + ": " + p.Detail }

// bad is a request that cannot be done as it is: what, where, what was expected.
func bad(detail string) problem {
	return problem{Status: http.StatusBadRequest, Title: "This cannot be done as it is asked", Detail: detail}
}

// refused is an input that says too little, or what cannot be.
func refused(err error) problem {
	return problem{Status: http.StatusUnprocessableEntity, Title: "This cannot be worked out", Detail: err.Error()}
}

// fail answers with a problem; what is nobody's but the program's goes to the log and not to the asker.
func (s *Room) fail(w http.ResponseWriter, r *http.Request, err error) {
	var p problem
	switch {
	case errors.As(err, &p):
	case errors.As(err, new(*http.MaxBytesError)):
		p = problem{Status: http.StatusRequestEntityTooLarge, Title: "The body is too large"}
	case errors.Is(err, logbook.ErrNotFound):
		p = problem{Status: http.StatusNotFound, Title: "Nothing of that is in this logbook",
			Detail: strings.TrimSuffix(err.Error(), ": not found")}
	case errors.Is(err, logbook.ErrForbid):
		p = problem{Status: http.StatusForbidden, Title: "This is not theirs to do for whom the token works"}
	case errors.Is(err, logbook.ErrNoRoom):
		p = problem{Status: http.StatusInsufficientStorage, Title: "Nothing can be stored now", Detail: "the disk is full"}
	case errors.Is(err, logbook.ErrAway):
		p = problem{Status: http.StatusServiceUnavailable, Title: "The database does not answer"}
	case logbook.IsRule(err):
		p = problem{Status: http.StatusConflict, Title: "This breaks a rule of the logbook", Detail: err.Error()}
	case errors.Is(err, context.DeadlineExceeded):
		p = problem{Status: http.StatusGatewayTimeout, Title: "This took too long and was given up"}
	default:
		s.log.Error("an API request failed", "path", r.URL.Path, "error", err)
		p = problem{Status: http.StatusInternalServerError, Title: "Something went wrong here", Detail: "the log says what"}
	}
	if p.Status == http.StatusUnauthorized {
		w.Header().Set("WWW-Authenticate", `Bearer realm="zincroad"`)
	}
	send(w, p)
}

// Refuse answers with a problem that is known before the interface is asked.
func Refuse(w http.ResponseWriter, status int, title string) {
	send(w, problem{Status: status, Title: title})
}

func send(w http.ResponseWriter, p problem) {
	p.Type = "about:blank"
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}

// badBody is a body that cannot be read.
func badBody(err error) error {
	if errors.As(err, new(*http.MaxBytesError)) {
		return err
	}
	return bad("the body: " + err.Error())
}

// body reads a request's JSON; keys that nobody knows are refused, so that a wrong spelling is no silence.
func body(r *http.Request, into any) error {
	dec := json.NewDecoder(r.Body)
	dec.DisallowUnknownFields()
	if err := dec.Decode(into); err != nil {
		return badBody(err)
	}
	if _, err := dec.Token(); !errors.Is(err, io.EOF) {
		return bad("the body: one JSON object was expected, and more came")
	}
	return nil
}
