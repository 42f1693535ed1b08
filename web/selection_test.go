package web_test

import (
	"encoding/json"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/formats/intake"
	"zincroad/formats/selection"
	"zincroad/logbook"
)

// Several runs go out as one file of each kind; the same runs with the same figures come in from it, at the Desk of
// another logbook too.
func TestASelectionGoesOutAndComesIn(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	read := func(name string, content []byte) string {
		list, err := intake.All(name, content, intake.Choices{})
		require.NoError(t, err, name)
		require.Len(t, list, 2)
		figures, err := json.Marshal([]*curve.Reading{curve.Read(list[0].Run, curve.Options{}),
			curve.Read(list[1].Run, curve.Options{})})
		require.NoError(t, err)
		return string(figures)
	}
	wanted := read("runs.zip", get(h, "/folders.zip?runs=1,8").Body.Bytes())
	empty, book := handler(t, false)
	for kind, media := range selection.MediaTypes {
		w := get(h, "/runs."+string(kind)+"?runs=1,8")
		require.Equal(t, http.StatusOK, w.Code, kind)
		assert.Equal(t, media, w.Header().Get("Content-Type"))
		assert.True(t, wanted == read("runs."+string(kind), w.Body.Bytes()), "%s: other figures", kind)
		if kind != selection.Workbook {
			continue
		}
		assert.Equal(t, http.StatusSeeOther, upload(t, empty, "runs.xlsx", w.Body.Bytes()).Code)
		rows, total, _, err := book.Road(t.Context(), logbook.RoadFilter{Limit: 10})
		require.NoError(t, err)
		require.Equal(t, 2, total)
		assert.Equal(t, "Tamarack 78", rows[0].Car)
	}
	assert.Equal(t, http.StatusBadRequest, get(h, "/runs.csv").Code)
	assert.Equal(t, http.StatusNotFound, get(h, "/runs.json?runs=99999").Code)
}
