package ui

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

type rightsKey struct{}

// May tells whether the reader of a page may do something.
type May func(method, path string) bool

// WithRights notes for the pages of a request what its reader may do. Without, everything.
func WithRights(ctx context.Context, may May) context.Context {
	return context.WithValue(ctx, rightsKey{}, may)
}

// trimmed is a page, or a part of one, without what would be refused: links that lead there, buttons that do it. What
// stands in a form's fields can be read all the same. No page has to know who reads it.
func trimmed(ctx context.Context, page []byte) []byte {
	may, ok := ctx.Value(rightsKey{}).(May)
	if !ok {
		return page
	}
	t := trimmer{may: may}
	z := html.NewTokenizer(bytes.NewReader(page))
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			return t.out.Bytes()
		}
		t.take(kind, bytes.Clone(z.Raw()), z)
	}
}

type trimmer struct {
	may  May
	out  bytes.Buffer
	gone int    // how many elements deep in what is left out
	name string // of the element that is
	form bool   // within a form that would be refused
}

// none is what an element is that ends where it begins.
var void = []string{"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"}

func (t *trimmer) take(kind html.TokenType, raw []byte, z *html.Tokenizer) {
	switch kind {
	case html.StartTagToken, html.SelfClosingTagToken:
		tag, more := z.TagName()
		name, attr := string(tag), map[string]string{}
		for more {
			var k, v []byte
			k, v, more = z.TagAttr()
			attr[string(k)] = string(v)
		}
		t.begin(name, attr, raw, kind == html.SelfClosingTagToken || slices.Contains(void, name))
	case html.EndTagToken:
		tag, _ := z.TagName()
		t.end(string(tag), raw)
	default:
		if t.gone == 0 {
			t.out.Write(raw)
		}
	}
}

func (t *trimmer) begin(name string, attr map[string]string, raw []byte, ends bool) {
	if t.gone > 0 {
		if name == t.name && !ends {
			t.gone++
		}
		return
	}
	refused := t.refused(name, attr)
	switch {
	case name == "form" && refused:
		t.form = true
	case refused || t.form && name == "button":
		if !ends {
			t.gone, t.name = 1, name
		}
		return
	case t.form && (name == "input" && attr["type"] != "hidden" || name == "select" || name == "textarea"):
		if _, off := attr["disabled"]; !off {
			i := 1 + len(name)
			raw = slices.Concat(raw[:i], []byte(" disabled"), raw[i:])
		}
	}
	t.out.Write(raw)
}

func (t *trimmer) end(name string, raw []byte) {
	if t.gone > 0 {
		if name == t.name {
			t.gone--
		}
		return
	}
	if name == "form" {
		t.form = false
	}
	t.out.Write(raw)
}

// refused tells whether what an element leads to, or sends, would be refused.
func (t *trimmer) refused(name string, attr map[string]string) bool {
	leads := func(method, to string) bool {
		path, _, _ := strings.Cut(to, "?")
		path, _, _ = strings.Cut(path, "#")
		return strings.HasPrefix(path, "/") && !t.may(method, path)
	}
	switch name {
	case "a":
		return leads("GET", attr["href"])
	case "form":
		method := strings.ToUpper(attr["method"])
		if method == "" {
			method = "GET"
		}
		return leads(method, attr["action"])
	case "button", "input":
		if to, own := attr["formaction"]; own {
			return leads("POST", to)
		}
	}
	if to, sends := attr["hx-post"]; sends {
		return leads("POST", to)
	}
	return false
}
