// Package markdown makes people's Markdown fit to stand on a page.
package markdown

import (
	"bytes"
	"fmt"
	"html/template"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
)

// allowed is what somebody's words may hold: text with emphasis, lists and links, nothing that is fetched.
var allowed = func() *bluemonday.Policy {
	p := bluemonday.NewPolicy()
	p.AllowElements("p", "br", "em", "strong", "ul", "ol", "li", "blockquote", "code", "pre", "h2", "h3", "h4", "hr")
	p.AllowAttrs("href").OnElements("a")
	p.AllowURLSchemes("http", "https", "mailto")
	p.RequireParseableURLs(true)
	p.RequireNoFollowOnLinks(true)
	p.RequireNoReferrerOnLinks(true)
	return p
}()

// HTML is somebody's Markdown as it may stand on a page.
func HTML(text string) (template.HTML, error) {
	var b bytes.Buffer
	if err := goldmark.Convert([]byte(text), &b); err != nil {
		return "", fmt.Errorf("reading Markdown: %w", err)
	}
	return template.HTML(allowed.SanitizeBytes(b.Bytes())), nil //nolint:gosec // it was made clean just now
}
