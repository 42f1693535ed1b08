package runfolder

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"sort"
	"strings"
	"time"
	"unicode/utf8"

	"zincroad/core/run"
	"zincroad/formats/csvlog"
)

// key says what one key of run.json may hold. Paths name array elements by [].
type key struct {
	kind     string // "number", "text", "word", "time", "zone", "flag", "object" or "list"
	min, max float64
	words    []string
}

func word(words []string) key       { return key{kind: "word", words: words} }
func (k key) allows(v float64) bool { return v >= k.min && v <= k.max }

// schema holds every key that is known. A key that is not in it is kept and
// written back. Ranges of numbers are those of run.Fields.
var schema = func() map[string]key {
	text, object, list := key{kind: "text"}, key{kind: "object"}, key{kind: "list"}
	out := map[string]key{
		"format": text, "title": text, "started_at": {kind: "time"}, "timezone": {kind: "zone"},
		"car": object, "car.name": text, "car.software": text, "car.chemistry": word(run.Chemistries),
		"car.preconditioning": word(run.Preconditionings), "car.envelope": list, "car.envelope[]": object, "car.pack": object,
		"car.navigation": object, "car.navigation.stop_only": {kind: "flag"},
		"car.gentle_envelope": list, "car.gentle_envelope[]": object,
		"stall": object, "stall.site": text, "stall.name": text,
		"stall.tariff": object, "stall.tariff.currency": text, "stall.tariff.membership": object,
		"stall.tariff.per_min": list, "stall.tariff.per_min[]": object,
		"adapter": object, "adapter.name": text,
		"method": object, "method.name": text, "method.clock": word(run.Clocks), "method.climate": word(run.Climates),
		"conditions": object, "conditions.preconditioned": word(run.Preconditioned), "conditions.profile": word(run.Profiles),
		"conditions.climate": word(run.Climates), "conditions.weather": text, "conditions.label": text,
		"claims": list, "claims[]": object, "claims[].kind": word(run.ClaimKinds),
		"claims[].note": text,
		"recordings":    list, "recordings[]": object, "recordings[].file": text, "recordings[].side": word([]string{"car",
			"stall"}), "recordings[].clock_settled": {kind: "flag"},
		"photos": list, "photos[]": object, "photos[].file": text,
		"marks": list, "marks[]": object, "marks[].kind": word(run.MarkKinds), "marks[].note": text,
	}
	for _, f := range run.Fields {
		out[f.Path] = key{kind: "number", min: f.Min, max: f.Max}
	}
	out["photos[].t_s"] = out["marks[].t_s"]
	return out
}()

// checker walks a run.json token by token, so that every fault has its line.
type checker struct {
	file   string
	dec    *json.Decoder
	lineAt []int64 // offsets of line ends
	faults []csvlog.Fault
	lines  map[string]int // line of each key, by full path with indices
	depth  int            // how deep the value lies that is read
}

// What no run comes near to: values inside each other, members of a list, characters of a text.
const (
	mostDeep    = 50
	mostMembers = 10_000
	mostText    = 5_000
)

// check lists every fault of a run.json, in order of line, and the line of each key.
func check(doc []byte, file string) ([]csvlog.Fault, map[string]int) {
	c := &checker{file: file, dec: json.NewDecoder(strings.NewReader(string(doc))), lines: map[string]int{}}
	c.dec.UseNumber()
	for i, b := range doc {
		if b == '\n' {
			c.lineAt = append(c.lineAt, int64(i))
		}
	}
	if err := c.value("", ""); err != nil {
		c.fault(c.here(), "no valid JSON: "+plain(err))
		return c.faults, c.lines
	}
	if _, err := c.dec.Token(); err != io.EOF {
		c.fault(c.here(), "something stands behind the closing brace")
	}
	return c.faults, c.lines
}

func plain(err error) string {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return "the text ends too early"
	}
	return strings.TrimPrefix(err.Error(), "json: ")
}

