package live

import (
	"context"
	"encoding/base64"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/internal/password"
	"zincroad/logbook/logbooktest"
)

type known map[string]string

func (k known) StationHash(_ context.Context, name string) (string, bool, error) {
	h, ok := k[name]
	return h, ok, nil
}

// A charge point with a password is let in with its own name and password alone; one without may from this
// machine and from nowhere else.
func TestChargePointsProveWhoTheyAre(t *testing.T) {
	hash, err := password.Hash("the words of MILL-3")
	require.NoError(t, err)
	c := &Centre{Recorder: &Recorder{Log: logbooktest.Quiet()}, Passwords: known{"MILL-3": hash}}
	try := func(name, from, user, word string) (proved, ok bool, status int) {
		r := httptest.NewRequest(http.MethodGet, "/ocpp/"+name, nil)
		r.RemoteAddr = from
		if user != "" {
			r.Header.Set("Authorization", "Basic "+base64.StdEncoding.EncodeToString([]byte(user+":"+word)))
		}
		w := httptest.NewRecorder()
		proved, ok = c.admit(w, r, name)
		return proved, ok, w.Code
	}
	const here, there = "127.0.0.1:4711", "192.0.2.7:4711"
	proved, ok, _ := try("MILL-3", there, "MILL-3", "the words of MILL-3")
	assert.True(t, proved && ok)
	for _, bad := range [][3]string{{there, "", ""}, {here, "", ""}, {here, "MILL-3", "guess"},
		{here, "MILL-4", "the words of MILL-3"}} {
		_, ok, status := try("MILL-3", bad[0], bad[1], bad[2])
		assert.False(t, ok, bad)
		assert.Equal(t, http.StatusUnauthorized, status)
	}
	proved, ok, _ = try("QUARRY-1", here, "", "")
	assert.True(t, ok)
	assert.False(t, proved)
	_, ok, _ = try("QUARRY-1", there, "", "")
	assert.False(t, ok, "from elsewhere it needs one")
	c.Proxied = true
	_, ok, _ = try("QUARRY-1", here, "", "")
	assert.False(t, ok, "here is the proxy")
	c.Proxied = false
	r := httptest.NewRequest(http.MethodGet, "/ocpp/QUARRY-1", nil)
	r.RemoteAddr = here
	r.Header.Set("X-Forwarded-For", "192.0.2.7")
	_, ok = c.admit(httptest.NewRecorder(), r, "QUARRY-1")
	assert.False(t, ok, "it was passed on")
	_, ok, _ = try("QUARRY-1", there, "MILL-3", "the words of MILL-3")
	assert.False(t, ok, "another's is none of its own")
}

// A password is not tried out: after six tries from one address even the right one waits a minute; from another it is
// let in.
func TestPasswordsOfChargePointsAreNotTriedOut(t *testing.T) {
	hash, err := password.Hash("the words of MILL-3")
	require.NoError(t, err)
	c := &Centre{Recorder: &Recorder{Log: logbooktest.Quiet()}, Passwords: known{"MILL-3": hash}}
	try := func(from, word string) int {
		r := httptest.NewRequest(http.MethodGet, "/ocpp/MILL-3", nil)
		r.RemoteAddr = from
		r.SetBasicAuth("MILL-3", word)
		w := httptest.NewRecorder()
		c.admit(w, r, "MILL-3")
		return w.Code
	}
	for range password.TriesAMinute {
		assert.Equal(t, http.StatusUnauthorized, try("192.0.2.7:4711", "guess"))
	}
	assert.Equal(t, http.StatusTooManyRequests, try("192.0.2.7:4712", "the words of MILL-3"))
	for range 2 * password.TriesAMinute {
		assert.Equal(t, http.StatusOK, try("192.0.2.8:4711", "the words of MILL-3"), "coming anew is no try")
	}
	changed, err := password.Hash("other words")
	require.NoError(t, err)
	c.Passwords = known{"MILL-3": changed}
	assert.Equal(t, http.StatusUnauthorized, try("192.0.2.8:4711", "the words of MILL-3"), "a new one counts at once")
}

// Who merely says a name does not take the place of a charge point that is heard of; one that proved to be it
// does, and so does anybody once the first has been silent.
func TestASecondConnectionUnderAName(t *testing.T) {
	conn := func() *websocket.Conn {
		accepted := make(chan *websocket.Conn, 1)
		srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			ws, err := websocket.Accept(w, r, nil)
			if err == nil {
				accepted <- ws
				<-r.Context().Done()
			}
		}))
		t.Cleanup(srv.CloseClientConnections)
		ws, _, err := websocket.Dial(t.Context(), "ws"+srv.URL[4:], nil)
		require.NoError(t, err)
		go func() { // as a charge point reads
			for {
				if _, _, err := ws.Read(context.Background()); err != nil {
					return
				}
			}
		}()
		return <-accepted
	}
	var s stations
	now := time.Date(2026, 2, 3, 18, 0, 0, 0, time.UTC)
	first, ok := s.join("MILL-3", conn(), false, now)
	require.True(t, ok)
	s.hears(first, now.Add(60*time.Second))
	_, ok = s.join("MILL-3", conn(), false, now.Add(2*time.Minute))
	assert.False(t, ok, "the first was heard of a minute ago")
	second, ok := s.join("MILL-3", conn(), true, now.Add(2*time.Minute))
	require.True(t, ok)
	assert.False(t, s.leave("MILL-3", first), "what it left behind ends nothing")
	third, ok := s.join("MILL-3", conn(), false, now.Add(4*time.Minute))
	require.True(t, ok, "the second has been silent")
	assert.False(t, s.leave("MILL-3", second))
	assert.True(t, s.leave("MILL-3", third))
	_, ok = s.join("QUARRY-1", conn(), false, now)
	assert.True(t, ok)
}
