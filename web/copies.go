package web

import (
	"net/http"
	"strconv"
	"time"

	"zincroad/logbook"
	"zincroad/web/ui"
)

// writtenCookie holds how far the database was after the reader's last write.
const (
	writtenCookie = "zincroad-written"
	writtenFor    = time.Hour // by then a copy has it, or is left alone
)

// away lets the gate ask a copy of the database who may come in, while the database itself does not answer, and tells
// the browser with whatever may have stored something how far the database is by then.
func (s *Server) away(next http.Handler) http.Handler {
	if !s.book.HasCopies() {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !onlyReads(r) {
			w = &writer{ResponseWriter: w, r: r, s: s}
		}
		if s.book.Away() {
			r = r.WithContext(logbook.Reading(ui.WithAway(r.Context()), 0))
		}
		next.ServeHTTP(w, r)
	})
}

// copied has pages read from copies of the database, where one has what their reader wrote last, and all else asked of
// the database itself; behind the gate, which asks that too, so that who is signed out is so at once.
func (s *Server) copied(next http.Handler) http.Handler {
	if !s.book.HasCopies() {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := logbook.Writing(r.Context())
		if onlyReads(r) {
			var written int64
			if c, err := r.Cookie(writtenCookie); err == nil {
				written, _ = strconv.ParseInt(c.Value, 10, 64) // made up: the reader misses what they wrote
			}
			ctx = logbook.Reading(ctx, logbook.Place(written))
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

func onlyReads(r *http.Request) bool {
	return r.Method == http.MethodGet || r.Method == http.MethodHead
}

// writer answers a request that may have stored something: with the answer goes how far the database is by then.
type writer struct {
	http.ResponseWriter
	r    *http.Request
	s    *Server
	told bool
}

// Unwrap is for http.ResponseController.
func (w *writer) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *writer) WriteHeader(status int) {
	if !w.told {
		w.told = true
		if at, err := w.s.book.Written(w.r.Context()); err == nil {
			http.SetCookie(w, &http.Cookie{Name: writtenCookie, Value: strconv.FormatInt(int64(at), 10), Path: "/",
				MaxAge: int(writtenFor.Seconds()), HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: w.s.behindTLS})
		}
	}
	w.ResponseWriter.WriteHeader(status)
}

func (w *writer) Write(b []byte) (int, error) {
	if !w.told {
		w.WriteHeader(http.StatusOK)
	}
	return w.ResponseWriter.Write(b)
}
