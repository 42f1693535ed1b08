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

// Trimmed is a page, or a part of one, without what would be refused: links that lead there, buttons that do it, forms
// that hold nothing yet with the heading before them. What stands in the fields of others can be read all the same. So
// no page has to know who reads it.
func Trimmed(ctx context.Context, page []byte) []byte {
	may, ok := ctx.Value(rightsKey{}).(May)
	if !ok {
		return page
	}
	t := trimmer{may: may, heading: -1}
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

	in    bool         // within a form that would be refused
	form  bytes.Buffer // as much of it as is to be read
	holds bool         // it holds something to read

	heading int // where the last heading began, while nothing came after it; -1: none
}

// void are elements that end where they begin.
var void = []string{"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track",
	"wbr"}

var headings = []string{"h2", "h3"}

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
		if t.gone > 0 {
			return
		}
		if !t.in && t.heading >= 0 && !t.withinHeading() && len(bytes.TrimSpace(raw)) > 0 {
			t.heading = -1
		}
		t.write(raw)
	}
}

func (t *trimmer) write(raw []byte) {
	if t.in {
		t.form.Write(raw)
		return
	}
	t.out.Write(raw)
}

func (t *trimmer) begin(name string, attr map[string]string, raw []byte, ends bool) {
	if t.gone > 0 {
		if name == t.name && !ends {
			t.gone++
		}
		return
	}
	refused := t.refused(name, attr)
	if name == "form" && refused {
		t.in, t.holds = true, false
		t.form.Reset()
		t.form.Write(raw)
		return
	}
	if refused || t.in && (name == "button" || name == "input" && attr["type"] == "file") {
		if !ends {
			t.gone, t.name = 1, name
		}
		return
	}
	if !t.in {
		if slices.Contains(headings, name) {
			t.heading = t.out.Len()
		} else if t.heading >= 0 && !t.withinHeading() {
			t.heading = -1
		}
		t.out.Write(raw)
		return
	}
	_, chosen := attr["selected"]
	switch {
	case name == "input" && attr["type"] != "hidden", name == "select", name == "textarea":
		t.holds = t.holds || attr["value"] != "" && attr["type"] != "checkbox" || name == "textarea"
		if _, off := attr["disabled"]; !off {
			i := 1 + len(name)
			raw = slices.Concat(raw[:i], []byte(" disabled"), raw[i:])
		}
	case name == "option":
		t.holds = t.holds || chosen && attr["value"] != ""
	}
	t.form.Write(raw)
}

// withinHeading tells whether the heading that began last has not ended yet.
func (t *trimmer) withinHeading() bool {
	return !bytes.Contains(t.out.Bytes()[t.heading:], []byte("</h"))
}

func (t *trimmer) end(name string, raw []byte) {
	if t.gone > 0 {
		if name == t.name {
			t.gone--
		}
		return
	}
	if name != "form" || !t.in {
		if t.heading >= 0 && !slices.Contains(headings, name) && !t.withinHeading() {
			t.heading = -1
		}
		t.write(raw)
		return
	}
	t.in = false
	if t.holds {
		t.out.Write(t.form.Bytes())
		t.out.Write(raw)
	} else if t.heading >= 0 {
		t.out.Truncate(t.heading)
	}
	t.heading = -1
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
