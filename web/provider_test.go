package web_test

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/coreos/go-oidc/v3/oidc/oidctest"
	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook/logbooktest"
	"zincroad/web"
	"zincroad/web/access"
)

// aProvider is a small OpenID Connect provider: it vouches for whoever its subject says, by the code flow with PKCE
// (OpenID Connect Core 1.0, 3.1; RFC 7636).
type aProvider struct {
	*httptest.Server
	key     *rsa.PrivateKey
	subject string
	claims  map[string]any // in the place of what is true
	asked   url.Values     // by the last browser
}

func newProvider(t *testing.T) *aProvider {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	p := &aProvider{key: key, subject: "ada-at-the-provider"}
	public := oidctest.PublicKey{PublicKey: key.Public(), KeyID: "k", Algorithm: oidc.RS256}
	files := &oidctest.Server{PublicKeys: []oidctest.PublicKey{public}}
	mux := http.NewServeMux()
	mux.Handle("/", files)
	mux.HandleFunc("/token", func(w http.ResponseWriter, r *http.Request) {
		_ = r.ParseForm()
		sum := sha256.Sum256([]byte(r.PostForm.Get("code_verifier")))
		if r.PostForm.Get("code") != "the code" ||
			base64.RawURLEncoding.EncodeToString(sum[:]) != p.asked.Get("code_challenge") {
			http.Error(w, `{"error":"invalid_grant"}`, http.StatusBadRequest)
			return
		}
		claims := map[string]any{"iss": p.URL, "aud": "zincroad", "sub": p.subject, "nonce": p.asked.Get("nonce"),
			"exp": time.Now().Add(time.Hour).Unix(), "iat": time.Now().Unix()}
		for name, v := range p.claims {
			claims[name] = v
		}
		text, _ := json.Marshal(claims)
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(map[string]any{"access_token": "a", "token_type": "Bearer",
			"id_token": oidctest.SignIDToken(p.key, "k", oidc.RS256, string(text))})
	})
	p.Server = httptest.NewServer(mux)
	t.Cleanup(p.Close)
	files.SetIssuer(p.URL)
	return p
}

// through sends a browser to the provider and back, and gives the answer to its coming back.
func (c *aCrew) through(p *aProvider, session, query string, change func(url.Values)) *httptest.ResponseRecorder {
	c.Helper()
	w := c.send("192.0.2.1", session, http.MethodGet, "/enter/with"+query, nil)
	require.Equal(c, http.StatusSeeOther, w.Code)
	to, err := url.Parse(w.Header().Get("Location"))
	require.NoError(c, err)
	p.asked = to.Query()
	assert.Equal(c, "S256", p.asked.Get("code_challenge_method"))
	back := url.Values{"state": {p.asked.Get("state")}, "code": {"the code"}}
	if change != nil {
		change(back)
	}
	return c.send("192.0.2.1", session, http.MethodGet, "/enter/with/back?"+back.Encode(), nil,
		"Cookie", "zincroad-asked="+cookieOf(w, "zincroad-asked"))
}

// Whom a provider vouches for comes in, once they have connected it themselves; nothing that is not an answer to what
// this browser asked, of this provider and for this program, brings anybody in.
func TestAProviderVouches(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	p := newProvider(t)
	s, err := web.New(c.book, logbooktest.Quiet())
	require.NoError(t, err)
	s.Trust(access.Provider{Name: "the workshop's provider", Issuer: p.URL, ClientID: "zincroad"})
	c.routes = s.Handler().(chi.Routes)

	refused := func(why string, w *httptest.ResponseRecorder) {
		t.Helper()
		assert.Equal(t, http.StatusForbidden, w.Code, why)
		assert.Contains(t, w.Body.String(), "did not bring anybody in", why)
	}
	refused("nobody has connected it", c.through(p, "", "", nil))
	ada := c.enter("192.0.2.1", "Ada")
	w := c.through(p, ada, "?connect=yes", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.Equal(t, "/me", w.Header().Get("Location"))
	w = c.through(p, "", "?to=%2Fgarage", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.Equal(t, "/garage", w.Header().Get("Location"))
	me := c.send("192.0.2.1", cookieOf(w, "zincroad"), http.MethodGet, "/me", nil).Body.String()
	assert.Contains(t, me, "<h1>Ada</h1>")

	refused("another state", c.through(p, "", "", func(v url.Values) { v.Set("state", "x") }))
	refused("another code", c.through(p, "", "", func(v url.Values) { v.Set("code", "x") }))
	refused("a fault", c.through(p, "", "", func(v url.Values) { v.Del("code"); v.Set("error", "access_denied") }))
	for why, claims := range map[string]map[string]any{"of another time": {"nonce": "x"}, "for another": {"aud": "else"},
		"ended": {"exp": time.Now().Add(-time.Hour).Unix()}, "of another provider": {"iss": "http://127.0.0.1:1"},
		"of somebody unknown": {"sub": "else"}} {
		p.claims = claims
		refused(why, c.through(p, "", "", nil))
	}
	p.claims = nil
	bo := c.enter("192.0.2.2", "Bo")
	assert.Equal(t, http.StatusConflict, c.through(p, bo, "?connect=yes", nil).Code, "it is Ada whom it knows by this")
	c.send("192.0.2.1", ada, http.MethodPost, "/me/disconnect", nil)
	refused("disconnected", c.through(p, "", "", nil))
	h, _ := handler(t, true)
	assert.Equal(t, http.StatusNotFound, get(h, "/enter/with").Code, "none is trusted")
}
