package web_test

import (
	"bytes"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A report as a file, of one run and of two, with a photo's worth of words: it asks for nothing when it is opened, has
// axe-core find nothing, is no broader than a phone's screen or a sheet, and one run's prints on three pages of A4 at
// most.
func TestAReportAsAFile(t *testing.T) {
	s := newSite(t, 390, 844, true)
	axe, err := os.ReadFile("../node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	for _, runs := range []string{"1", "2,6"} {
		report := published(t, s.ts.Config.Handler, runs, url.Values{"title": {"Two nights"}, "words": {"It *rained*.\n\n- all night\n"}})
		text := get(s.ts.Config.Handler, report+"/report.html?download").Body.Bytes()
		assert.Less(t, len(text), 400_000)
		file := filepath.Join(t.TempDir(), "report.html")
		require.NoError(t, os.WriteFile(file, text, 0o600))
		s.do(chromedp.Navigate("file://"+file), chromedp.WaitVisible(css("main")))
		assert.Empty(t, eval[[]string](s, `performance.getEntriesByType("resource").map((e) => e.name.slice(0, 60))
			.filter((name) => !name.startsWith("data:"))`), "asked for")
		eval[bool](s, string(axe)+"; true")
		s.passes(fmt.Sprint("report of ", runs), `["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]`)
		assert.LessOrEqual(t, eval[int](s, "document.documentElement.scrollWidth"), 390, runs)
		own := true
		printed, err := chromedp.Call(s.tab, page.PrintToPDF, page.PrintToPDFParams{PreferCSSPageSize: &own})
		require.NoError(t, err)
		if runs == "1" {
			assert.LessOrEqual(t, bytes.Count(printed.Data, []byte("/Type /Page\n")), 3)
			assert.NotZero(t, bytes.Count(printed.Data, []byte("/Type /Page\n")))
		}
	}
}
