package web_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/web"
	"zincroad/web/rights"
)

// send asks the handler itself, from an address and with a cookie of the session.
func (c *aCrew) send(from, session, method, path string, form url.Values, header ...string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(form.Encode()))
	r.RemoteAddr = from + ":4000"
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if session != "" {
		r.AddCookie(&http.Cookie{Name: "zincroad", Value: session})
	}
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Add(header[i], header[i+1])
	}
	w := httptest.NewRecorder()
	c.routes.(http.Handler).ServeHTTP(w, r)
	return w
}

// cookie is what an answer sets by that name; empty: nothing.
func cookieOf(w *httptest.ResponseRecorder, name string) string {
	for _, c := range w.Result().Cookies() {
		if c.Name == name {
			return c.Value
		}
	}
	return ""
}

// enter gives the session of somebody who signs in.
func (c *aCrew) enter(from, name string) string {
	c.Helper()
	w := c.send(from, "", http.MethodPost, "/enter", url.Values{"username": {name}, "password": {word + " " + name}})
	require.Equal(c, http.StatusSeeOther, w.Code)
	return cookieOf(w, "zincroad")
}

// A session that was there before somebody signed in is not theirs afterwards, one that somebody made up is nobody's,
// and one that was taken is worth nothing after its owner signed out.
func TestSessionsAreNobodyElses(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	planted := strings.Repeat("A", 43)
	form := url.Values{"username": {"Ada"}, "password": {word + " Ada"}}
	w := c.send("192.0.2.1", planted, http.MethodPost, "/enter", form)
	require.Equal(t, http.StatusSeeOther, w.Code)
	own := cookieOf(w, "zincroad")
	assert.NotEqual(t, planted, own)
	assert.Equal(t, http.StatusSeeOther, c.send("192.0.2.1", planted, http.MethodGet, "/", nil).Code, "fixed before")
	again := c.send("192.0.2.1", own, http.MethodPost, "/enter", form)
	assert.NotEqual(t, own, cookieOf(again, "zincroad"), "signing in anew makes a new one")
	assert.Equal(t, http.StatusSeeOther, c.send("192.0.2.1", own, http.MethodGet, "/", nil).Code)

	stolen := cookieOf(again, "zincroad")
	assert.Equal(t, http.StatusOK, c.send("198.51.100.7", stolen, http.MethodGet, "/", nil).Code)
	c.send("192.0.2.1", stolen, http.MethodPost, "/leave", nil)
	assert.Equal(t, http.StatusSeeOther, c.send("198.51.100.7", stolen, http.MethodGet, "/", nil).Code)

	phone, desk := c.enter("192.0.2.1", "Bo"), c.enter("192.0.2.2", "Bo")
	other := c.enter("192.0.2.3", "Cy")
	c.send("192.0.2.1", phone, http.MethodPost, "/leave", url.Values{"everywhere": {"yes"}})
	assert.Equal(t, http.StatusSeeOther, c.send("192.0.2.2", desk, http.MethodGet, "/", nil).Code)
	assert.Equal(t, http.StatusOK, c.send("192.0.2.3", other, http.MethodGet, "/", nil).Code, "others stay in")

	for _, q := range []string{"?zincroad=" + other, "?token=" + other, "?access_token=" + other} {
		assert.Equal(t, http.StatusSeeOther, c.send("192.0.2.9", "", http.MethodGet, "/"+q, nil).Code, "in an address")
		assert.Equal(t, http.StatusUnauthorized, c.send("192.0.2.9", "", http.MethodGet, "/api/v1/runs"+q, nil).Code)
	}
}

