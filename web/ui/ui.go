// Package ui is what every room of the interface is built with: pages and their frame,
// forms and their faults, notices, undoing, explaining a figure, the reader's units and
// clock, and words for templates. It decides nothing about charging.
package ui

import (
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"maps"
	"strings"
	"time"
)

//go:embed templates
var common embed.FS

// UI is what the rooms share.
type UI struct {
	Log  *slog.Logger
	Font []byte           // for pictures that stand alone
	Now  func() time.Time // where a page needs the time of day
}

// Pages are the pages of one room, by name; safe for concurrent use.
type Pages struct {
	*UI
	Templates map[string]*template.Template
}

// Pages reads a room's pages: every templates/page_NAME.html of its files, with the frame
// and the parts that all rooms have, and with more functions for templates. Pages that any
// room can show (an error, an explanation) come with them.
func (u *UI) Pages(room fs.FS, more template.FuncMap) (*Pages, error) {
	p := &Pages{UI: u, Templates: map[string]*template.Template{}}
	words := maps.Clone(functions)
	maps.Copy(words, more)
	for _, files := range []fs.FS{common, room} {
		names, err := fs.Glob(files, "templates/page_*.html")
		if err != nil {
			return nil, fmt.Errorf("templates: %w", err)
		}
		for _, path := range names {
			name := strings.TrimSuffix(strings.TrimPrefix(path, "templates/page_"), ".html")
			t := template.New(name).Funcs(words)
			if err := read(t, common, "templates/base.html", "templates/parts.html"); err != nil {
				return nil, err
			}
			if err := read(t, files, path); err != nil {
				return nil, err
			}
			p.Templates[name] = t
		}
	}
	return p, nil
}

// read adds files to a template.
func read(t *template.Template, files fs.FS, paths ...string) error {
	for _, path := range paths {
		text, err := fs.ReadFile(files, path)
		if err == nil {
			_, err = t.Parse(squeeze(string(text)))
		}
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
	}
	return nil
}
