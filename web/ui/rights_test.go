package ui

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A page has no link and no button that would be refused, its text stays as it is, and what a form holds can be read.
func TestTrimmed(t *testing.T) {
	ctx := WithRights(context.Background(), func(method, path string) bool {
		return !strings.HasPrefix(path, "/keep") && method == "GET" || path == "/own"
	})
	const post = `<form method="post" action="/o">`
	same := func(page string) [2]string { return [2]string{page, page} }
	for _, c := range [][2]string{
		same(`<p>as <a href="/read?x=1">it</a> is &amp; stays</p>`),
		{`<p>no <a href="/keep/new#x">way <b>in</b></a>here</p>`, `<p>no here</p>`},
		same(`<a href="#here">here</a><a href="https://else.example/keep">out</a>`),
		same(`<form method="post" action="/own"><button>Go</button></form>`),
		{`x` + post + `<button>Go <i>on</i></button></form>y`, `xy`},
		same(`<form action="/read"><button>Find</button></form>`),
		{`<h2>New <b>one</b></h2> ` + post + `<input name="a"></form>`, ``},
		{`<h2>Old</h2>text` + post + `<button>x</button></form>`, `<h2>Old</h2>text`},
		{`<h2>Old</h2><p>of</p>` + post + `<button>x</button></form>`, `<h2>Old</h2><p>of</p>`},
		{post + `<input type="hidden" value="1"><input name="a" value="7"><button>x</button></form>`,
			post + `<input type="hidden" value="1"><input disabled name="a" value="7"></form>`},
		{post + `<select name="a"><option value="1" selected>one</option></select></form>`,
			post + `<select disabled name="a"><option value="1" selected>one</option></select></form>`},
		{`<form method="post" action="/own"><button formaction="/other">x</button>y</form>`,
			`<form method="post" action="/own">y</form>`},
		{`<tr hx-post="/other"><td>1</td></tr><td>2</td>`, `<td>2</td>`},
		same(`<script>if (a < b) { "<form method='post' action='/o'>" }</script>`),
	} {
		page, want := c[0], c[1]
		assert.Equal(t, want, strings.TrimSpace(string(Trimmed(ctx, []byte(page)))), page)
		assert.Equal(t, page, string(Trimmed(context.Background(), []byte(page))), "who may do everything")
	}
}
