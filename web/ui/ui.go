// Package ui is what every room of the interface is built with: pages and their frame,
// forms and their faults, notices, undoing, explaining a figure, the reader's units and
// clock, and words for templates. It decides nothing about charging.
package ui

import (
	"context"
	"embed"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"log/slog"
	"strings"
	"sync"
	"time"
)

//go:embed templates
var common embed.FS

// UI is what the rooms share; New makes one.
type UI struct {
	Log    *slog.Logger
	Font   []byte           // for pictures that stand alone
	Now    func() time.Time // where a page needs the time of day
	Chosen KeepChosen       // where there is a crew; nil: what a reader chooses stays in the browser
	Usual  func(context.Context) (Usual, error)
}

// New makes what the rooms share, by the machine's clock. It fails when the common templates
// are broken.
func New(log *slog.Logger, font []byte) (*UI, error) {
	_, err := frame()
	return &UI{Log: log, Font: font, Now: time.Now}, err
}

// frame is what every page stands in, with the parts that all rooms have.
var frame = sync.OnceValues(func() (*template.Template, error) {
	t := template.New("frame").Funcs(functions).Funcs(measures(Reader{}))
	return t, read(t, common, "templates/base.html", "templates/parts.html")
})

// Pages are the pages of one room, by name; safe for concurrent use.
type Pages struct {
	*UI
	templates *templates
}

// templates are a room's pages by their name, and what became of them for each reader who asked: a template that was
// used once writes for one kind of reader.
type templates struct {
	read map[string]*template.Template
	mu   sync.Mutex
	own  map[pageFor]*template.Template
}

type pageFor struct {
	reader Reader
	page   string
}

// of gives a page that writes for a reader.
func (t *templates) of(reader Reader, page string) (*template.Template, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if own, ok := t.own[pageFor{reader, page}]; ok {
		return own, nil
	}
	read, ok := t.read[page]
	if !ok {
		return nil, fmt.Errorf("there is no page %q", page)
	}
	own, err := read.Clone()
	if err != nil {
		return nil, fmt.Errorf("page %q: %w", page, err)
	}
	own.Funcs(measures(reader))
	t.own[pageFor{reader, page}] = own
	return own, nil
}

// parsed are the templates of each room by its files. They depend on nothing else, so that a process that serves
// several logbooks reads them once, and works out once how what they print is escaped.
var parsed sync.Map

// Draw writes a page, or a named part of one, for a reader.
func (s *Pages) Draw(w io.Writer, reader Reader, page, part string, data any) error {
	t, err := s.templates.of(reader, page)
	if err != nil {
		return err
	}
	return t.ExecuteTemplate(w, part, data)
}

// Pages reads a room's pages: every templates/page_NAME.html of its files, with its own parts
// (templates/NAME_PART.html), the frame and the parts that all rooms have, and with more functions for templates. Pages
// that any room can show (an error, an explanation) come with them.
func (u *UI) Pages(room embed.FS, more template.FuncMap) (*Pages, error) {
	if t, ok := parsed.Load(room); ok {
		return &Pages{UI: u, templates: t.(*templates)}, nil
	}
	t, err := pagesOf(room, more)
	if err != nil {
		return nil, err
	}
	parsed.Store(room, t)
	return &Pages{UI: u, templates: t}, nil
}

// pagesOf reads a room's templates.
func pagesOf(room fs.FS, more template.FuncMap) (*templates, error) {
	out := &templates{read: map[string]*template.Template{}, own: map[pageFor]*template.Template{}}
	frame, err := frame()
	if err != nil {
		return nil, err
	}
	for _, files := range []fs.FS{common, room} {
		paths, err := fs.Glob(files, "templates/page_*.html")
		if err != nil {
			return nil, fmt.Errorf("templates: %w", err)
		}
		for _, path := range paths {
			t, err := frame.Clone()
			if err != nil {
				return nil, fmt.Errorf("%s: %w", path, err)
			}
			name := strings.TrimSuffix(strings.TrimPrefix(path, "templates/page_"), ".html")
			parts, err := fs.Glob(files, "templates/"+name+"_*.html") // a long page lies in several files
			if err != nil {
				return nil, fmt.Errorf("%s: %w", path, err)
			}
			if err := read(t.Funcs(more), files, append(parts, path)...); err != nil {
				return nil, err
			}
			throughWritten(t)
			out.read[name] = t
		}
	}
	return out, nil
}

// read adds files to a template.
func read(t *template.Template, files fs.FS, paths ...string) error {
	for _, path := range paths {
		text, err := fs.ReadFile(files, path)
		if err == nil {
			_, err = t.Parse(squeezeOnce(string(text)))
		}
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
	}
	return nil
}
