package ui

import (
	"fmt"
	"io"
	"net/http"
	"strings"

	"zincroad/web/draw"
)

// Attach announces a file; its name keeps to letters that every system takes.
func Attach(w http.ResponseWriter, kind, name string) {
	safe := strings.Map(func(r rune) rune {
		if r < 32 || r > 126 || strings.ContainsRune(`"\/`, r) {
			return '-'
		}
		return r
	}, name)
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s"`, safe))
}

// SendSVG sends a picture of a page with what it needs to go without it; with ?show it is shown, else saved.
func (s *Pages) SendSVG(w http.ResponseWriter, r *http.Request, name, svg, caption string) {
	SendPicture(w, r, name, draw.Standalone(svg, caption, s.Font))
}

// SendPicture sends a picture that needs no page; with ?show it is shown, else saved.
func SendPicture(w http.ResponseWriter, r *http.Request, name, svg string) {
	// The picture brings its own styles and font, and nothing else.
	w.Header().Set("Content-Security-Policy",
		"default-src 'none'; style-src 'unsafe-inline'; font-src data:; frame-ancestors 'none'")
	if r.URL.Query().Has("show") {
		w.Header().Set("Content-Type", "image/svg+xml")
	} else {
		Attach(w, "image/svg+xml", name)
	}
	_, _ = io.WriteString(w, svg)
}
