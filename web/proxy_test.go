package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// badNetwork stands between browser and program, as a phone's network in a car park does: what is sent is lost before
// it arrives or after, comes late or twice, or is answered by somebody else.
type badNetwork struct {
	next http.Handler

	mu    sync.Mutex
	dice  *rand.Rand
	count map[string]int
}

// fate draws what happens to a request.
func (n *badNetwork) fate() (what string, late time.Duration) {
	n.mu.Lock()
	defer n.mu.Unlock()
	fates := []string{
		"lost",
		"answer lost",
		"twice",
		"login page",
		"another program",
		"another's answer",
		"empty",
		"broken",
	}
	what = "passed"
	if k := n.dice.IntN(5 * len(fates)); k < len(fates) {
		what = fates[k]
	}
	n.count[what]++
	return what, time.Duration(n.dice.IntN(15)) * time.Millisecond
}

func (n *badNetwork) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodPost {
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

// Hundreds of readings, typed in three tabs over such a network, with the pages loaded anew in between, marks among
// them and corrections of what is stored by then: each is stored once, and none is left in the browser. A thousand
// readings where ZINCROAD_CHAOS is set.
func TestReadingsOverABadNetwork(t *testing.T) {
	const tabs, rounds, marks, mended = 3, 3, 5, 4
	each := 99
	if os.Getenv("ZINCROAD_CHAOS") != "" {
		each = 336
	}
	part := each / rounds
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
	said := func(i int) string { return fmt.Sprintf("%.2f %.1f", float64(i)/20, float64(i)/10) }
	const mending = "07"       // two more digits of the power
	put := map[string]string{} // what was said in place of what
	var wrong []string
	for round := range rounds {
		known, err := s.book.TypedLines(t.Context(), id)
		require.NoError(t, err)
		known = slices.DeleteFunc(known, func(l logbook.TypedLine) bool {
			_, asked := put[l.Line]
			return asked || strings.HasSuffix(l.Line, mending)
		})
		for i, o := range open {
			o.do(chromedp.Navigate(page), chromedp.WaitVisible(css("#live[data-ready]")))
			var corrections [][2]string
			for k := i * mended; k < min((i+1)*mended, len(known)); k++ {
				put[known[k].Line] = known[k].Line + mending
				corrections = append(corrections, [2]string{known[k].Key, put[known[k].Line]})
			}
			corrected, err := json.Marshal(corrections)
			require.NoError(t, err)
			from := i*each + round*part
			eval[bool](o, fmt.Sprintf(`(() => {
				const line = document.querySelector("#line"),
					type = (text, of) => {
						line.value = text;
						line.dispatchEvent(new Event("input", {bubbles: true}));
						document.querySelector("[name=correcting]").value = of;
						line.form.requestSubmit();
					};
				for (let i = %d; i < %d; i++) type((i / 20).toFixed(2) + " " + (i / 10).toFixed(1), "");
				for (const [key, text] of %s || []) type(text, key);
				const mark = document.querySelector(".marks-pad form:not(:has([data-ask]))");
				for (let i = 0; i < %d; i++) mark.requestSubmit();
				return true;
			})()`, from, from+part, corrected, marks))
		}
	}
	for _, o := range open[1:] { // what they typed is any page's to send
		o.do(chromedp.Navigate("about:blank"))
	}
	s.do(chromedp.Navigate(front.URL+"/definitions"), chromedp.WaitVisible(css("html[data-ready] h1")))
	// The network is as bad as before; it is said to be back again and again, as long as entries go.
	for left, fewest, since := -1, math.MaxInt, time.Now(); left != 0; time.Sleep(50 * time.Millisecond) {
		left = eval[int](s, `(window.dispatchEvent(new Event("online")),
			Object.keys(localStorage).filter(k => k.startsWith("zincroad-entry-")).length)`)
		if left < fewest {
			fewest, since = left, time.Now()
		}
		require.Less(t, time.Since(since), patience, "%d entries are left, %v", left, net.count)
	}
	lines, err := s.book.TypedLines(t.Context(), id)
	require.NoError(t, err)
	stored := map[string]int{}
	standing := map[string]bool{}
	for _, l := range lines {
		stored[l.Line]++
		standing[l.Line] = l.CorrectedBy == nil
	}
	for i := range tabs * each {
		line := said(i)
		if stored[line] != 1 {
			wrong = append(wrong, fmt.Sprintf("%s: %d times", line, stored[line]))
		}
		if now, ok := put[line]; ok && (stored[now] != 1 || standing[line] || !standing[now]) {
			wrong = append(wrong, fmt.Sprintf("%s, corrected to %s: %d times", line, now, stored[now]))
		}
	}
	assert.Empty(t, strings.Join(wrong, "\n"), "stored other than once")
	assert.Len(t, lines, tabs*each+len(put))
	assert.NotEmpty(t, put)
	row, err := s.book.Run(t.Context(), id)
	require.NoError(t, err)
	assert.Len(t, row.Marks, tabs*rounds*marks)
	for _, fate := range []string{"lost", "answer lost", "twice", "login page", "another program", "another's answer"} {
		assert.Positive(t, net.count[fate], fate)
	}
	s.mu.Lock()
	s.said = nil // the browser complains of the network, as it should
	s.mu.Unlock()
}
