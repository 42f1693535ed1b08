package runfolder

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// DataPackageName is the file that describes a folder's tables to programs that know nothing of charging: a Tabular
// Data Package (Frictionless Data, version 1 of its specification). It is written and never read: run.json says more.
const DataPackageName = "datapackage.json"

type dataPackage struct {
	Profile   string     `json:"profile"`
	Name      string     `json:"name"`
	Title     string     `json:"title,omitempty"`
	Resources []resource `json:"resources"`
}

type resource struct {
	Profile   string      `json:"profile"`
	Name      string      `json:"name"`
	Path      string      `json:"path"`
	Title     string      `json:"title,omitempty"`
	Format    string      `json:"format"`
	MediaType string      `json:"mediatype"`
	Encoding  string      `json:"encoding"`
	Dialect   dialect     `json:"dialect"`
	Schema    tableSchema `json:"schema"`
}

type dialect struct {
	Delimiter   string `json:"delimiter"`
	CommentChar string `json:"commentChar"`
	DoubleQuote bool   `json:"doubleQuote"`
}

type tableSchema struct {
	Fields        []field  `json:"fields"`
	MissingValues []string `json:"missingValues"`
}

type field struct {
	Name  string `json:"name"`
	Type  string `json:"type"`
	Title string `json:"title,omitempty"`
	Unit  string `json:"unit,omitempty"` // a property of our own, as the specification allows
}

// DataPackage describes a run's recordings by their headers, in the order in which the run has them. A recording
// without a header is left out; nil: there is none with one.
func DataPackage(r *run.Run, headers map[string][]string) ([]byte, error) {
	p := dataPackage{Profile: "tabular-data-package", Name: "zincroad-run", Title: r.Title}
	for i, rec := range r.Recordings {
		header := headers[rec.Name]
		if len(header) == 0 {
			continue
		}
		x := resource{Profile: "tabular-data-resource", Name: fmt.Sprintf("recording-%d", i+1), Path: rec.Name,
			Title: fmt.Sprintf("The %s's side", rec.Side), Format: "csv", MediaType: "text/csv", Encoding: "utf-8",
			Dialect: dialect{",", "#", true}, Schema: tableSchema{MissingValues: []string{""}}}
		for _, name := range header {
			x.Schema.Fields = append(x.Schema.Fields, fieldOf(name))
		}
		p.Resources = append(p.Resources, x)
	}
	if len(p.Resources) == 0 {
		return nil, nil
	}
	return indent(p)
}

// fieldOf describes a column by its header.
func fieldOf(name string) field {
	switch name {
	case "t_s":
		return field{name, "number", "time since the run's start", "s"}
	case "time":
		return field{name, "datetime", "time of day", ""}
	}
	for _, info := range trace.Channels {
		if string(info.Channel) == name {
			return field{name, "number", info.Name, info.Unit}
		}
	}
	return field{Name: name, Type: "any"}
}

// headed passes a CSV on and keeps its header: the first line that is no comment.
type headed struct {
	io.Writer
	begin  []byte
	header []string
	done   bool
}

// mostHeader bounds what is kept of a file that has no line.
const mostHeader = 64 << 10

// Write implements io.Writer.
func (h *headed) Write(p []byte) (int, error) {
	if !h.done {
		h.begin = append(h.begin, p...)
		h.look()
	}
	return h.Writer.Write(p)
}

func (h *headed) look() {
	h.begin = bytes.TrimPrefix(h.begin, []byte("\xef\xbb\xbf"))
	for !h.done {
		line, rest, whole := bytes.Cut(h.begin, []byte("\n"))
		if !whole {
			h.done = len(h.begin) > mostHeader
			return
		}
		text := strings.TrimRight(string(line), "\r")
		if h.begin = rest; strings.HasPrefix(text, "#") || strings.TrimSpace(text) == "" {
			continue
		}
		h.done = true
		if cells, err := csv.NewReader(strings.NewReader(text)).Read(); err == nil {
			h.header = cells
		}
	}
}
