package api

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a program can ask for is what openapi.json describes, and nothing else.
func TestEveryRouteIsDescribed(t *testing.T) {
	t.Parallel()
	var doc struct {
		Paths map[string]map[string]any `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(Document, &doc))
	var described []string
	for path, methods := range doc.Paths {
		for method := range methods {
			if method != "parameters" {
				described = append(described, strings.ToUpper(method)+" "+path)
			}
		}
	}
	r := chi.NewRouter()
	(&Room{}).Routes(r)
	var routed []string
	require.NoError(t, chi.Walk(r, func(method, path string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		routed = append(routed, method+" "+path)
		return nil
	}))
	assert.Greater(t, len(routed), 20)
	assert.ElementsMatch(t, described, routed)
}
