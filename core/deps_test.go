// Package core_test holds the rule that the arithmetic depends on nothing but
// itself, the standard library and gonum, and the directions between the others.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// allowed says which of the program's packages a package may import. DO NOT CHANGE
// THIS TO MAKE A BUILD PASS: an edge that is missing here is a design decision.
var allowed = map[string][]string{
	"core":    {"core"},
	"formats": {"core", "formats"},
	"logbook": {"core", "formats", "internal", "logbook"},
	"demo":    {"core", "formats"},
	"live":    {"core", "formats", "internal", "logbook"},
	"standin": {"core", "formats", "internal"},
	"web":     {"core", "formats", "internal", "logbook", "web"},
	"cmd":     {"core", "formats", "internal", "logbook", "live", "standin", "demo", "web"},
}

// rooms says which rooms of the interface a room may go through to. Every room has ui; draw
// and ui themselves know no room.
var rooms = map[string][]string{
	"ui":      {"draw"},
	"rights":  {},
	"access":  {"rights", "ui"},
	"draw":    {},
	"chart":   {"draw", "ui"},
	"details": {"ui"},
	"road":    {"draw", "ui"},
	"runs":    {"chart", "details", "draw", "ui"},
	"bench":   {"chart", "draw", "ui"},
	"plan":    {"draw", "ui"},
	"stall":   {"details", "draw", "plan", "ui"}, // a run is started from a plan
	"desk":    {"details", "draw", "ui"},
	"garage":  {"draw", "ui"},
	"trip":    {"draw", "report", "ui"},
	"school":  {"draw", "stall", "ui"}, // a run is practised on the page at the stall
	"hooks":   {"ui"},
	"report":  {"draw"},
	"publish": {"draw", "report", "ui"},
	"api":     {"rights"},
}

func TestRoomsOpenOneWay(t *testing.T) {
	folders, err := filepath.Glob(filepath.Join("..", "web", "*", "*.go"))
	require.NoError(t, err)
	seen := 0
	for _, path := range folders {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		room := filepath.Base(filepath.Dir(path))
		may, known := rooms[room]
		require.True(t, known, "%s is a room that nobody has thought of", room)
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, im := range f.Imports {
			name, _ := strconv.Unquote(im.Path.Value)
			if other, ok := strings.CutPrefix(name, "zincroad/web/"); ok {
				seen++
				assert.Contains(t, may, other, "%s goes through to %s", path, other)
			}
		}
	}
	assert.Greater(t, seen, 30)
}

func TestPackagesPointOneWay(t *testing.T) {
	seen := 0
	for top, may := range allowed {
		err := filepath.WalkDir(filepath.Join("..", top), func(path string, d fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") ||
				strings.Contains(path, "logbooktest") {
				return err
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
			require.NoError(t, err)
			for _, im := range f.Imports {
				name, _ := strconv.Unquote(im.Path.Value)
				seen++
				if own, ok := strings.CutPrefix(name, "zincroad/"); ok {
					assert.Contains(t, may, strings.Split(own, "/")[0], "%s imports %s", path, name)
				} else if top == "core" && strings.Contains(strings.Split(name, "/")[0], ".") {
					assert.True(t, strings.HasPrefix(name, "gonum.org/"), "%s imports %s", path, name)
				}
				if top == "core" {
					assert.NotContains(t, []string{"os", "net/http", "database/sql", "log/slog", "html/template"},
						name, path)
				}
			}
			return nil
		})
		require.NoError(t, err)
	}
	assert.Greater(t, seen, 50)
}
