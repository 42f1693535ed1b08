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

	"zincroad/core/run"
	"zincroad/formats/csvlog"
)

// key says what one key of run.json may hold. Paths name array elements by [].
type key struct {
	kind     string // "number", "text", "word", "time", "object" or "list"
	min, max float64
	words    []string
}

func num(min, max float64) key      { return key{kind: "number", min: min, max: max} }
func word(words []string) key       { return key{kind: "word", words: words} }
func (k key) allows(v float64) bool { return v >= k.min && v <= k.max }

// schema holds every key that is known. A key that is not in it is kept and
// written back. Ranges are wide: they catch a wrong sign or a wrong unit.
var schema = func() map[string]key {
	text, object, list := key{kind: "text"}, key{kind: "object"}, key{kind: "list"}
	kw, amps, volts, pct, celsius := num(0, 5000), num(0, 5000), num(0, 2000), num(0, 100), num(-60, 150)
	money := num(0, 1e6)
	return map[string]key{
		"format": text, "title": text, "started_at": {kind: "time"}, "timezone": {kind: "zone"},
		"car": object, "car.name": text, "car.software": text, "car.chemistry": word(run.Chemistries),
		"car.gross_kwh": num(0, 2000), "car.usable_kwh": num(0, 2000), "car.cells_in_series": num(0, 2000),
		"car.pack_min_v": volts, "car.pack_nominal_v": volts, "car.pack_max_v": volts,
		"car.max_kw": kw, "car.max_a": amps, "car.converter_kw": kw, "car.battery_mass_kg": num(0, 20000),
		"car.heater_kw": num(0, 100), "car.warm_c": celsius, "car.preconditioning": word(run.Preconditionings),
		"car.consumption_wh_per_km": num(0, 10000), "car.rated_range_km": num(0, 5000),
		"car.envelope": list, "car.envelope[]": object, "car.envelope[].soc_pct": pct, "car.envelope[].kw": kw,
		"car.timer_s": num(0, 1e5), "car.timer_share_pct": pct, "car.pack": object,
		"car.pack.resistance_mohm": num(0, 5000), "car.pack.heat_capacity_kj_per_k": num(0, 20000),
		"car.pack.coupling_w_per_k": num(0, 1e5), "car.pack.loss_w_per_k": num(0, 1e5), "car.pack.cooling_kw": num(0, 200),
		"car.pack.heater_share_pct": pct, "car.pack.hot_c": celsius,
		"stall": object, "stall.site": text, "stall.name": text, "stall.rated_kw": kw, "stall.max_a": amps,
		"stall.min_v": volts, "stall.max_v": volts, "stall.shared_kw": kw,
		"stall.tariff": object, "stall.tariff.currency": text, "stall.tariff.per_kwh": money,
		"stall.tariff.per_min": list, "stall.tariff.per_min[]": object,
		"stall.tariff.per_min[].up_to_kw": kw, "stall.tariff.per_min[].price": money,
		"stall.tariff.session_fee": money, "stall.tariff.idle_per_min": money,
		"stall.tariff.idle_after_min": num(0, 1e5), "stall.tariff.tax_pct": num(0, 100),
		"stall.tariff.membership": object, "stall.tariff.membership.per_month": money, "stall.tariff.membership.per_kwh_off": money,
		"adapter": object, "adapter.name": text, "adapter.max_a": amps, "adapter.max_v": volts,
		"method": object, "method.name": text, "method.from_pct": pct, "method.to_pct": pct,
		"method.clock": word(run.Clocks), "method.climate": word(run.Climates),
		"conditions": object, "conditions.ambient_c": num(-60, 70), "conditions.battery_c": celsius,
		"conditions.preconditioned": word(run.Preconditioned), "conditions.preconditioned_min": num(0, 10000),
		"conditions.profile": word(run.Profiles), "conditions.climate": word(run.Climates), "conditions.weather": text,
		"claims": list, "claims[]": object, "claims[].kind": word(run.ClaimKinds), "claims[].from_pct": pct,
		"claims[].to_pct": pct, "claims[].minutes": num(0, 10000), "claims[].kw": kw,
		"recordings": list, "recordings[]": object, "recordings[].file": text, "recordings[].side": word([]string{"car", "stall"}),
		"recordings[].clock_offset_s": num(-1e7, 1e7), "recordings[].soc_resolution_pct": num(0, 10),
		"recordings[].power_tolerance_pct": num(0, 50),
		"marks":                            list, "marks[]": object, "marks[].t_s": num(-1e7, 1e7), "marks[].kind": word(run.MarkKinds), "marks[].note": text,
	}
}()

// checker walks a run.json token by token, so that every fault has its line.
type checker struct {
	file   string
	dec    *json.Decoder
	lineAt []int64 // offsets of line ends
	faults []csvlog.Fault
	lines  map[string]int // line of each key, by full path with indices
}

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

func (k key) textProblem(tok json.Token) string {
	s, ok := tok.(string)
	switch {
	case !ok:
		return fmt.Sprintf("%s, expected text in quotes", show(tok))
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
