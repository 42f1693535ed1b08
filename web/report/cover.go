package report

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"strings"
	"time"
	"zincroad/internal/markdown"

	"zincroad/web/draw"
)

// Cover is a report's content with what stands around it: what its author says, and what came later.
type Cover struct {
	Content
	Title, By string
	Words     string // the author's own, Markdown
	Photo     []byte // as it is kept; nil: none
	PhotoKind string
	Made      time.Time // zero: it was made from files a moment ago
	Hash      string    // of the content and the data; empty: not kept
	Notes     []Note    // corrections, oldest first
	DataHref  string    // where the data is; empty: it goes without
	DataAsks  bool      // it asks for the password once more
	Index     bool      // search engines may list it
	Font      []byte    // woff2; nil: the reader's own
}

// Note is a correction: it stays, and stands on top.
type Note struct {
	At   time.Time `json:"at"`
	Text string    `json:"text"`
}

// On is the day of the note.
func (n Note) On() string { return n.At.Format(longDay) }

const longDay = "2 January 2006"

// HashOf is what a report's figures and data are known by.
func HashOf(c *Content, data []byte) string {
	text, _ := json.Marshal(c) // strings and a number: it cannot fail
	h := sha256.New()
	_, _ = h.Write(text)
	_, _ = h.Write(data)
	return hex.EncodeToString(h.Sum(nil))
}

// Said is an author's Markdown as it may stand on a page.
func Said(text string) (template.HTML, error) { return markdown.HTML(text) }

// Name is what the page is called: the author's title, else the verdict.
func (c Cover) Name() string {
	if c.Title != "" {
		return c.Title
	}
	return c.Heading
}

// Day and On are when it was made; empty where it is not kept.
func (c Cover) Day() string { return c.made(time.DateOnly) }

// On is Day in words.
func (c Cover) On() string { return c.made(longDay) }

func (c Cover) made(layout string) string {
	if c.Made.IsZero() {
		return ""
	}
	return c.Made.Format(layout)
}

// Cite is how to cite the report: who, what, when, and the beginning of its hash.
func (c Cover) Cite() string {
	if c.Hash == "" {
		return ""
	}
	by := ""
	if c.By != "" {
		by = c.By + ": "
	}
	name := strings.TrimSuffix(c.Name(), ".")
	return fmt.Sprintf("Cite as: %s%s. %s, SHA-256 %s.", by, name, c.On(), c.Hash[:min(16, len(c.Hash))])
}

// Kept is the content as a page takes it.
func (c Cover) Kept() template.HTML {
	return template.HTML(c.HTML) //nolint:gosec // made by a template of this package
}

// PhotoURL is the photo in the page itself.
func (c Cover) PhotoURL() template.URL {
	if len(c.Photo) == 0 {
		return ""
	}
	//nolint:gosec // a picture that the program made anew when it was taken in
	return template.URL("data:" + c.PhotoKind + ";base64," + base64.StdEncoding.EncodeToString(c.Photo))
}

// Style is the page's own, with that of the pictures.
func (c Cover) Style() template.CSS {
	own, _ := files.ReadFile("report.css")                   // it is in the program
	return template.CSS(draw.OwnStyle(c.Font) + string(own)) //nolint:gosec // the program's own
}

// Write writes the page: one file, nothing fetched.
func (c Cover) Write(w io.Writer) error {
	said, err := Said(c.Words)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := pages.ExecuteTemplate(&b, "page", struct {
		Cover
		Said template.HTML
	}{c, said}); err != nil {
		return fmt.Errorf("writing the report: %w", err)
	}
	if _, err := w.Write(bytes.TrimSpace(b.Bytes())); err != nil {
		return fmt.Errorf("writing the report: %w", err)
	}
	return nil
}

// AskPassword writes the page that asks for a report's password; said is what was wrong with the last one.
func AskPassword(w io.Writer, said string, font []byte) error {
	style := Cover{Font: font}.Style()
	if err := pages.ExecuteTemplate(w, "ask", map[string]any{"Said": said, "Style": style}); err != nil {
		return fmt.Errorf("writing the question for a password: %w", err)
	}
	return nil
}
