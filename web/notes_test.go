package web_test

import (
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Notes on a run are for the crew: Markdown without anything that is fetched or run, on a stretch of it where one is
// named; whom they mention sees a mark until they have read it, and nobody removes another's but a keeper.
func TestNotesToEachOther(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	ada, bo, cy := c.enter("192.0.2.1", "Ada"), c.enter("192.0.2.2", "Bo"), c.enter("192.0.2.3", "Cy")
	note := func(session string, form url.Values) int {
		return c.send("192.0.2.4", session, http.MethodPost, "/runs/2/notes", form).Code
	}
	page := func(session, path string) string {
		return c.send("192.0.2.4", session, http.MethodGet, path, nil).Body.String()
	}
	text := "@ada, was this the *neighbour*? <script>alert(1)</script> ![x](http://evil.example/x.png) @Cyan is a colour"
	assert.Equal(t, http.StatusForbidden, note(cy, url.Values{"text": {text}}))
	assert.Equal(t, http.StatusUnprocessableEntity, note(bo, url.Values{"text": {" "}}))
	assert.Equal(t, http.StatusUnprocessableEntity, note(bo, url.Values{"text": {text}, "to": {"3:00"}}))
	assert.Equal(t, http.StatusUnprocessableEntity, note(bo, url.Values{"text": {text}, "from": {"5:00"}, "to": {"3:00"}}))
	require.Equal(t, http.StatusSeeOther, note(bo, url.Values{"text": {text}, "from": {"3:00"}, "to": {"5:30"}}))

	assert.Contains(t, page(ada, "/"), `1<span class="sr-only"> new notes</span>`)
	assert.Contains(t, page(ada, "/me"), `/runs/2#notes`)
	assert.NotContains(t, page(cy, "/"), "new notes", "a longer word is no name")
	seen := page(ada, "/runs/2")
	assert.Contains(t, seen, "<em>neighbour</em>")
	assert.Contains(t, seen, "3:00 to 5:30")
	assert.NotContains(t, seen, "evil.example")
	assert.NotContains(t, seen, "<script>alert")
	assert.NotContains(t, page(ada, "/"), "new notes", "she has read it")

	list, err := c.book.Notes(t.Context(), 2)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, http.StatusSeeOther, note(ada, url.Values{"text": {"yes, @Bo"}}))
	assert.Equal(t, http.StatusNotFound, c.send("192.0.2.4", bo, http.MethodPost, "/runs/2/notes/2/delete", nil).Code)
	assert.Equal(t, http.StatusSeeOther, c.send("192.0.2.4", ada, http.MethodPost, "/runs/2/notes/1/delete", nil).Code)
	list, err = c.book.Notes(t.Context(), 2)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "Ada", list[0].Author)
	h, _ := handler(t, true)
	assert.NotContains(t, get(h, "/runs/2").Body.String(), `id="notes"`, "who works alone has nobody to write to")
}
