// Package caller tells where a request comes from, for limits and for the log.
package caller

import (
	"net"
	"net/http"
	"strings"

	"github.com/go-chi/httprate"
)

// Address is the address that a request came from: that of the connection, or behind a proxy (proxied) the last one
// that the proxy names, for those before it anybody can make up. All addresses of one IPv6 network are one.
func Address(r *http.Request, proxied bool) string {
	if proxied {
		hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
		if last := strings.TrimSpace(hops[len(hops)-1]); net.ParseIP(last) != nil {
			return httprate.CanonicalizeIP(last)
		}
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	return httprate.CanonicalizeIP(host)
}
