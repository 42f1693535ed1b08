package web_test

import (
	"context"
	"net/http/httptest"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A client that openapi-typescript generates from the program's own description passes TypeScript's check and does the
// main job against the program: bring a log in, read its verdict, compare two.
func TestATypeScriptClientDoesTheMainJob(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	srv := httptest.NewServer(h)
	t.Cleanup(srv.Close)
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Minute)
	defer cancel()
	made := exec.CommandContext(ctx, "npm", "run", "--silent", "client")
	made.Dir = ".."
	out, err := made.CombinedOutput()
	require.NoError(t, err, "%s", out)
	for range 2 { // the second time under the same key: the same run
		said, err := exec.CommandContext(ctx, "node", "../clients/typescript/main.mjs", srv.URL, "2").CombinedOutput()
		require.NoError(t, err, "%s", said)
		assert.Regexp(t, `(?s)^run 21: 10–80 % in .*\n10-80 % in \d+\.\d min\n.*(strong|likely|unsure): .*10–80 %`, string(said))
	}
}
