package web_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// Somebody makes a passkey on their own page, in a real browser with a key of its own, signs out, and comes in by it
// without a name or a password; taken away it lets nobody in.
func TestPasskeysLetIn(t *testing.T) {
	s := newSite(t, 390, 844, false)
	_, err := s.book.AddPerson(t.Context(), "Ada", logbook.Keeper, quickHash(word))
	require.NoError(t, err)
	s.url = strings.Replace(s.url, "127.0.0.1", "localhost", 1)
	_, err = chromedp.Call(s.tab, webauthn.Enable, webauthn.EnableParams{})
	require.NoError(t, err)
	_, err = chromedp.Call(s.tab, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
		Options: &webauthn.VirtualAuthenticatorOptions{Protocol: webauthn.AuthenticatorProtocolCtap2,
			Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true,
			IsUserVerified: true, AutomaticPresenceSimulation: true}})
	require.NoError(t, err)
	s.open("/enter")
	s.set("#f-username", quote("Ada"), "input")
	s.set("#f-password", quote(word), "input")
	s.do(chromedp.Click(css(".acts .primary")))
	s.await(`location.pathname === "/"`)
	s.open("/me")
	s.set("#f-key", quote("the test's own"), "input")
	s.do(chromedp.Click(css(`[data-passkey="add"]`)))
	s.await(`document.querySelector("main").textContent.includes("the test's own, made")`)
	s.do(chromedp.Click(css(`form[action="/leave"] button`)))
	s.await(`location.pathname === "/enter" && document.documentElement.dataset.ready`)
	s.open("/enter?to=%2Fgarage")
	s.do(chromedp.Click(css(`[data-passkey="enter"]`)))
	s.await(`location.pathname === "/garage"`)
	assert.Contains(t, s.text("header"), "Ada")
	s.open("/me")
	assert.Contains(t, s.text("main"), "used last")
	s.do(chromedp.Click(css(`button[aria-label^="Remove the passkey"]`)))
	s.await(`!document.querySelector("main").textContent.includes("the test's own, made")`)
	s.do(chromedp.Click(css(`form[action="/leave"] button`)))
	s.await(`location.pathname === "/enter" && document.documentElement.dataset.ready`)
	s.open("/enter")
	s.do(chromedp.Click(css(`[data-passkey="enter"]`)))
	s.await(`document.querySelector("[data-passkey-said]").textContent.includes("lets nobody in")`)
	s.said = nil // the browser complains of the refusal, as it should
}

// An answer that nobody asked for, or a second one to the same question, lets nobody in; no key is made for somebody
// else.
func TestPasskeysAnswerWhatWasAsked(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	ask := func(session, path, asked string) *httptest.ResponseRecorder {
		return c.send("192.0.2.1", session, http.MethodPost, path, url.Values{}, "Accept", "application/json",
			"Cookie", "zincroad-asked="+asked)
	}
	w := ask("", "/enter/passkey/begin", "")
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Body.String(), `"userVerification":"required"`)
	asked := cookieOf(w, "zincroad-asked")
	require.NotEmpty(t, asked)
	assert.Equal(t, http.StatusForbidden, ask("", "/enter/passkey", asked).Code, "no key at all")
	assert.Equal(t, http.StatusNotFound, ask("", "/enter/passkey", asked).Code, "it was answered")
	assert.Equal(t, http.StatusNotFound, ask("", "/enter/passkey", "made up").Code)
	assert.Equal(t, http.StatusUnauthorized, ask("", "/me/passkeys/begin", "").Code)
	bo := c.enter("192.0.2.2", "Bo")
	require.NoError(t, c.book.AddPasskey(t.Context(), c.people["Ada"].ID, "hers", []byte(`{}`)))
	list, err := c.book.Passkeys(t.Context(), c.people["Ada"].ID)
	require.NoError(t, err)
	w = c.send("192.0.2.2", bo, http.MethodPost, "/me/passkeys/1/remove", nil)
	assert.Equal(t, http.StatusNotFound, w.Code, "not his")
	require.Len(t, list, 1)
}
