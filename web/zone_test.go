package web_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook/logbooktest"
	"zincroad/web"
)

// Times of day are those of the clock that the tester looks at, not the machine's:
// at 14:02 UTC it is 19:47 in Kathmandu, which is night, and the plan's next round
// five minutes are 19:50.
func TestTimesByTheTestersClock(t *testing.T) {
	t.Parallel()
	book := newBook(t, true)
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	now := time.Date(2026, 7, 1, 14, 2, 0, 0, time.UTC)
	s.SetClock(func() time.Time { return now })
	h := s.Handler()
	ask := func(method, path, zone string, v url.Values) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, path, strings.NewReader(v.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		if zone != "" {
			r.AddCookie(&http.Cookie{Name: "zone", Value: url.QueryEscape(zone)})
		}
		return newRecorder(h, r)
	}
	plan := "/prepare?car=1&stall=1&now=60&outside=12"
	assert.Contains(t, ask("GET", plan, "Asia/Kathmandu", nil).Body.String(), "Leave at 19:50")
	assert.Contains(t, ask("GET", plan, "UTC", nil).Body.String(), "Leave at 14:05")
	for _, nonsense := range []string{"Nowhere/Else", "Local", "../../etc/passwd"} {
		assert.Equal(t, http.StatusOK, ask("GET", plan, nonsense, nil).Code, nonsense)
	}
	w := ask("POST", "/stall/start", "Asia/Kathmandu", url.Values{"car": {"1"}, "stall": {"1"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	list, err := book.LiveRuns(context.Background())
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "Asia/Kathmandu", list[0].Timezone)
	markAt(t, book, list[0].ID, 60, "plug-in", "")
	now = now.Add(2 * time.Minute)
	body := ask("GET", w.Header().Get("Location"), "Asia/Kathmandu", nil).Body.String()
	assert.Contains(t, body, `>19:48</span>`)
	assert.Contains(t, body, `data-theme="night"`)
	assert.NotContains(t, ask("GET", w.Header().Get("Location"), "UTC", nil).Body.String(), `data-theme="night"`)
}