func (c *checker) here() int {
	at := c.dec.InputOffset()
	return 1 + sort.Search(len(c.lineAt), func(i int) bool { return c.lineAt[i] >= at })
}

func (c *checker) fault(line int, reason string) {
	c.faults = append(c.faults, csvlog.Fault{File: c.file, Line: line, Reason: reason})
}

var index = regexp.MustCompile(`\[\d+\]`)

// value reads one value; path has indices, name is the key for messages.
func (c *checker) value(path, name string) error {
	if c.depth++; c.depth > mostDeep {
		return fmt.Errorf("more than %d values inside each other", mostDeep)
	}
	defer func() { c.depth-- }()
	tok, err := c.dec.Token()
	if err != nil {
		return err
	}
	line := c.here()
	c.lines[path] = line
	k, known := schema[index.ReplaceAllString(path, "[]")]
	if path == "" {
		k, known = key{kind: "object"}, true
	}
	if known && tok != nil {
		if problem := k.problem(tok); problem != "" {
			if path == "" {
				c.fault(line, "expected an object in braces")
			} else {
				c.fault(line, path+": "+problem)
			}
		}
	}
	switch tok {
	case json.Delim('{'):
		for c.dec.More() {
			keyTok, err := c.dec.Token()
			if err != nil {
				return err
			}
			next := keyTok.(string)
			if path != "" {
				next = path + "." + next
			}
			if err := c.value(next, next); err != nil {
				return err
			}
		}
		_, err = c.dec.Token()
	case json.Delim('['):
		for i := 0; c.dec.More(); i++ {
			if i == mostMembers {
				return fmt.Errorf("%s has more than %d members", path, mostMembers)
			}
			if err := c.value(fmt.Sprintf("%s[%d]", path, i), name); err != nil {
				return err
			}
		}
		_, err = c.dec.Token()
	}
	return err
}

// problem tells what is wrong with a token for this key; null is "not given".
func (k key) problem(tok json.Token) string {
	switch k.kind {
	case "object":
		if tok != json.Delim('{') {
			return "expected an object in braces"
		}
	case "list":
		if tok != json.Delim('[') {
			return "expected a list in brackets"
		}
	case "flag":
		if _, ok := tok.(bool); !ok {
			return fmt.Sprintf("%s, expected true or false", show(tok))
		}
	case "number":
		n, ok := tok.(json.Number)
		if !ok {
			return fmt.Sprintf("%s, expected a number", show(tok))
		}
		v, err := n.Float64()
		if err != nil || math.IsNaN(v) || !k.allows(v) {
			return fmt.Sprintf("%s, expected %g to %g", n, k.min, k.max)
		}
	default:
		return k.textProblem(tok)
	}
	return ""
}

// textProblem says what is wrong with a text; empty where nothing is.
func (k key) textProblem(tok json.Token) string {
	s, ok := tok.(string)
	switch {
	case !ok:
		return fmt.Sprintf("%s, expected text in quotes", show(tok))
	case utf8.RuneCountInString(s) > mostText:
		return fmt.Sprintf("longer than %d characters", mostText)
	case k.kind == "word" && s != "" && !slices.Contains(k.words, s):
		return fmt.Sprintf("%q, expected %s", s, orList(k.words))
	case k.kind == "time" && s != "":
		if _, err := time.Parse(time.RFC3339, s); err != nil {
			return fmt.Sprintf("%q, expected a time such as 2026-02-03T18:20:00Z", s)
		}
	case k.kind == "zone" && s != "":
		if _, err := time.LoadLocation(s); err != nil {
			return fmt.Sprintf("%q, expected a time zone such as Europe/Lisbon", s)
		}
	}
	return ""
}

func show(tok json.Token) string {
	switch v := tok.(type) {
	case string:
		return fmt.Sprintf("%q", v)
	case json.Delim:
		return string(rune(v)) + "…"
	}
	return fmt.Sprint(tok)
}

func orList(words []string) string {
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}
