package ui

import (
	"regexp"
	"strings"
	"sync"
)

// Templates are indented for people. What a browser would do nothing with is left out once,
// when they are read, so that a page at the stall is no longer on a phone's line than it
// need be: a live one is sent every second.

// token is a tag, a template's action or a comment of its own; what lies between is text.
var token = regexp.MustCompile(`(?s)\{\{.*?\}\}|<!--.*?-->|</?[a-zA-Z!](?:\{\{.*?\}\}|"[^"]*"|[^<>"])*>`)

var (
	tagName   = regexp.MustCompile(`^</?([a-zA-Z0-9]+)`)
	opening   = regexp.MustCompile(`^\{\{-?\s*(if|with)\b`)
	looping   = regexp.MustCompile(`^\{\{-?\s*range\b`)
	closing   = regexp.MustCompile(`^\{\{-?\s*end\b`)
	defining  = regexp.MustCompile(`^\{\{-?\s*(define|block)\b`)
	whitespan = regexp.MustCompile(`\s*\n\s*`)

	asTyped       = regexp.MustCompile(`^<(textarea|pre)\b`)
	betweenQuotes = regexp.MustCompile(`(?s)"[^"]*"|'[^']*'|[^"']+`)
	afterLast     = regexp.MustCompile(`\s+(/?>)$`)
)

// blocks are the elements at whose edges white space shows nothing; at those of boxes it
// does outside, where words or other boxes stand beside them.
var blocks, boxes = set(`html head body meta link title script div section header main nav fieldset table caption
	colgroup col thead tbody tfoot tr td th ul ol li dl dt dd p h1 h2 h3 optgroup option details summary dialog figure defs
	pattern line br`), set(`button form label select output svg noscript`)

func set(names string) map[string]bool {
	m := map[string]bool{}
	for name := range strings.FieldsSeq(names) {
		m[name] = true
	}
	return m
}

// squeezed keeps what squeeze made of a text, for programs that make more than one server.
var squeezed sync.Map

// squeezeOnce is squeeze, done once for each text.
func squeezeOnce(text string) string {
	if was, ok := squeezed.Load(text); ok {
		return was.(string)
	}
	out := squeeze(text)
	squeezed.Store(text, out)
	return out
}

// squeeze leaves out of a template's text the white space that shows nothing: at the edges
// of blocks all of it, elsewhere, between attributes too, all of a line break but a space.
// What actions write is not touched.
func squeeze(text string) string {
	var pieces []piece
	var open []string // the kinds of the actions that are open
	at := 0
	for _, m := range token.FindAllStringIndex(text, -1) {
		if m[0] > at {
			pieces = append(pieces, piece{text: text[at:m[0]]})
		}
		p := piece{text: text[m[0]:m[1]], kind: "tag"}
		switch {
		case defining.MatchString(p.text):
			p.kind, open = "edge", append(open, "edge")
		case opening.MatchString(p.text):
			p.kind, open = "open", append(open, "close")
		case looping.MatchString(p.text):
			p.kind, open = "loop", append(open, "loop")
		case closing.MatchString(p.text) && len(open) > 0:
			p.kind, open = open[len(open)-1], open[:len(open)-1]
		case strings.HasPrefix(p.text, "{{"):
			p.kind = "action"
		}
		pieces = append(pieces, p)
		at = m[1]
	}
	pieces = append(pieces, piece{text: text[at:]})
	var out strings.Builder
	for i, p := range pieces {
		if p.kind == "" && !(i > 0 && asTyped.MatchString(pieces[i-1].text)) {
			if edge(pieces, i, -1, "open") {
				p.text = strings.TrimLeft(p.text, " \t\n")
			}
			if edge(pieces, i, 1, "close") {
				p.text = strings.TrimRight(p.text, " \t\n")
			}
			p.text = whitespan.ReplaceAllString(p.text, " ")
		}
		if p.kind == "tag" {
			p.text = betweenQuotes.ReplaceAllStringFunc(p.text, func(part string) string {
				if part[0] == '"' || part[0] == '\'' {
					return part
				}
				return afterLast.ReplaceAllString(whitespan.ReplaceAllString(part, " "), "$1")
			})
		}
		out.WriteString(p.text)
	}
	return out.String()
}

// piece is a part of a template; the kind of text is empty.
type piece struct{ text, kind string }

// edge tells whether a text stands at the edge of a block in a direction, through actions
// of a kind that are written or not and write nothing themselves.
func edge(pieces []piece, i, step int, through string) bool {
	for i += step; i >= 0 && i < len(pieces); i += step {
		switch p := pieces[i]; {
		case p.kind == "edge":
			return true
		case p.kind == "tag":
			name := tagName.FindStringSubmatch(p.text)
			inside := strings.HasPrefix(p.text, "</") == (step > 0)
			return name != nil && (blocks[name[1]] || inside && boxes[name[1]])
		case p.kind == through, p.kind == "" && strings.TrimSpace(p.text) == "":
		default:
			return false
		}
	}
	return true
}
