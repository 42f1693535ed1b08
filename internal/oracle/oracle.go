// Package oracle asks SciPy, from Debian's python3-scipy, for values to hold
// numerical code against. It is for tests only.
package oracle

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/require"
)

const python = "/usr/bin/python3" // the only one that Debian's packages serve

// SciPy runs a script that finds its input as "data" and leaves its answer in
// "out". Without SciPy the test is skipped, or fails where ZINCROAD_REQUIRE_SCIPY
// is set.
func SciPy(t testing.TB, script string, data, out any) {
	t.Helper()
	if exec.Command(python, "-I", "-c", "import scipy").Run() != nil {
		require.Empty(t, os.Getenv("ZINCROAD_REQUIRE_SCIPY"), "SciPy is required, install python3-scipy")
		t.Skip("python3-scipy is not installed")
	}
	in, err := json.Marshal(data)
	require.NoError(t, err)
	c := exec.Command(python, "-I", "-c",
		"import sys, json\nimport numpy as np\ndata = json.load(sys.stdin)\n"+script+"\njson.dump(out, sys.stdout)")
	c.Stdin = bytes.NewReader(in)
	var fault bytes.Buffer
	c.Stderr = &fault
	text, err := c.Output()
	require.NoError(t, err, fault.String())
	require.NoError(t, json.Unmarshal(text, out))
}
