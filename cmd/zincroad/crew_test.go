package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook/logbooktest"
)

// A crew is begun, looked after and taken apart at the shell: who is added is asked for a password, a link is an address
// of the pages, and another crew on the server has nothing of the first one's.
func TestACrewAtTheShell(t *testing.T) {
	s, err := logbooktest.Start()
	require.NoError(t, err)
	defer s.Stop()
	file := filepath.Join(t.TempDir(), "url")
	require.NoError(t, os.WriteFile(file, []byte(s.URL(t)+"\n"), 0o600))
	run := func(in string, args ...string) (string, string, int) {
		c := exec.Command(program, append(args, "--database-url-file", file)...)
		c.Stdin = strings.NewReader(in)
		var out, errOut bytes.Buffer
		c.Stdout, c.Stderr = &out, &errOut
		_ = c.Run()
		return out.String(), errOut.String(), c.ProcessState.ExitCode()
	}
	const word = "five zinc cones hum\n"
	_, errOut, status := run("password1234\n", "crew", "add", "Ada", "--role", "keeper")
	assert.Equal(t, 2, status)
	assert.Contains(t, errOut, "among the first that are tried")
	_, _, status = run(word, "crew", "add", "Bo")
	assert.NotZero(t, status, "a crew begins with a keeper")
	_, errOut, status = run("", "crew", "new", "Upper valley")
	assert.Equal(t, 2, status)
	assert.Contains(t, errOut, "the first crew has nobody yet")
	out, errOut, status := run(word, "crew", "add", "Ada", "--role", "keeper")
	require.Zero(t, status, errOut)
	assert.Equal(t, "Ada is in the crew as a keeper.\n", out)
	_, _, status = run(word, "crew", "add", "Bo")
	require.Zero(t, status)
	out, _, _ = run("", "crew", "link", "bo")
	assert.Regexp(t, `^/join/[\w-]{43}\n$`, out)
	_, _, status = run("", "crew", "leave", "Ada")
	assert.NotZero(t, status, "the last keeper stays")

	_, errOut, status = run("", "crew", "new", "Upper valley")
	require.Zero(t, status, errOut)
	_, errOut, status = run(word, "crew", "add", "Eve", "--role", "keeper", "--crew", "Upper valley")
	require.Zero(t, status, errOut)
	out, _, _ = run("", "crew", "list", "--crew", "Upper valley")
	assert.Contains(t, out, "Eve")
	assert.NotContains(t, out, "Ada")
	_, _, status = run("", "crew", "leave", "Bo")
	require.Zero(t, status)
	out, _, _ = run("", "crew", "list")
	assert.Contains(t, out, "Ada")
	assert.NotContains(t, out, "Bo")
	assert.NotContains(t, out, "Eve")
	_, errOut, status = run("", "crew", "list", "--crew", "Nobody's")
	assert.NotZero(t, status)
	assert.Contains(t, errOut, `crew "Nobody's"`)

	// What is brought into one crew's logbook is nothing to the other.
	log := filepath.Join(t.TempDir(), "notes.txt")
	require.NoError(t, os.WriteFile(log, []byte("12% 93kW 0:10\n20% 90kW 4:10\n30% 85kW 9:30\n"), 0o600))
	out, errOut, status = run("", "import", log, "--crew", "Upper valley")
	require.Zero(t, status, errOut)
	found := regexp.MustCompile(`\brun (\d+)\b`).FindStringSubmatch(out)
	require.NotNil(t, found, out)
	number := found[1]
	_, errOut, status = run("", "export", number, "-o", filepath.Join(t.TempDir(), "run.zip"))
	assert.Equal(t, 2, status)
	assert.Contains(t, errOut, "is not in this logbook")
	_, errOut, status = run("", "export", number, "--crew", "Upper valley", "-o", filepath.Join(t.TempDir(), "run.zip"))
	assert.Zero(t, status, errOut)
}
