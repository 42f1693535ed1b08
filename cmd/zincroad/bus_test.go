package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A log of a bus becomes a CSV that the other commands read; what is wrong is said in a sentence, and no half of a file
// is left.
func TestABusLogBecomesATable(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("van.dbc", "BO_ 289 Pack: 8 BMS\n SG_ Soc : 0|8@1+ (0.5,0) [0|100] \"%\" X\n SG_ Kw : 8|8@1+ (1,0) [0|250] \"kW\" X\n")
	write("van.txt", "Soc soc_pct\nKw power_kw\n")
	write("odd.log", "(1.0) can0 7DF#00\n")
	var log strings.Builder
	for i := range 100 {
		fmt.Fprintf(&log, "(%d.0) can0 121#%02X32\n", 100+i, 40+i)
	}
	run := func(args ...string) (string, string, error) {
		var out, errOut bytes.Buffer
		c := busCommand()
		c.SetArgs(args)
		c.SetOut(&out)
		c.SetErr(&errOut)
		c.SetIn(strings.NewReader(log.String()))
		c.SilenceUsage, c.SilenceErrors = true, true
		err := c.Execute()
		return out.String(), errOut.String(), err
	}
	out, said, err := run("-", "--dbc", "van.dbc", "--signals", "van.txt")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(out, "t_s,soc_pct,power_kw\n0.000,20,50\n"), out)
	assert.Contains(t, said, "100 frames")
	_, said, err = run("odd.log", "--dbc", "van.dbc", "--signals", "van.txt", "--out", "odd.csv")
	require.ErrorIs(t, err, errBadInput)
	assert.Contains(t, said, "no frame of the profile's signals in 1 frames")
	left, err := filepath.Glob("*.csv")
	require.NoError(t, err)
	assert.Empty(t, left)
	_, said, err = run("odd.log", "--dbc", "bus.dbc", "--signals", "van.txt")
	require.ErrorIs(t, err, errBadInput)
	assert.Equal(t, "bus.dbc: not found or not readable\n", said)
}
