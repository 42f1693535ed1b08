package web

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5/middleware"
	"github.com/klauspost/compress/gzip"

	"zincroad/web/ui"
)

// logged writes one line for each request that was slow or went wrong.
func (s *Server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		level := slog.LevelDebug
		stream := strings.HasPrefix(ww.Header().Get("Content-Type"), "text/event-stream")
		if ww.Status() >= 500 || !stream && time.Since(began) > time.Second {
			level = slog.LevelWarn
		}
		from, _ := s.access.From(r)
		s.Log.Log(r.Context(), level, "request", "method", r.Method, "path", ui.Hidden(r.URL.Path), "status",
			ww.Status(), "from", from, "took", time.Since(began).Round(time.Microsecond))
	})
}

// contentPolicy keeps pages to their own files: nothing is loaded from elsewhere.
const contentPolicy = "default-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; " +
	"style-src 'self'; font-src 'self' data:; " +
	"frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// tlsAlone is for how long a browser asks for nothing but TLS, once it has seen it here.
const tlsAlone = "max-age=31536000"

func (s *Server) headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", contentPolicy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		if s.behindTLS {
			h.Set("Strict-Transport-Security", tlsAlone)
		}
		h.Set("X-Zinc-Road", "page") // by which a browser tells them from what a network puts in their place
		next.ServeHTTP(w, r)
	})
}

// limited ends a request's context after so long.
func limited(d time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			ctx, cancel := context.WithTimeout(r.Context(), d)
			defer cancel()
			next.ServeHTTP(w, r.WithContext(ctx))
		})
	}
}

func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=3600")
		next.ServeHTTP(w, r)
	})
}

// compressed packs answers of these types as the browser wants them; pages of many curves take longer to pack than to
// draw with the standard library's gzip.
func compressed(types ...string) func(http.Handler) http.Handler {
	c := middleware.NewCompressor(gzip.DefaultCompression, types...)
	c.SetEncoder("gzip", func(w io.Writer, level int) io.Writer {
		out, err := gzip.NewWriterLevel(w, level)
		if err != nil {
			return nil // the next best encoding
		}
		return out
	})
	return c.Handler
}