// A new role, a new password and being taken out of the crew end what is open within the next request.
func TestSessionsEndWithWhatTheyStoodOn(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	in := func(s string) bool { return c.send("192.0.2.1", s, http.MethodGet, "/", nil).Code == http.StatusOK }
	bo, ada := c.enter("192.0.2.2", "Bo"), c.enter("192.0.2.1", "Ada")
	id := c.people["Bo"].ID
	w := c.send("192.0.2.1", ada, http.MethodPost, fmt.Sprintf("/crew/%d/role", id), url.Values{"role": {"reader"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.False(t, in(bo))
	bo = c.enter("192.0.2.2", "Bo")
	assert.Equal(t, http.StatusForbidden, c.send("192.0.2.2", bo, http.MethodGet, "/desk", nil).Code)
	elsewhere := c.enter("192.0.2.5", "Bo")
	w = c.send("192.0.2.2", bo, http.MethodPost, "/me/password", url.Values{"current": {"wrong"},
		"new": {"four grey mills turn"}})
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	w = c.send("192.0.2.2", bo, http.MethodPost, "/me/password", url.Values{"current": {word + " Bo"},
		"new": {"bo bo bo bo bo"}})
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "among the first that are tried")
	assert.NotContains(t, w.Body.String(), "bo bo bo bo bo")
	w = c.send("192.0.2.2", bo, http.MethodPost, "/me/password", url.Values{"current": {word + " Bo"},
		"new": {"four grey mills turn"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.False(t, in(elsewhere))
	assert.True(t, in(cookieOf(w, "zincroad")), "who changed it stays in")
	c.send("192.0.2.1", ada, http.MethodPost, fmt.Sprintf("/crew/%d/leave", id), nil)
	assert.False(t, in(cookieOf(w, "zincroad")))
}

// Nothing that another site has a browser send changes anything, whoever is signed in.
func TestOtherSitesChangeNothing(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	ada := c.enter("192.0.2.1", "Ada")
	tried := 0
	for _, x := range c.all() {
		if x.method == http.MethodGet || strings.HasPrefix(x.pattern, "/static/") {
			continue
		}
		path := parameter.ReplaceAllString(x.pattern, "1")
		for _, forged := range [][]string{{"Sec-Fetch-Site", "cross-site"}, {"Origin", "http://evil.example"},
			{"Sec-Fetch-Site", "same-site"}} {
			w := c.send("192.0.2.1", ada, x.method, path, url.Values{}, forged...)
			assert.Equal(t, http.StatusForbidden, w.Code, "%s %s %v", x.method, x.pattern, forged)
			tried++
		}
	}
	assert.Greater(t, tried, 250)
}

// Whether there is somebody of a name cannot be told from the answer; that it takes as long is shown where passwords
// are.
func TestNobodyLearnsWhoThereIs(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	said := map[string]bool{}
	for i, name := range []string{"Ada", "Nobody", "", "Van tablet", strings.Repeat("x", 400), "\x00"} {
		w := c.send(fmt.Sprintf("192.0.2.%d", i+1), "", http.MethodPost, "/enter",
			url.Values{"username": {name}, "password": {"not this one at all"}})
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
		body := regexp.MustCompile(`value="[^"]*"`).ReplaceAllString(w.Body.String(), "")
		said[body] = true
	}
	assert.Len(t, said, 1)
}

// A thousand wrong passwords from a thousand addresses come to ten that are looked at; the person whose name it is
// comes in all the while, where they came in before.
func TestAThousandWrongPasswords(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	form := url.Values{"username": {"Ada"}, "password": {word + " Ada"}}
	first := c.send("192.0.2.1", "", http.MethodPost, "/enter", form)
	known := cookieOf(first, "zincroad-known")
	require.NotEmpty(t, known)
	looked := 0
	for i := range 1000 {
		w := c.send(fmt.Sprintf("10.0.%d.%d", i/250, i%250), "", http.MethodPost, "/enter",
			url.Values{"username": {"Ada"}, "password": {fmt.Sprint("guess number ", i)}})
		if w.Code != http.StatusTooManyRequests {
			looked++
		}
	}
	assert.LessOrEqual(t, looked, 20, "ten a minute, and a minute may end meanwhile")
	assert.Equal(t, http.StatusTooManyRequests, c.send("192.0.2.1", "", http.MethodPost, "/enter", form).Code)
	w := c.send("192.0.2.1", "", http.MethodPost, "/enter", form, "Cookie", "zincroad-known="+known)
	assert.Equal(t, http.StatusSeeOther, w.Code)
	w = c.send("192.0.2.1", "", http.MethodPost, "/enter", url.Values{"username": {"Bo"}, "password": {"guess"}},
		"Cookie", "zincroad-known="+known)
	assert.NotEqual(t, http.StatusTooManyRequests, w.Code, "another's name counts by itself")
}

// A role is what the keeper gave, whatever a form says; a link is good once.
func TestARoleIsNotRaisedInAForm(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	secret, err := c.book.Invite(t.Context(), logbook.Invitation{Role: logbook.Reader, EndsAt: time.Now().Add(time.Hour)})
	require.NoError(t, err)
	form := url.Values{"name": {"Di"}, "new": {"four grey mills turn"}, "role": {"keeper"}, "Role": {"keeper"},
		"person_id": {fmt.Sprint(c.people["Ada"].ID)}, "stalls": {"1"}}
	w := c.send("192.0.2.1", "", http.MethodPost, "/join/"+secret, form)
	require.Equal(t, http.StatusSeeOther, w.Code)
	di, err := c.book.PersonCalled(t.Context(), "Di")
	require.NoError(t, err)
	assert.Equal(t, logbook.Reader, di.Role)
	assert.Equal(t, http.StatusNotFound, c.send("192.0.2.1", "", http.MethodPost, "/join/"+secret, form).Code)
	session := cookieOf(w, "zincroad")
	for _, path := range []string{"/settings", "/me/password"} {
		c.send("192.0.2.1", session, http.MethodPost, path, form)
	}
	assert.Equal(t, http.StatusForbidden, c.send("192.0.2.1", session, http.MethodPost,
		fmt.Sprintf("/crew/%d/role", di.ID), url.Values{"role": {"keeper"}}).Code)
	di, err = c.book.PersonCalled(t.Context(), "Di")
	require.NoError(t, err)
	assert.Equal(t, logbook.Reader, di.Role)
	assert.Equal(t, http.StatusMisdirectedRequest, hosted(c, "evil.example", "/crew"), "no link is made for another host")
}

func hosted(c *aCrew, host, path string) int {
	r := httptest.NewRequest(http.MethodGet, path, nil)
	r.Host = host
	w := httptest.NewRecorder()
	web.OnlyHosts(c.routes.(http.Handler), nil).ServeHTTP(w, r)
	return w.Code
}

// A device records at its stalls, for all testers, and comes to nothing else.
func TestATabletRecordsAtItsStalls(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	tablet := c.in("Van tablet")
	start := func(stall string) *http.Response {
		return posted(t, tablet, c.at+"/stall/start", url.Values{"car": {"1"}, "stall": {stall}})
	}
	assert.Equal(t, http.StatusForbidden, start("3").StatusCode)
	r := start("1")
	require.Equal(t, http.StatusSeeOther, r.StatusCode)
	live := r.Header.Get("Location")
	assert.Equal(t, http.StatusOK, fetched(t, tablet, c.at+live).StatusCode)
	assert.Equal(t, http.StatusForbidden, fetched(t, tablet, c.at+"/runs/1").StatusCode)
	list, err := c.book.LiveRuns(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.True(t, list[0].Shared)
	assert.Equal(t, c.people["Van tablet"].ID, *list[0].OwnerID)
	bo := c.in("Bo")
	w := posted(t, bo, c.at+live+"/readings", url.Values{"line": {"12 40"}, "key": {"a"}})
	assert.NotEqual(t, http.StatusForbidden, w.StatusCode, "a second pair of hands")
	cy := c.in("Cy")
	page, err := cy.Get(c.at + live)
	require.NoError(t, err)
	body, err := io.ReadAll(page.Body)
	require.NoError(t, err)
	require.NoError(t, page.Body.Close())
	assert.Equal(t, http.StatusOK, page.StatusCode, "who reads looks on")
	assert.NotContains(t, string(body), live+"/marks")
	assert.NotContains(t, string(body), live+"/end")
}

// No page shows a link or a button that would be refused to whoever reads it.
func TestPagesShowNothingThatWouldBeRefused(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	action := regexp.MustCompile(`(?:<form[^>]*method="post"[^>]*action|hx-post|formaction)="(/[^"?#]*)`)
	link := regexp.MustCompile(`<a\s[^>]*href="(/[^"?#]*)`)
	for _, name := range []string{"Cy", "Bo", "Van tablet"} {
		client := c.in(name)
		judge := rights.Judge{Actor: c.people[name].Actor(), Routes: c.routes, Runs: c.book}
		seen := 0
		for _, x := range c.all() {
			if x.method != http.MethodGet || strings.Contains(x.pattern, "/events") || strings.HasPrefix(x.pattern, "/api/") {
				continue
			}
			path := strings.ReplaceAll(x.pattern, "{figure}", "peak")
			path = parameter.ReplaceAllString(path, "2")
			r, err := client.Get(c.at + path)
			require.NoError(t, err)
			body, err := io.ReadAll(r.Body)
			require.NoError(t, err)
			require.NoError(t, r.Body.Close())
			if r.StatusCode != http.StatusOK || !strings.HasPrefix(r.Header.Get("Content-Type"), "text/html") {
				continue
			}
			seen++
			for method, found := range map[string]*regexp.Regexp{http.MethodPost: action, http.MethodGet: link} {
				for _, at := range found.FindAllStringSubmatchIndex(string(body), -1) {
					m := []string{"", string(body[at[2]:at[3]])}
					no, err := judge.May(context.Background(), method, m[1])
					require.NoError(t, err)
					// A form that only shows what it holds has nothing to send it with.
					form, _, _ := strings.Cut(string(body[at[0]:]), "</form>")
					holds := method == http.MethodPost && strings.Contains(form, " disabled") &&
						!strings.Contains(form, "<button")
					assert.True(t, no == nil || holds, "%s on %s: %s %s", name, path, method, m[1])
				}
			}
		}
		if name == "Van tablet" {
			assert.Positive(t, seen)
		} else {
			assert.Greater(t, seen, 20)
		}
	}
}

// Whoever finds a keeper's screen unattended changes nothing of who comes in: half an hour after coming in, that asks for
// the password again, and goes on with it. What is not about that does not ask.
func TestWaysInAskForAFreshProof(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	ada := c.in("Ada")
	cy := c.people["Cy"].ID
	role := fmt.Sprintf("/crew/%d/role", cy)
	is := func() logbook.Role {
		p, err := c.book.Person(t.Context(), cy)
		require.NoError(t, err)
		return p.Role
	}
	to := func(role logbook.Role) url.Values { return url.Values{"role": {string(role)}} }
	require.Equal(t, http.StatusSeeOther, posted(t, ada, c.at+role, to(logbook.Tester)).StatusCode)
	require.Equal(t, logbook.Tester, is())

	c.later.Store(int64(31 * time.Minute))
	for _, path := range []string{role, fmt.Sprintf("/crew/%d/leave", cy), fmt.Sprintf("/crew/%d/link", cy),
		"/crew/invitations", "/tokens", "/tokens/1/withdraw", "/me/disconnect", "/me/passkeys/1/remove", "/me/passkeys/begin"} {
		assert.Equal(t, http.StatusUnauthorized, posted(t, ada, c.at+path, to(logbook.Reader)).StatusCode, path)
	}
	assert.Equal(t, logbook.Tester, is(), "nothing came of it")
	assert.Equal(t, http.StatusSeeOther, posted(t, ada, c.at+"/night", url.Values{"theme": {"night"}}).StatusCode)

	// Nor is there a way around it for what is sent as a script would.
	for _, header := range []string{"HX-Request", "Accept"} {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, c.at+role,
			strings.NewReader(to(logbook.Reader).Encode()))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set(header, map[string]string{"HX-Request": "true", "Accept": "application/json"}[header])
		w, err := ada.Do(r)
		require.NoError(t, err)
		require.NoError(t, w.Body.Close())
		assert.Equal(t, http.StatusForbidden, w.StatusCode, header)
	}
	assert.Equal(t, logbook.Tester, is(), "nothing came of it")

	again := to(logbook.Reader)
	for name, value := range map[string]string{"username": "Ada", "password": word + " Ada", "to": role,
		"zincroad-again": "yes"} {
		again.Set(name, value)
	}
	went := posted(t, ada, c.at+"/enter", again)
	require.Equal(t, http.StatusTemporaryRedirect, went.StatusCode)
	require.Equal(t, role, went.Header.Get("Location"))
	assert.Equal(t, http.StatusSeeOther, posted(t, ada, c.at+role, again).StatusCode)
	assert.Equal(t, logbook.Reader, is())
}
