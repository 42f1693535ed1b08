package web_test

import (
	"fmt"
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What was changed of a run stands on a page with who did it and what was before, in the reader's units, and is undone
// from there.
func TestAChangeIsToldAndUndone(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	row, err := book.Run(t.Context(), 2)
	require.NoError(t, err)
	was := row.AmbientC
	form := url.Values{"title": {row.Title}, "ambient_c": {"10"}}
	require.Equal(t, http.StatusSeeOther, post(h, "/runs/2/details", form).Code)
	page := get(h, "/runs/2/history").Body.String()
	assert.Contains(t, page, "this logbook’s owner")
	assert.Contains(t, page, "run changed")
	assert.Contains(t, page, "10 °C")
	assert.Contains(t, inUnits(h, "/runs/2/history"), "50 °F")

	list, err := book.Changes(t.Context(), 2)
	require.NoError(t, err)
	require.NotEmpty(t, list)
	require.Equal(t, http.StatusSeeOther, post(h, fmt.Sprintf("/runs/2/history/%d/undo", list[0].ID), nil).Code)
	row, err = book.Run(t.Context(), 2)
	require.NoError(t, err)
	assert.Equal(t, was, row.AmbientC)
	assert.Equal(t, http.StatusNotFound, post(h, "/runs/1/history/1/undo", nil).Code, "of another run, or of none")

	form = url.Values{"kind": {"neighbour"}, "time": {"0:30"}}
	require.Equal(t, http.StatusSeeOther, post(h, "/runs/2/marks", form).Code)
	page = get(h, "/runs/2/history").Body.String()
	assert.Contains(t, page, "mark added")
	assert.NotContains(t, page, `<span class="second">note</span>`, "what a mark never had is not told")
}
