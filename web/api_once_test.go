package web_test

import (
	"net/http"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A write under a key is done once: the same again gets the same answer, another under that key is refused, and of many
// at once one is done. A key of another actor's is another key.
func TestAWriteUnderAKeyIsDoneOnce(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	c := newAPIClient(t, h)
	under := func(key string) map[string]string { return map[string]string{"Idempotency-Key": key} }
	first := c.ask(http.MethodPost, "/cars", []byte(`{"name": "Whitebeam"}`), under("a"))
	require.Equal(t, http.StatusCreated, first.Code, "%s", first.Body)
	again := c.ask(http.MethodPost, "/cars", []byte(`{"name": "Whitebeam"}`), under("a"))
	assert.Equal(t, http.StatusCreated, again.Code)
	assert.Equal(t, first.Body.String(), again.Body.String())
	assert.Equal(t, first.Header().Get("Location"), again.Header().Get("Location"))
	assert.Equal(t, "true", again.Header().Get("Idempotency-Replayed"))
	assert.Equal(t, http.StatusUnprocessableEntity,
		c.ask(http.MethodPost, "/cars", []byte(`{"name": "Spindle"}`), under("a")).Code)
	refused := c.ask(http.MethodPost, "/cars", []byte(`{"name": "Whitebeam"}`), under("b"))
	assert.Equal(t, http.StatusConflict, refused.Code, "the name is taken")
	assert.Equal(t, refused.Body.String(), c.ask(http.MethodPost, "/cars", []byte(`{"name": "Whitebeam"}`),
		under("b")).Body.String())

	var all sync.WaitGroup
	codes := make([]int, 8)
	for i := range codes {
		all.Go(func() {
			codes[i] = c.ask(http.MethodPost, "/sites", []byte(`{"name": "Corn Mill"}`), under("c")).Code
		})
	}
	all.Wait()
	for _, code := range codes {
		assert.Contains(t, []int{http.StatusCreated, http.StatusConflict}, code)
	}
	assert.Contains(t, codes, http.StatusCreated)
	sites, err := book.Sites(t.Context())
	require.NoError(t, err)
	n := 0
	for _, s := range sites {
		if s.Name == "Corn Mill" {
			n++
		}
	}
	assert.Equal(t, 1, n)

	kept, err := book.ClaimKey(t.Context(), "token 7", "a")
	require.NoError(t, err)
	assert.Nil(t, kept, "that of another")
	kept, err = book.ClaimKey(t.Context(), "token 7", "a")
	require.NoError(t, err)
	require.NotNil(t, kept)
	assert.Nil(t, kept.Asked, "it is being done")
	require.NoError(t, book.DropKey(t.Context(), "token 7", "a"))
	kept, err = book.ClaimKey(t.Context(), "token 7", "a")
	require.NoError(t, err)
	assert.Nil(t, kept)
}
