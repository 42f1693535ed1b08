package api

import (
	"bytes"
	"context"
	"crypto/sha256"
	"hash"
	"io"
	"net/http"
	"time"

	"zincroad/logbook"
)

// mostKeyLength is how long an idempotency key may be.
const mostKeyLength = 200

// actorKey is whose request it is: keys are each actor's own.
type actorKey struct{}

// once does a write that comes under an Idempotency-Key a single time
// (draft-ietf-httpapi-idempotency-key-header): asked the same again within a day, it answers the same, and does
// nothing; another request under that key is refused, and one that comes while the first is under way is told to wait.
// What failed here is done anew.
func (s *Room) once(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		key := r.Header.Get("Idempotency-Key")
		if key == "" {
			next(w, r)
			return
		}
		if len(key) > mostKeyLength {
			s.fail(w, r, bad("Idempotency-Key: expected at most 200 characters"))
			return
		}
		actor, _ := r.Context().Value(actorKey{}).(string)
		was, err := s.book.ClaimKey(r.Context(), actor, key)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		asked := &hashed{ReadCloser: r.Body, sum: sha256.New()}
		_, _ = io.WriteString(asked.sum, r.Method+" "+r.URL.RequestURI()+" "+r.Header.Get("If-Match")+"\n")
		r.Body = asked
		if was != nil {
			s.asBefore(w, r, asked, was)
			return
		}
		kept := &keeping{ResponseWriter: w, status: http.StatusOK}
		done := false
		defer func() { // also where the handler panics: what was not answered is not kept
			// The key is given back or kept whether or not the asker still waits.
			ctx, cancel := context.WithTimeout(context.WithoutCancel(r.Context()), keepingTimeout)
			defer cancel()
			var err error
			if done && kept.status < http.StatusInternalServerError && kept.status != http.StatusTooManyRequests {
				_, _ = io.Copy(io.Discard, asked) // what a handler left unread was asked, too
				err = s.book.KeepAnswer(ctx, actor, key, &logbook.Answered{Asked: asked.sum.Sum(nil), Status: kept.status,
					Headers: kept.headers(), Body: kept.body.Bytes()})
			} else {
				err = s.book.DropKey(ctx, actor, key)
			}
			if err != nil {
				s.log.Error("keeping an answer", "error", err)
			}
		}()
		next(kept, r)
		done = true
	}
}

const keepingTimeout = 10 * time.Second

// asBefore answers a write that was asked under its key before.
func (s *Room) asBefore(w http.ResponseWriter, r *http.Request, asked *hashed, was *logbook.Answered) {
	if was.Asked == nil {
		w.Header().Set("Retry-After", "1")
		s.fail(w, r, problem{Status: http.StatusConflict, Title: "This is being done",
			Detail: "a request under the same Idempotency-Key is under way"})
		return
	}
	if _, err := io.Copy(io.Discard, http.MaxBytesReader(w, asked, mostSent)); err != nil {
		s.fail(w, r, badBody(err))
		return
	}
	if !bytes.Equal(asked.sum.Sum(nil), was.Asked) {
		s.fail(w, r, problem{Status: http.StatusUnprocessableEntity, Title: "This key was used for something else",
			Detail: "Idempotency-Key: expected a new one for a new request"})
		return
	}
	for name, value := range was.Headers {
		w.Header().Set(name, value)
	}
	w.Header().Set("Idempotency-Replayed", "true")
	w.WriteHeader(was.Status)
	_, _ = w.Write(was.Body)
}

// hashed sums up what is read.
type hashed struct {
	io.ReadCloser
	sum hash.Hash
}

// Read implements io.Reader.
func (h *hashed) Read(p []byte) (int, error) {
	n, err := h.ReadCloser.Read(p)
	_, _ = h.sum.Write(p[:n])
	return n, err
}

// keeping remembers an answer while it is sent.
type keeping struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
}

// WriteHeader implements http.ResponseWriter.
func (k *keeping) WriteHeader(status int) {
	k.status = status
	k.ResponseWriter.WriteHeader(status)
}

// Write implements http.ResponseWriter.
func (k *keeping) Write(p []byte) (int, error) {
	k.body.Write(p)
	return k.ResponseWriter.Write(p)
}

// headers are those that belong to the answer rather than to its way.
func (k *keeping) headers() map[string]string {
	out := map[string]string{}
	for _, name := range []string{"Content-Type", "Location", "ETag"} {
		if v := k.Header().Get(name); v != "" {
			out[name] = v
		}
	}
	return out
}
