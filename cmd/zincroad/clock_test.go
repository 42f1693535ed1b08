package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// clock is a machine's clock that can be set while programs run, as a time server or a tester does; the monotonic one
// goes on undisturbed.
type clock struct {
	*testing.T
	program string // built so that it goes by this clock
	file    string
}

// The library's clock, moved by what SetStep was told; and a part of the program that tells it what stands in a file.
const (
	stepped = `
// SetStep moves what Now says by so many seconds.
func SetStep(s int64) { stepS.Store(s) }

var stepS atomic.Int64
`
	follows = `package main

import (
	"os"
	"strconv"
	"strings"
	"time"
)

func init() {
	set := func() {
		text, _ := os.ReadFile(os.Getenv("ZINCROAD_TEST_CLOCK"))
		if s, err := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64); err == nil {
			time.SetStep(s)
		}
	}
	set()
	go func() {
		for {
			time.Sleep(20 * time.Millisecond)
			set()
		}
	}()
}
`
)

// newClock builds the program anew, with all of the library that knows the time: a minute.
func newClock(t *testing.T) *clock {
	t.Helper()
	dir := t.TempDir()
	c := &clock{T: t, program: filepath.Join(dir, "zincroad"), file: filepath.Join(dir, "step")}
	c.set(0)
	root, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)
	library := filepath.Join(strings.TrimSpace(string(root)), "src", "time", "time.go")
	text, err := os.ReadFile(library)
	require.NoError(t, err)
	const now = "	sec, nsec, mono := runtimeNow()\n"
	before, after, found := strings.Cut(string(text), "func Now() Time {\n"+now)
	require.True(t, found, "the library's clock reads otherwise than it did")
	before = strings.Replace(before, "import (\n", "import (\n\t\"sync/atomic\"\n", 1)
	own, err := filepath.Abs("clock_followed.go")
	require.NoError(t, err)
	replace := map[string]string{}
	for at, text := range map[string]string{
		library: before + "func Now() Time {\n" + now + "	sec += stepS.Load()\n" + after + stepped,
		own:     follows,
	} {
		replace[at] = filepath.Join(dir, filepath.Base(at))
		require.NoError(t, os.WriteFile(replace[at], []byte(text), 0o644))
	}
	overlay, err := json.Marshal(map[string]any{"Replace": replace})
	require.NoError(t, err)
	list := filepath.Join(dir, "overlay.json")
	require.NoError(t, os.WriteFile(list, overlay, 0o644))
	out, err := exec.Command("go", "build", "-overlay", list, "-o", c.program, ".").CombinedOutput()
	require.NoError(t, err, string(out))
	return c
}

// set puts the clock ahead of the machine's, or back behind it.
func (c *clock) set(by time.Duration) {
	next := c.file + ".next"
	require.NoError(c, os.WriteFile(next, []byte(strconv.Itoa(int(by.Seconds()))), 0o644))
	require.NoError(c, os.Rename(next, c.file))
}

// env is the environment in which a program goes by this clock.
func (c *clock) env() []string { return append(os.Environ(), "ZINCROAD_TEST_CLOCK="+c.file) }
