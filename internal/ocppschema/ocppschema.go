// Package ocppschema gives tests the published JSON schemas of the open
// charge-point protocol 1.6, as the npm package ocpp-rpc carries them.
package ocppschema

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"
)

// Checker validates payloads.
type Checker struct{ compiler *jsonschema.Compiler }

// New reads the schemas; npm ci brings them.
func New(t testing.TB) *Checker {
	t.Helper()
	_, here, _, _ := runtime.Caller(0)
	text, err := os.ReadFile(filepath.Join(filepath.Dir(here), "../../node_modules/ocpp-rpc/lib/schemas/ocpp1_6.json"))
	require.NoError(t, err, "npm ci brings the schemas")
	var list []json.RawMessage
	require.NoError(t, json.Unmarshal(text, &list))
	c := &Checker{jsonschema.NewCompiler()}
	for _, raw := range list {
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
		require.NoError(t, err)
		m := doc.(map[string]any)
		m["$schema"] = "http://json-schema.org/draft-07/schema#"
		require.NoError(t, c.compiler.AddResource(m["$id"].(string), m))
	}
	return c
}

// Check validates a payload against a schema such as "BootNotification.req".
func (c *Checker) Check(t testing.TB, name string, payload []byte) {
	t.Helper()
	s, err := c.compiler.Compile("urn:" + name)
	require.NoError(t, err, name)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(payload))
	require.NoError(t, err, "%s: %s", name, payload)
	require.NoError(t, s.Validate(doc), "%s: %s", name, payload)
}
