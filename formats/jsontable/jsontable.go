// Package jsontable reads tables kept as JSON: a list of objects, one object in each line, or an
// object of lists. It writes them as CSV, by which csvlog reads them like any other table.
package jsontable

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"sort"
)

// Limits of what is taken in: no log comes near them.
const (
	maxColumns = 2000
	maxDepth   = 8
)

// ErrNone is what CSV returns, wrapped, for a text that holds no table.
var ErrNone = errors.New("no charging log: it holds no table of readings")

// Looks tells whether the beginning of a text is JSON.
func Looks(head []byte) bool {
	head = bytes.TrimLeft(bytes.TrimPrefix(head, []byte{0xef, 0xbb, 0xbf}), " \t\r\n")
	if len(head) < 2 || head[0] != '{' && head[0] != '[' {
		return false
	}
	next := bytes.TrimLeft(head[1:], " \t\r\n")
	return len(next) > 0 && bytes.IndexByte([]byte(`"{[}]-0123456789tfn`), next[0]) >= 0
}

// Table is a table with what it was made of.
type Table struct {
	CSV  []byte
	Bad  []int // lines whose JSON could not be read, in a text with an object a line
	Rows int
}

// row is one object, its nested keys joined by points, in the order in which they stand.
type row struct {
	keys   []string
	values map[string]string
}

// CSV gives a text's table as CSV. In a text with one object a line, the rows of the CSV stand in
// the lines of their objects, less one for the header.
func CSV(r io.Reader, name string) (*Table, error) {
	br := bufio.NewReaderSize(r, 1<<16)
	if b, _ := br.Peek(3); bytes.Equal(b, []byte{0xef, 0xbb, 0xbf}) {
		_, _ = br.Discard(3)
	}
	first, err := firstByte(br)
	if err != nil {
		return nil, fmt.Errorf("%s is %w", name, ErrNone)
	}
	var rows []row
	t := &Table{}
	if first == '{' {
		rows, t.Bad, err = lines(br)
	} else {
		rows, err = list(json.NewDecoder(br))
	}
	if err != nil {
		return nil, fmt.Errorf("%s is no charging log: its JSON breaks off or is none", name)
	}
	if len(rows) == 0 {
		return nil, fmt.Errorf("%s is %w", name, ErrNone)
	}
	t.Rows = len(rows)
	t.CSV, err = write(rows, name)
	return t, err
}

func firstByte(br *bufio.Reader) (byte, error) {
	for {
		b, err := br.ReadByte()
		if err != nil {
			return 0, err
		}
		if !bytes.ContainsRune([]byte(" \t\r\n"), rune(b)) {
			return b, br.UnreadByte()
		}
	}
}

// list reads a list of objects.
func list(d *json.Decoder) ([]row, error) {
	d.UseNumber()
	if _, err := d.Token(); err != nil {
		return nil, err
	}
	var rows []row
	for d.More() {
		var raw json.RawMessage
		if err := d.Decode(&raw); err != nil {
			return rows, err
		}
		if r, ok := flat(raw); ok {
			rows = append(rows, r)
		}
	}
	return rows, nil
}

// lines reads an object in each line; where the first of them holds the whole table, that.
func lines(br *bufio.Reader) (rows []row, bad []int, err error) {
	text, err := io.ReadAll(br)
	if err != nil {
		return nil, nil, err
	}
	d := json.NewDecoder(bytes.NewReader(text))
	var raw json.RawMessage
	if err := d.Decode(&raw); err == nil && !d.More() {
		rows, err := wrapped(raw)
		return rows, nil, err
	}
	for n, line := range bytes.Split(text, []byte{'\n'}) {
		if line = bytes.TrimSpace(line); len(line) == 0 {
			continue
		}
		if r, ok := flat(line); ok {
			rows = append(rows, r)
		} else {
			bad = append(bad, n+1)
		}
	}
	return rows, bad, nil
}

// wrapped finds the table in one object: the longest list of objects in it, or its own lists as
// columns.
func wrapped(raw json.RawMessage) ([]row, error) {
	var object map[string]json.RawMessage
	if err := json.Unmarshal(raw, &object); err != nil {
		return nil, err
	}
	var best []row
	columns := map[string][]json.RawMessage{}
	for key, part := range object {
		part = bytes.TrimSpace(part)
		if len(part) == 0 {
			continue
		}
		var rows []row
		switch part[0] {
		case '[':
			rows, _ = list(json.NewDecoder(bytes.NewReader(part)))
			var column []json.RawMessage
			if len(rows) == 0 && json.Unmarshal(part, &column) == nil {
				columns[key] = column
			}
		case '{':
			rows, _ = wrapped(part)
		}
		if len(rows) > len(best) {
			best = rows
		}
	}
	if len(best) > 0 || len(columns) == 0 {
		return best, nil
	}
	keys := make([]string, 0, len(columns))
	most := 0
	for k, c := range columns {
		keys = append(keys, k)
		most = max(most, len(c))
	}
	sort.Strings(keys)
	for i := range most {
		r := row{keys: keys, values: map[string]string{}}
		for _, k := range keys {
			if i < len(columns[k]) {
				r.values[k] = scalar(columns[k][i])
			}
		}
		best = append(best, r)
	}
	return best, nil
}

// flat gives an object's values, those of objects inside it under both names; false for anything
// that is no object.
func flat(raw []byte) (row, bool) {
	r := row{values: map[string]string{}}
	return r, r.add("", raw, 0) && len(r.keys) > 0
}

func (r *row) add(prefix string, raw []byte, depth int) bool {
	d := json.NewDecoder(bytes.NewReader(raw))
	open, err := d.Token()
	if err != nil || open != json.Delim('{') || depth > maxDepth {
		return false
	}
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return false
		}
		var part json.RawMessage
		if d.Decode(&part) != nil {
			return false
		}
		name := key.(string)
		if prefix != "" {
			name = prefix + "." + name
		}
		if len(part) > 0 && part[0] == '{' {
			if !r.add(name, part, depth+1) {
				return false
			}
			continue
		}
		if _, twice := r.values[name]; !twice {
			r.keys = append(r.keys, name)
		}
		r.values[name] = scalar(part)
	}
	_, err = d.Token()
	return err == nil
}

// scalar gives a value as a cell; null and lists are empty.
func scalar(part json.RawMessage) string {
	var s string
	switch {
	case len(part) == 0 || part[0] == '[' || part[0] == '{' || string(part) == "null":
		return ""
	case part[0] == '"':
		_ = json.Unmarshal(part, &s)
		return s
	}
	return string(part)
}

// write writes rows under the names that any of them has.
func write(rows []row, name string) ([]byte, error) {
	var columns []string
	seen := map[string]bool{}
	for _, r := range rows {
		for _, k := range r.keys {
			if !seen[k] {
				seen[k] = true
				columns = append(columns, k)
			}
		}
		if len(columns) > maxColumns {
			return nil, fmt.Errorf("%s has more than %d different names: expected the columns of a log", name, maxColumns)
		}
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	if err := w.Write(columns); err != nil {
		return nil, err
	}
	cells := make([]string, len(columns))
	for _, r := range rows {
		for i, c := range columns {
			cells[i] = r.values[c]
		}
		if len(columns) == 1 && cells[0] == "" || slices.ContainsFunc(cells, func(c string) bool {
			return len(c) > 1<<16
		}) {
			continue
		}
		if err := w.Write(cells); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}
