package ui

import (
	"net/http"
	"net/url"
	"time"
)

// zoneCookie is where a browser says which time zone its tester's clock shows.
const zoneCookie = "zone"

// ZoneOf gives the time zone of the clock that a tester looks at, and its name:
// what the browser said, else the machine's own without a name.
func ZoneOf(r *http.Request) (*time.Location, string) {
	if c, err := r.Cookie(zoneCookie); err == nil {
		if name, err := url.QueryUnescape(c.Value); err == nil && name != "" && name != "Local" {
			if loc, err := time.LoadLocation(name); err == nil {
				return loc, name
			}
		}
	}
	return time.Local, ""
}

// NowFor is the time on the clock that a tester looks at.
func (s *Pages) NowFor(r *http.Request) time.Time {
	loc, _ := ZoneOf(r)
	return s.Now().In(loc)
}
