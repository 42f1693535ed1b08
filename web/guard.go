package web

import (
	"io"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-chi/httprate"

	"zincroad/web/api"
)

// OnlyHosts answers requests alone that were made to a name it goes by: one of the loopback's, or one of
// names. A page elsewhere whose own name was made to point here (rebinding) gets nothing, over a WebSocket
// neither. Health is told to whoever asks.
func OnlyHosts(next http.Handler, names []string) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/healthz" && r.URL.Path != "/readyz" && !knownHost(r.Host, names) {
			http.Error(w, "Zinc Road does not go by this name; start it with --host to add one.",
				http.StatusMisdirectedRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// knownHost tells whether a Host header names the loopback, or one of names, with or without a port.
func knownHost(host string, names []string) bool {
	name, _, err := net.SplitHostPort(host)
	if err != nil {
		name = host
	}
	name = strings.ToLower(strings.TrimSuffix(strings.Trim(name, "[]"), "."))
	if name == "localhost" {
		return true
	}
	if ip, err := netip.ParseAddr(name); err == nil && ip.IsLoopback() {
		return true
	}
	for _, n := range names {
		if n != "" && strings.EqualFold(strings.TrimSuffix(n, "."), name) {
			return true
		}
	}
	return false
}

// readable refuses an address that holds what no text has: it would be refused by the database in the middle
// of a page.
func readable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		q := r.URL.Query()
		bad := !sound(r.URL.Path)
		for k, values := range q {
			bad = bad || !sound(k)
			for _, v := range values {
				bad = bad || !sound(v)
			}
		}
		if bad && strings.HasPrefix(r.URL.Path, api.Prefix) {
			api.Refuse(w, http.StatusBadRequest, "The address holds characters that are no text")
			return
		}
		if bad {
			http.Error(w, "The address holds characters that are no text.", http.StatusBadRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

func sound(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }

// maxForm is how large a form without a file may be, in bytes.
const maxForm = 2 << 20

// forms bounds the body of every request: a route that takes files sets its own bound instead.
func forms(max int64) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.ContentLength > max {
				http.Error(w, "This is more than the form can take.", http.StatusRequestEntityTooLarge)
				return
			}
			r.Body = http.MaxBytesReader(w, r.Body, max)
			next.ServeHTTP(w, r)
		})
	}
}

// A body may take so long, and a second more for each so many bytes that came: a phone at the edge of its
// network sends faster than that.
const (
	bodyGrace      = 20 * time.Second
	leastBytesPerS = 2 << 10
)

// paced ends requests whose body drips, so that a connection is not held open for ever.
func paced(grace time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Body != nil && r.Body != http.NoBody {
				r.Body = &pacedBody{ReadCloser: r.Body, control: http.NewResponseController(w), until: time.Now().Add(grace)}
			}
			next.ServeHTTP(w, r)
		})
	}
}

type pacedBody struct {
	io.ReadCloser
	control *http.ResponseController
	until   time.Time // without what came so far
	read    int64
}

// Read implements io.Reader.
func (b *pacedBody) Read(p []byte) (int, error) {
	until := b.until.Add(time.Duration(b.read/leastBytesPerS) * time.Second)
	_ = b.control.SetReadDeadline(until) // a server of tests has none
	n, err := b.ReadCloser.Read(p)
	if b.read += int64(n); err == io.EOF {
		_ = b.control.SetReadDeadline(time.Time{})
	}
	return n, err
}

// headAsGet answers HEAD with what GET would say, without the body. chi's own way does not see through routers
// that are mounted in others.
func headAsGet(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodHead {
			next.ServeHTTP(w, r)
			return
		}
		get := r.Clone(r.Context())
		get.Method = http.MethodGet
		next.ServeHTTP(headOnly{w}, get)
	})
}

// headOnly passes on everything but the body.
type headOnly struct{ http.ResponseWriter }

// Write implements http.ResponseWriter.
func (headOnly) Write(p []byte) (int, error) { return len(p), nil }

// onlyFiles serves files and no lists of them.
func onlyFiles(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "" || strings.HasSuffix(r.URL.Path, "/") {
			http.NotFound(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// How often a minute one address may ask for what takes long: pages that work through many runs or forecast and what
// the Desk reads, more than a slider that is drawn and a sheet that is typed do; and files out.
const (
	costlyAMinute = 1200
	apiAMinute    = 30_000 // requests of one program: 500 a second
	filesAMinute  = 300
)

// often lets an address ask for what it guards so many times a minute.
func (s *Server) often(aMinute int) func(http.Handler) http.Handler {
	return httprate.LimitBy(aMinute, time.Minute, s.access.From, httprate.WithLimitHandler(
		func(w http.ResponseWriter, _ *http.Request) {
			http.Error(w, "Too much was asked for from this address; wait a minute.", http.StatusTooManyRequests)
		}))
}
