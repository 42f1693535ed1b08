package web_test

import (
	"context"
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/formats/intake"
	"zincroad/logbook"
)

// A recording leaves the page as it came, to the byte, and as the project's own
// table.
func TestRecordingsLeaveAsTheyCame(t *testing.T) {
	h, book := handler(t, false)
	was, err := os.ReadFile("../docs/samples/spreadsheet.csv")
	require.NoError(t, err)
	in := sampleBundle(t, "spreadsheet.csv")
	id, err := book.Save(context.Background(), in)
	require.NoError(t, err)
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	run, rec := "/runs/"+plain(id), plain(row.Recordings[0].ID)
	w := get(h, run+"/recordings/"+rec)
	require.Equal(t, http.StatusOK, w.Code)
	assert.Equal(t, was, w.Body.Bytes())
	assert.Contains(t, w.Header().Get("Content-Disposition"), "spreadsheet.csv")

	w = get(h, run+"/readings.csv?recording="+rec)
	require.Equal(t, http.StatusOK, w.Code)
	lines := strings.Split(strings.TrimSpace(w.Body.String()), "\n")
	assert.True(t, strings.HasPrefix(lines[0], "t_s,soc_pct,power_kw"), lines[0])
	assert.Len(t, lines, row.Recordings[0].Readings+1)
	assert.Equal(t, http.StatusNotFound, get(h, run+"/readings.csv?recording=9999").Code)
	assert.Equal(t, http.StatusNotFound, get(h, run+"/recordings/9999").Code)
}

// What runs hang on stays; what none hangs on goes.
func TestGarageAndSitesKeepWhatIsUsed(t *testing.T) {
	h, book := handler(t, true)
	ctx := context.Background()
	row, err := book.Run(ctx, 1)
	require.NoError(t, err)
	for _, path := range []string{
		"/garage/cars/" + plain(*row.CarID) + "/delete",
		"/garage/software/" + plain(*row.SoftwareID) + "/delete",
		"/sites/stalls/" + plain(*row.StallID) + "/delete",
	} {
		w := post(h, path, nil)
		assert.Equal(t, http.StatusBadRequest, w.Code, path)
		assert.Regexp(t, "(?i)runs were made (with|at) this", w.Body.String(), path)
	}
	require.Equal(t, http.StatusSeeOther,
		post(h, "/garage/cars", url.Values{"id": {"0"}, "name": {"Spindle 40"}, "usable_kwh": {"38"}}).Code)
	cars, err := book.Cars(ctx)
	require.NoError(t, err)
	id := carNamed(t, cars, "Spindle 40")
	require.Equal(t, http.StatusSeeOther, post(h, "/garage/cars/"+plain(id)+"/delete", nil).Code)
	assert.Equal(t, http.StatusNotFound, get(h, "/garage/cars/"+plain(id)).Code)

	bad := url.Values{"name": {""}, "max_a": {"-3"}}
	w := post(h, "/garage/adapters", bad)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "expected a number from 0")
	require.Equal(t, http.StatusSeeOther,
		post(h, "/garage/adapters", url.Values{"name": {"Bobbin"}, "max_a": {"200"}, "max_v": {"500"}}).Code)
	list, err := book.Adapters(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, list)
	bobbin := list[len(list)-1]
	for _, a := range list {
		if a.Name == "Bobbin" {
			bobbin = a
		}
	}
	assert.Equal(t, 200.0, *bobbin.MaxA)
	require.Equal(t, http.StatusSeeOther, post(h, "/garage/adapters/"+plain(bobbin.ID)+"/delete", nil).Code)
	after, err := book.Adapters(ctx)
	require.NoError(t, err)
	assert.Len(t, after, len(list)-1)
}

func carNamed(t *testing.T, cars []logbook.Car, name string) int64 {
	t.Helper()
	for _, c := range cars {
		if c.Name == name {
			return c.ID
		}
	}
	require.Fail(t, "no car of that name", name)
	return 0
}

// sampleBundle reads one of the samples as an import does.
func sampleBundle(t *testing.T, name string) *intake.Bundle {
	t.Helper()
	content, err := os.ReadFile("../docs/samples/" + name)
	require.NoError(t, err)
	b, err := intake.Bytes(name, content, intake.Choices{})
	require.NoError(t, err)
	return b
}
