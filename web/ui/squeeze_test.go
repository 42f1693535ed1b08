package ui

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// White space goes where it shows nothing, and stays where it parts words; what is typed
// into attributes and actions is not touched.
func TestSqueezeLeavesWhatShows(t *testing.T) {
	for name, tt := range map[string]struct{ from, want string }{
		"at the edges of a block": {"<p>\n   a  b\n  </p>\n\n  <p>c</p>", "<p>a  b</p><p>c</p>"},
		"between words":           {"<p>\n  a\n  <b>b</b>\n  c\n</p>", "<p>a <b>b</b> c</p>"},
		"through a condition":     {"<td>\n  {{ if .X }}\n    a\n  {{ end }}\n</td>", "<td>{{ if .X }}a{{ end }}</td>"},
		"before a condition":      {"<p>a\n  {{ if .X }}b{{ end }}</p>", "<p>a {{ if .X }}b{{ end }}</p>"},
		"between turns of a loop": {"<p>{{ range . }}\n  <b>x</b>\n{{ end }}</p>", "<p>{{ range . }} <b>x</b> " +
			"{{ end }}</p>"},
		"rows of a loop": {"<ul>\n{{ range . }}\n  <li>x</li>\n{{ end }}\n</ul>", "<ul>{{ range . " +
			"}}<li>x</li>{{ end }}</ul>"},
		"inside an attribute": {"<textarea placeholder=\"1\n  2\">\n{{ .T }}</textarea>",
			"<textarea placeholder=\"1\n  2\">\n{{ .T }}</textarea>"},
		"between attributes": {"<a\n  href=\"x\"\n  {{ if .Y }}id=\"y\"{{ end }}\n>", "<a href=\"x\" {{ if " +
			".Y }}id=\"y\"{{ end }}>"},
		"a condition in a tag": {"<a {{ if gt .N 1 }}class=\"x\"{{ end }}>b </a>", "<a {{ if gt .N 1 " +
			"}}class=\"x\"{{ end }}>b </a>"},
		"the edge of a part": {"{{ define \"a\" }}\n  b\n{{ end }}\n", "{{ define \"a\" }}b{{ end }}"},
		"boxes in a row": {"<p><button>\n a\n</button>\n<button>b</button></p>",
			"<p><button>a</button> <button>b</button></p>"},
		"either of two": {"<p>{{ if . }}\n a\n{{ else }}\n b\n{{ end }}</p>", "<p>{{ if . }}a {{ else " +
			"}} b{{ end }}</p>"},
	} {
		assert.Equal(t, tt.want, squeeze(tt.from), name)
	}
}
