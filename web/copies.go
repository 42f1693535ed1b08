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

// copied lets pages be read from copies of the database, where there are some that have what their reader wrote last,
// and tells the browser with each write how far that is. Who may come in is read so for whatever is asked for.
func (s *Server) copied(next http.Handler) http.Handler {
	if !s.book.HasCopies() {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var written int64
		if c, err := r.Cookie(writtenCookie); err == nil {
			written, _ = strconv.ParseInt(c.Value, 10, 64) // made up: the reader misses what they wrote
		}
		ctx := logbook.Reading(r.Context(), logbook.Place(written))
		if s.book.Away() {
			ctx = ui.WithAway(ctx)
		}
		if !onlyReads(r) {
			w = &writer{ResponseWriter: w, r: r, s: s}
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// itself has what is not a page asked of the database itself; after the gate.
func itself(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !onlyReads(r) {
			r = r.WithContext(logbook.Writing(r.Context()))
		}
		next.ServeHTTP(w, r)
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
