package say_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/say"
)

// tellers are the functions that take a code, and the place of it among their arguments.
var tellers = map[string]int{"T": 0, "And": 0, "Say": 0, "tell": 0, "add": 1, "refuse": 1, "Join": 0}

// use is a code in the source, with how many things it is given; -1: that is not known there.
type use struct {
	code string
	args int
	at   string
}

// uses lists the codes that the source has: whole ones, and beginnings of which the end is worked out.
func uses(t *testing.T) (whole []use, begun []string) {
	t.Helper()
	looksLike := regexp.MustCompile(`^[a-z]+(-[a-z]+)*\.[a-z0-9_-]*$`)
	for _, top := range []string{"core", "web", "cmd", "logbook", "live", "formats"} {
		require.NoError(t, filepath.WalkDir(filepath.Join("../..", top), func(path string, d fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") ||
				strings.HasSuffix(path, "say/english.go") {
				return err
			}
			files := token.NewFileSet()
			f, err := parser.ParseFile(files, path, nil, 0)
			require.NoError(t, err)
			ast.Inspect(f, func(n ast.Node) bool {
				switch x := n.(type) {
				case *ast.BinaryExpr:
					if code := literal(x.X); looksLike.MatchString(code) {
						begun = append(begun, code)
					}
				case *ast.BasicLit:
					if code := literal(x); looksLike.MatchString(code) {
						whole = append(whole, use{code, -1, files.Position(x.Pos()).String()})
					}
				case *ast.CallExpr:
					name := ""
					switch fun := x.Fun.(type) {
					case *ast.SelectorExpr:
						name = fun.Sel.Name
					case *ast.Ident:
						name = fun.Name
					}
					k, ok := tellers[name]
					if !ok || len(x.Args) <= k {
						return true
					}
					if code := literal(x.Args[k]); code != "" && !strings.Contains(code, " ") && name != "Join" {
						whole = append(whole, use{code, len(x.Args) - k - 1, files.Position(x.Pos()).String()})
					} else if code != "" && name == "Join" {
						whole = append(whole, use{code, -1, files.Position(x.Pos()).String()})
					}
				}
				return true
			})
			return nil
		}))
	}
	return whole, begun
}

func literal(e ast.Expr) string {
	if l, ok := e.(*ast.BasicLit); ok && l.Kind == token.STRING {
		s, _ := strconv.Unquote(l.Value)
		return s
	}
	return ""
}

var slot = regexp.MustCompile(`\{\^?(\d)[^}]*\}`)

// Every code that the program says is in the table and is given what its sentence tells of, and every code of the table
// is said somewhere.
func TestEveryCodeHasASentence(t *testing.T) {
	table := map[string]string{}
	groups := map[string]bool{}
	for _, s := range say.Sentences() {
		table[s.Code] = s.English
		group, _, _ := strings.Cut(s.Code, ".")
		groups[group] = true
	}
	whole, begun := uses(t)
	require.Greater(t, len(whole), 500)
	said := map[string]bool{}
	for _, u := range whole {
		sentence, ok := table[u.code]
		said[u.code] = true
		if u.args < 0 {
			continue
		}
		if group, _, _ := strings.Cut(u.code, "."); !assert.True(t, ok || !groups[group], "%s: nobody has written %q down",
			u.at, u.code) || !ok {
			continue
		}
		most := -1
		for _, m := range slot.FindAllStringSubmatch(sentence, -1) {
			i, _ := strconv.Atoi(m[1])
			most = max(most, i)
		}
		assert.Equal(t, most+1, u.args, "%s: %q tells of so much", u.at, u.code)
	}
	for code := range table {
		begins := slices.ContainsFunc(begun, func(b string) bool { return strings.HasPrefix(code, b) })
		assert.True(t, said[code] || begins, "nobody says %q", code)
	}
}
