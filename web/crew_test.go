package web_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"sort"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
	"zincroad/web/api"
	"zincroad/web/rights"
)

// aCrew is a server of the demo with a crew: Ada keeps, Bo tests and has run 1, Cy reads, and a tablet records at the
// first two stalls.
type aCrew struct {
	*testing.T
	book   *logbook.Book
	routes chi.Routes
	at     string
	url    string // of the database
	people map[string]*logbook.Person
	later  atomic.Int64 // by how much the pages' clock is ahead of the machine's
}

func newCrew(t *testing.T) *aCrew {
	t.Helper()
	database := server.URLFrom(t, demoBook)
	book, err := logbook.Open(t.Context(), database, logbooktest.Quiet())
	require.NoError(t, err)
	t.Cleanup(func() { _ = book.Close() })
	c := &aCrew{T: t, book: book, url: database, people: map[string]*logbook.Person{}}
	for _, p := range []struct {
		name string
		role logbook.Role
	}{{"Ada", logbook.Keeper}, {"Bo", logbook.Tester}, {"Cy", logbook.Reader}} {
		person, err := book.AddPerson(t.Context(), p.name, p.role, quickHash(word+" "+p.name))
		require.NoError(t, err)
		c.people[p.name] = person
	}
	secret, err := book.Invite(t.Context(), logbook.Invitation{Name: "Van tablet", Role: logbook.Recorder,
		Stalls: logbook.Numbers{1, 2}, EndsAt: time.Now().Add(time.Hour)})
	require.NoError(t, err)
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	s.SetClock(func() time.Time { return time.Now().Add(time.Duration(c.later.Load())) })
	h := s.Handler()
	c.routes = h.(chi.Routes)
	srv := httptest.NewServer(h)
	t.Cleanup(srv.Close)
	c.at = srv.URL
	tablet, err := book.Accept(t.Context(), secret, "", "", time.Now())
	require.NoError(t, err)
	c.people["Van tablet"] = tablet
	require.NoError(t, book.Give(t.Context(), 1, c.people["Bo"].ID))
	return c
}

// client keeps its cookies and follows nothing.
func (c *aCrew) client() *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(c, err)
	return &http.Client{
		Jar:           jar,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}

// in is a client of somebody who has come in.
func (c *aCrew) in(name string) *http.Client {
	c.Helper()
	client := c.client()
	if name == "Van tablet" {
		secret, err := c.book.Invite(c.Context(), logbook.Invitation{PersonID: c.people[name].ID,
			EndsAt: time.Now().Add(time.Hour)})
		require.NoError(c, err)
		require.Equal(c, http.StatusSeeOther, posted(c.T, client, c.at+"/join/"+secret, nil).StatusCode)
		return client
	}
	r := posted(c.T, client, c.at+"/enter", url.Values{"username": {name}, "password": {word + " " + name}})
	require.Equal(c, http.StatusSeeOther, r.StatusCode)
	return client
}

type aRoute struct{ method, pattern string }

// all are the routes of the server, those of files that are served as they are once.
func (c *aCrew) all() (list []aRoute) {
	require.NoError(c, chi.Walk(c.routes, func(method, route string, _ http.Handler,
		_ ...func(http.Handler) http.Handler) error {
		if route != "/static/*" || method == http.MethodGet {
			list = append(list, aRoute{method, route})
		}
		return nil
	}))
	sort.Slice(list, func(i, j int) bool { return list[i].pattern+list[i].method < list[j].pattern+list[j].method })
	return list
}

