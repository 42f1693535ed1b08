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
	for page, want := range map[string]string{
		`<p>as <a href="/read?x=1">it</a> is &amp; stays</p>`:                             `<p>as <a href="/read?x=1">it</a> is &amp; stays</p>`,
		`<p>no <a href="/keep/new#x">way <b>in</b></a>here</p>`:                           `<p>no here</p>`,
		`<a href="#here">here</a><a href="https://else.example/keep">out</a>`:             `<a href="#here">here</a><a href="https://else.example/keep">out</a>`,
		`<form method="post" action="/own"><button>Go</button></form>`:                    `<form method="post" action="/own"><button>Go</button></form>`,
		`x<form method="post" action="/other"><button>Go <i>on</i></button></form>y`:      `xy`,
		`<form action="/read"><button>Find</button></form>`:                               `<form action="/read"><button>Find</button></form>`,
		`<h2>New <b>one</b></h2> <form method="post" action="/o"><input name="a"></form>`: ``,
		`<h2>Old</h2>text<form method="post" action="/o"><button>x</button></form>`:       `<h2>Old</h2>text`,
		`<h2>Old</h2><p>of</p><form method="post" action="/o"><button>x</button></form>`:  `<h2>Old</h2><p>of</p>`,
		`<form method="post" action="/o"><input type="hidden" value="1"><input name="a" value="7"><button>x</button></form>`: `<form ` +
			`method="post" action="/o"><input type="hidden" value="1"><input disabled name="a" value="7"></form>`,
		`<form method="post" action="/o"><select name="a"><option value="1" selected>one</option></select></form>`: `<form ` +
			`method="post" action="/o"><select disabled name="a"><option value="1" selected>one</option></select></form>`,
		`<form method="post" action="/own"><button formaction="/other">x</button>y</form>`: `<form method="post" ` +
			`action="/own">y</form>`,
		`<tr hx-post="/other"><td>1</td></tr><td>2</td>`: `<td>2</td>`,
		`<script>if (a < b) { "<form method='post' action='/o'>" }</script>`: `<script>if (a < b) { ` +
			`"<form method='post' action='/o'>" }</script>`,
	} {
		assert.Equal(t, want, strings.TrimSpace(string(Trimmed(ctx, []byte(page)))), page)
		assert.Equal(t, page, string(Trimmed(context.Background(), []byte(page))), "who may do everything")
	}
}
