package web_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// badNetwork stands between browser and program, as a phone's network in a car park does: what is sent is lost before
// it arrives or after, comes late or twice, or is answered by somebody else.
type badNetwork struct {
	next   http.Handler
	honest atomic.Bool // nothing happens any more

	mu    sync.Mutex
	dice  *rand.Rand
	count map[string]int
}

// fate draws what happens to a request.
func (n *badNetwork) fate() (what string, late time.Duration) {
	n.mu.Lock()
	defer n.mu.Unlock()
	fates := []string{"lost", "answer lost", "twice", "login page", "another program", "another's answer", "empty", "broken"}
	what = "passed"
	if k := n.dice.IntN(5 * len(fates)); k < len(fates) {
		what = fates[k]
	}
	n.count[what]++
	return what, time.Duration(n.dice.IntN(15)) * time.Millisecond
}

func (n *badNetwork) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if n.honest.Load() || r.Method != http.MethodPost {
		n.next.ServeHTTP(w, r)
		return
	}
	body, err := io.ReadAll(r.Body)
	if err != nil {
		return
	}
	again := func() *http.Request {
		c := r.Clone(context.WithoutCancel(r.Context()))
		c.Body = io.NopCloser(bytes.NewReader(body))
		return c
	}
	forged := func(status int, kind, text string) {
		w.Header().Set("Content-Type", kind)
		w.WriteHeader(status)
		fmt.Fprint(w, text)
	}
	what, late := n.fate()
	<-time.After(late)
	switch what {
	case "lost":
		panic(http.ErrAbortHandler)
	case "answer lost":
		n.next.ServeHTTP(httptest.NewRecorder(), again())
		panic(http.ErrAbortHandler)
	case "twice":
		n.next.ServeHTTP(httptest.NewRecorder(), again())
		n.next.ServeHTTP(w, again())
	case "login page":
		forged(http.StatusOK, "text/html", "<h1>Welcome to the guest network</h1>")
	case "another program":
		forged(http.StatusOK, "application/json", `{"stored": true}`)
	case "another's answer":
		forged(http.StatusOK, "application/json", `{"stored": true, "key": "somebody-else"}`)
	case "empty":
		w.WriteHeader(http.StatusNoContent)
	case "broken":
		forged(http.StatusBadGateway, "application/json", `{"fault": "the line is down"}`)
	default:
		n.next.ServeHTTP(w, again())
	}
}

// A thousand readings, typed in three tabs over such a network, with the pages loaded anew in between: each is stored
// once, and none is left in the browser.
func TestAThousandReadingsOverABadNetwork(t *testing.T) {
	const tabs, each, part = 3, 334, 112
	s := newSite(t, 1280, 800, false)
	id := started(t, s.book, 10*time.Minute, nil)
	to, err := url.Parse(s.url)
	require.NoError(t, err)
	net := &badNetwork{next: httputil.NewSingleHostReverseProxy(to), count: map[string]int{},
		dice: rand.New(rand.NewPCG(20, 26))}
	front := httptest.NewServer(net)
	t.Cleanup(func() {
		front.CloseClientConnections()
		front.Close()
	})
	page := fmt.Sprintf("%s/stall/%d", front.URL, id)
	open := []*site{s}
	for range tabs - 1 {
		tab, shut := chromedp.NewContext(s.tab)
		t.Cleanup(shut)
		require.NoError(t, chromedp.Do(tab))
		open = append(open, &site{T: t, book: s.book, url: front.URL, tab: tab})
	}
	for from := 0; from < each; from += part {
		for i, o := range open {
			o.do(chromedp.Navigate(page), chromedp.WaitVisible(css("#live[data-ready]")))
			eval[bool](o, fmt.Sprintf(`(() => {
				const line = document.querySelector("#line");
				for (let i = %d; i < %d; i++) {
					line.value = (i / 20).toFixed(2) + " " + (i / 10).toFixed(1);
					line.dispatchEvent(new Event("input", {bubbles: true}));
					line.form.requestSubmit();
				}
				return true;
			})()`, i*each+from, i*each+min(from+part, each)))
		}
	}
	for _, o := range open[1:] { // what they typed is any page's to send
		o.do(chromedp.Navigate("about:blank"))
	}
	s.do(chromedp.Navigate(front.URL+"/definitions"), chromedp.WaitVisible(css("html[data-ready] h1")))
	ctx, cancel := context.WithTimeout(s.tab, 2*time.Minute)
	defer cancel()
	for left := -1; left != 0; { // the network is as bad as before; it is said to be back again and again
		left, err = chromedp.Run(ctx, chromedp.Evaluate[int](
			`(window.dispatchEvent(new Event("online")), Object.keys(localStorage).filter(k => k.startsWith("zincroad-")).length)`))
		require.NoError(t, err)
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			require.Fail(t, "entries are left", "%d, %v", left, net.count)
		}
	}
	lines, err := s.book.TypedLines(context.Background(), id)
	require.NoError(t, err)
	stored := map[string]int{}
	for _, l := range lines {
		stored[l.Line]++
	}
	var wrong []string
	for i := range tabs * each {
		line := fmt.Sprintf("%.2f %.1f", float64(i)/20, float64(i)/10)
		if stored[line] != 1 {
			wrong = append(wrong, fmt.Sprintf("%s: %d times", line, stored[line]))
		}
	}
	assert.Empty(t, strings.Join(wrong, "\n"), "stored other than once")
	assert.Len(t, lines, tabs*each)
	for _, fate := range []string{"lost", "answer lost", "twice", "login page", "another program", "another's answer"} {
		assert.Positive(t, net.count[fate], fate)
	}
	s.mu.Lock()
	s.said = nil // the browser complains of the network, as it should
	s.mu.Unlock()
}