// ask sends a request without a body, and gives its status: 401 for being sent to the door.
func (c *aCrew) ask(client *http.Client, method, path, token string) int {
	c.Helper()
	ctx, cancel := context.WithTimeout(c.Context(), 20*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, method, c.at+path, strings.NewReader(""))
	require.NoError(c, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	answer, err := client.Do(r)
	require.NoError(c, err, "%s %s", method, path)
	_ = answer.Body.Close()
	if strings.HasPrefix(answer.Header.Get("Location"), "/enter?to=") {
		return http.StatusUnauthorized
	}
	return answer.StatusCode
}

var parameter = regexp.MustCompile(`\{[a-z]+\}`)

// Every route asks for what the table says of it, and no route is without: pages, forms, streams, files, and what
// programs ask for, each as a stranger, a reader, a tester with an own run and with somebody else's, a keeper, and a
// device.
func TestEveryRouteForEveryRole(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	routes := c.all()
	inTable := regexp.MustCompile(`(?m)^(?:anybody|reader|tester|keeper)\s+\S+\s+\S+`).FindAllString(rights.Table, -1)
	assert.Len(t, inTable, len(routes), "the table has nothing that is not there")
	tokens := map[string]string{}
	for name, p := range c.people {
		secret, err := c.book.AddToken(logbook.By(t.Context(), p.Actor()), name, p.Role, time.Now().Add(time.Hour))
		if p.Role == logbook.Recorder {
			require.ErrorIs(t, err, logbook.ErrRefused)
			continue
		}
		require.NoError(t, err)
		tokens[name] = secret
	}
	clients := map[string]*http.Client{"": c.client()}
	for name := range c.people {
		clients[name] = c.in(name)
	}
	for _, who := range []struct {
		name string
		run  int // 1 is Bo's, 2 is Ada's
	}{{"", 1}, {"Cy", 1}, {"Van tablet", 1}, {"Bo", 2}, {"Bo", 1}, {"Ada", 1}} {
		client := clients[who.name]
		for _, x := range routes {
			if x.pattern == "/leave" || x.pattern == "/r/{secret}" && x.method == http.MethodPost {
				continue // the one ends what is asked with, the other is asked with a password of its own
			}
			needs, ok := rights.Of(x.method, x.pattern)
			if !assert.True(t, ok, "%s %s is in the table", x.method, x.pattern) {
				continue
			}
			api := strings.HasPrefix(x.pattern, "/api/v1/")
			if api && who.name == "Van tablet" {
				continue // a device has no token
			}
			path := strings.Replace(x.pattern, "{id}", fmt.Sprint(who.run), 1)
			path = strings.ReplaceAll(path, "{figure}", "peak")
			path = strings.TrimSuffix(parameter.ReplaceAllString(path, "1"), "*")
			want := expected(c, needs, who.name, who.run, x.pattern)
			token := ""
			if api {
				token = tokens[who.name]
			}
			status := c.ask(client, x.method, path, token)
			what := fmt.Sprintf("%q with run %d: %s %s gave %d", who.name, who.run, x.method, x.pattern, status)
			switch want {
			case http.StatusUnauthorized, http.StatusForbidden:
				assert.Equal(t, want, status, what)
			default:
				assert.NotContains(t, []int{http.StatusUnauthorized, http.StatusForbidden, http.StatusInternalServerError},
					status, what)
			}
		}
	}
}

// expected is the answer by the words of the table: 0 for anything but being sent away.
func expected(c *aCrew, needs rights.Right, name string, run int, pattern string) int {
	order := map[logbook.Role]int{"": 0, logbook.Reader: 1, logbook.Tester: 2, logbook.Keeper: 3}
	role := logbook.Role("")
	if p := c.people[name]; p != nil {
		role = p.Role
	}
	switch {
	case needs.Role == "":
		return 0
	case name == "":
		return http.StatusUnauthorized
	case role == logbook.Recorder:
		if needs.Recorder && !strings.Contains(pattern, "{id}") {
			return 0
		}
		return http.StatusForbidden // no run of the demo is under way at its stalls
	case order[role] < order[needs.Role]:
		return http.StatusForbidden
	case needs.Own && role == logbook.Tester && run != 1:
		return http.StatusForbidden
	}
	return 0
}

// Two pairs of hands at one charge: each sees who is there and who typed what.
func TestTwoPairsOfHandsAtOneCharge(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	bo, ada := c.in("Bo"), c.in("Ada")
	r := posted(t, bo, c.at+"/stall/start", url.Values{"car": {"1"}, "stall": {"1"}})
	require.Equal(t, http.StatusSeeOther, r.StatusCode)
	live := r.Header.Get("Location")
	ctx, leave := context.WithTimeout(t.Context(), 30*time.Second)
	defer leave()
	stream := func(client *http.Client) *bufio.Scanner {
		q, err := http.NewRequestWithContext(ctx, http.MethodGet, c.at+live+"/events", nil)
		require.NoError(t, err)
		answer, err := client.Do(q)
		require.NoError(t, err)
		t.Cleanup(func() { _ = answer.Body.Close() })
		lines := bufio.NewScanner(answer.Body)
		lines.Buffer(nil, 1<<20)
		return lines
	}
	until := func(lines *bufio.Scanner, says string) {
		for lines.Scan() {
			if strings.Contains(lines.Text(), says) {
				return
			}
		}
		t.Errorf("%q does not come", says)
	}
	bos := stream(bo)
	until(bos, "Here now: Bo<")
	adas := stream(ada)
	until(bos, "Here now: Ada, Bo<")
	w := posted(t, ada, c.at+live+"/readings", url.Values{"line": {"12 40"}, "key": {"a1"}, "set": {"stall"}})
	require.Less(t, w.StatusCode, 400)
	until(bos, "by Ada")
	until(adas, "by Ada")
}

// What the description of the interface says of roles is what the table says.
func TestTheDescriptionNamesTheRoles(t *testing.T) {
	var d struct {
		Paths map[string]map[string]json.RawMessage `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(api.Document, &d))
	seen := 0
	for path, ops := range d.Paths {
		for method, text := range ops {
			if method == "parameters" {
				continue
			}
			var op struct {
				Security []map[string][]string `json:"security"`
			}
			require.NoError(t, json.Unmarshal(text, &op))
			needs, ok := rights.Of(strings.ToUpper(method), api.Prefix+path)
			for _, s := range op.Security {
				if roles, named := s["token"]; named {
					require.True(t, ok, path)
					assert.Equal(t, []string{string(needs.Role)}, roles, "%s %s", method, path)
					seen++
				}
			}
		}
	}
	assert.Greater(t, seen, 20)
}
