package live

import (
	"context"
	"crypto/sha256"
	"net"
	"net/http"
	"net/netip"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/go-chi/httprate"

	"zincroad/internal/caller"
	"zincroad/internal/password"
)

// Passwords knows the charge points' passwords.
type Passwords interface {
	// StationHash gives the hash of one's password; false where it has none.
	StationHash(ctx context.Context, name string) (hash string, set bool, err error)
}

// admit tells whether a charge point may connect under a name, and whether it proved to be the one: by HTTP
// Basic, as the first security profile of the protocol has it, with its name as the user. One without a
// password may from this machine alone. What is answered where it may not is written.
func (c *Centre) admit(w http.ResponseWriter, r *http.Request, name string) (proved, ok bool) {
	if c.Passwords == nil {
		return false, true
	}
	hash, set, err := c.Passwords.StationHash(r.Context(), name)
	if err != nil {
		c.Recorder.Log.Error("a charge point's password", "name", name, "error", err)
		http.Error(w, "try again later", http.StatusServiceUnavailable)
		return false, false
	}
	if !set && !c.Proxied && fromHere(r) {
		return false, true
	}
	user, given, sent := r.BasicAuth()
	from := caller.Address(r, c.Proxied)
	if set && sent && user == name {
		// One that was right before is neither a try nor work: on a bad network a charge point comes anew all the time.
		sum := sha256.Sum256([]byte(hash + "\x00" + given))
		if last, ok := c.proved.Load(name); ok && last == sum {
			return true, true
		}
		if c.tries().OnLimit(w, r, from+" "+name) {
			c.Recorder.Log.Warn("a charge point tries too often", "name", name, "from", from)
			http.Error(w, "too many tries from this address: wait a minute", http.StatusTooManyRequests)
			return false, false
		}
		right, err := password.Matches(r.Context(), hash, given)
		if err == nil && right {
			c.proved.Store(name, sum)
			return true, true
		}
	}
	c.Recorder.Log.Warn("a charge point was not let in", "name", name, "from", from, "has_password", set)
	w.Header().Set("WWW-Authenticate", `Basic realm="Zinc Road"`)
	http.Error(w, "this charge point needs its password: zincroad station-password makes one", http.StatusUnauthorized)
	return false, false
}

// tries counts the tries of a password.
func (c *Centre) tries() *httprate.RateLimiter {
	c.counting.Do(func() { c.counted = httprate.NewRateLimiter(password.TriesAMinute, time.Minute) })
	return c.counted
}

// fromHere tells whether a request came from this machine and was not passed on for another: a proxy beside the
// program is on this machine too.
func fromHere(r *http.Request) bool {
	for _, passedOn := range []string{"Forwarded", "X-Forwarded-For", "X-Real-Ip", "Via"} {
		if r.Header.Get(passedOn) != "" {
			return false
		}
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return false
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.Unmap().IsLoopback()
}

// stations are the charge points that are connected, by name.
type stations struct {
	mu  sync.Mutex
	all map[string]*station
}

type station struct {
	ws    *websocket.Conn
	heard time.Time
}

// stillThere is how long ago a connection was heard of at most to count as one that stands.
const stillThere = 90 * time.Second

// join takes a connection in under a name. A second one does not take the first's place while that is heard
// of, unless it proved to be the same charge point: then the first is what a broken network left behind.
func (s *stations) join(name string, ws *websocket.Conn, proved bool, now time.Time) (*station, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all == nil {
		s.all = map[string]*station{}
	}
	if first, taken := s.all[name]; taken {
		if !proved && now.Sub(first.heard) < stillThere {
			return nil, false
		}
		go first.ws.Close(websocket.StatusPolicyViolation, "the charge point has connected anew")
	}
	mine := &station{ws, now}
	s.all[name] = mine
	return mine, true
}

func (s *stations) hears(mine *station, now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	mine.heard = now
}

// leave takes a connection out; false where another has taken its place, which goes on under the name.
func (s *stations) leave(name string, mine *station) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all[name] != mine {
		return false
	}
	delete(s.all, name)
	return true
}
