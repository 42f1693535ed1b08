// Package docs_test holds the documentation against what it documents.
package docs_test

import (
	"flag"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/bench"
	"zincroad/core/curve"
	"zincroad/core/decide"
	"zincroad/core/follow"
	"zincroad/core/limit"
	"zincroad/core/prepare"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/trip"
	"zincroad/web/draw"
	"zincroad/web/rights"
)

var update = flag.Bool("update", false, "write the tables of the documents anew")

// table compares what stands between two markers of a document with what it has to be.
func table(t *testing.T, file, name, want string) {
	t.Helper()
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	begin, end := "<!-- "+name+": written by go test ./docs -update -->\n", "<!-- end of "+name+" -->"
	before, rest, ok := strings.Cut(string(text), begin)
	require.True(t, ok, "%s has no %q", file, begin)
	got, after, ok := strings.Cut(rest, end)
	require.True(t, ok, "%s has no %q", file, end)
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(before+begin+want+end+after), 0o644))
		return
	}
	assert.Equal(t, want, got, "go test ./docs -update writes it anew")
}

func TestChannelsAreDocumented(t *testing.T) {
	var b strings.Builder
	b.WriteString(
		"| header | what it is | unit | from | to | charge point's measurand |\n| --- | --- | --- | --- | --- | --- |\n",
	)
	for _, in := range trace.Channels {
		fmt.Fprintf(&b, "| `%s` | %s | %s | %g | %g | %s |\n", in.Channel, in.Name, in.Unit, in.Min, in.Max, in.Measurand)
	}
	table(t, "formats.md", "channels", b.String())
}

// What the program says is listed by its code, for whoever edits or translates it.
func TestMessagesAreListed(t *testing.T) {
	var b strings.Builder
	group := ""
	for _, m := range say.Sentences() {
		if g, _, _ := strings.Cut(m.Code, "."); g != group {
			group = g
			fmt.Fprintf(&b, "\n## %s\n\n| code | sentence |\n| --- | --- |\n", g)
		}
		fmt.Fprintf(&b, "| `%s` | %s |\n", m.Code, strings.ReplaceAll(m.English, "|", `\|`))
	}
	table(t, "messages.md", "messages", b.String())
}

func TestCausesAreDocumented(t *testing.T) {
	var b strings.Builder
	b.WriteString("| cause | letter | in words | whose |\n| --- | --- | --- | --- |\n")
	for _, s := range limit.Signs {
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s |\n", s.Cause, draw.LookOf(s.Cause).Letter, s.Words(), s.Whose)
	}
	table(t, "definitions.md", "causes", b.String())
}

// Every figure that explains itself says how it is worked out just as the definitions do.
func TestFormulasAreDocumented(t *testing.T) {
	text, err := os.ReadFile("definitions.md")
	require.NoError(t, err)
	plain := strings.Join(strings.Fields(string(text)), " ")
	compared := 0
	for _, f := range slices.Concat(curve.Figures.Texts(), bench.Figures.Texts(), prepare.Figures.Texts(),
		decide.Figures.Texts(), follow.Figures.Texts(), trip.Figures.Texts()) {
		compared++
		assert.Contains(t, plain, f.Formula, f.Name)
		assert.NotEmpty(t, f.Definition, f.Name)
		assert.Regexp(t, `^[a-z-]+$`, f.Key)
	}
	assert.Greater(t, compared, 15)
}

// Every file and test that a recipe names is there.
func TestRecipesNameWhatThereIs(t *testing.T) {
	text, err := os.ReadFile("recipes.md")
	require.NoError(t, err)
	tests, err := exec.Command("grep", "-rhoE", "^func (Test|Fuzz)[A-Za-z0-9]+", "--include=*_test.go", "..").Output()
	require.NoError(t, err)
	found := 0
	for _, m := range regexp.MustCompile("`([^`]+)`").FindAllStringSubmatch(string(text), -1) {
		switch name := m[1]; {
		case strings.HasPrefix(name, "Test"):
			found++
			assert.Contains(t, string(tests), "func "+name+"\n", "recipes.md")
		case strings.Contains(name, "/") && !strings.Contains(name, " ") && !strings.Contains(name, "NAME") &&
			!strings.Contains(name, "KEY"):
			found++
			_, err := os.Stat(filepath.Join("..", name))
			assert.NoError(t, err, "recipes.md")
		}
	}
	assert.Greater(t, found, 30)
}

// Lines read as a diff: 120 characters and no more, in Go outside tests and in templates. Two patterns of header words
// cannot be broken.
func TestNoLineIsTooLong(t *testing.T) {
	listed, err := exec.Command("git", "-C", "..", "ls-files", "*.go", "*.html").Output()
	if err != nil {
		t.Skip("not a checkout")
	}
	patterns := []string{"core/trace/channel.go", "formats/csvlog/header.go"}
	looked := 0
	for name := range strings.FieldsSeq(string(listed)) {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		text, err := os.ReadFile(filepath.Join("..", name))
		require.NoError(t, err)
		looked++
		for i, line := range strings.Split(string(text), "\n") {
			if n := utf8.RuneCountInString(line); n > 120 && !slices.Contains(patterns, name) {
				assert.Fail(t, "a line too long", "%s:%d has %d characters", name, i+1, n)
			}
		}
	}
	assert.Greater(t, looked, 300)
}

// The page on crews has the table of who may do what as the program goes by it; whatever the page on security names as
// shown by a test is a test.
func TestRightsAreDocumented(t *testing.T) {
	page, err := os.ReadFile("crew.md")
	require.NoError(t, err)
	assert.Contains(t, string(page), "```text\n"+rights.Table+"```")
	security, err := os.ReadFile("security.md")
	require.NoError(t, err)
	tests := map[string]bool{}
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git") {
			return fs.SkipDir
		}
		if err != nil || !strings.HasSuffix(path, "_test.go") {
			return err
		}
		text, err := os.ReadFile(path)
		for _, m := range regexp.MustCompile(`(?m)^func ((?:Test|Fuzz)\w+)`).FindAllStringSubmatch(string(text), -1) {
			tests[m[1]] = true
		}
		return err
	}))
	named := regexp.MustCompile("`((?:Test|Fuzz)[A-Z]\\w+)`").FindAllStringSubmatch(string(security), -1)
	require.Greater(t, len(named), 40)
	for _, m := range named {
		assert.True(t, tests[m[1]], "%s is no test", m[1])
	}
}
