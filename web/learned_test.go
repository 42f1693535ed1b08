package web_test

import (
	"context"
	"net/http"
	"net/url"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// The page of a car with runs says what they showed, with the picture and how each run was foretold; one press notes
// that curve as the car's own, and one takes it back.
func TestCarShowsWhatItsRunsTaught(t *testing.T) {
	h, book := handler(t, true)
	ctx := context.Background()
	cars, err := book.Cars(ctx)
	require.NoError(t, err)
	var car logbook.Car
	for _, c := range cars {
		if c.Name == "Tamarack 78" {
			car = c
		}
	}
	require.NotZero(t, car.ID)
	require.NotEmpty(t, car.Envelope)
	path := "/garage/cars/" + plain(car.ID)
	page := get(h, path).Body.String()
	assert.Regexp(t, regexp.MustCompile(`Warm, it takes \d+ kW at 20 %`), page)
	assert.Contains(t, page, "Foretold from its other runs")
	assert.Contains(t, page, `class="envelope seen"`)
	assert.Contains(t, page, "Gentle profile:")

	w := post(h, path+"/learned", url.Values{"profile": {"full"}})
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Body.String(), "The curve of its runs is noted now.")
	taken, err := book.Car(ctx, car.ID)
	require.NoError(t, err)
	assert.Greater(t, len(taken.Envelope), 30)
	before := regexp.MustCompile(`name="envelope" value="([^"]*)"`).FindStringSubmatch(w.Body.String())
	require.NotNil(t, before, "the way back")
	w = post(h, path+"/learned", url.Values{"profile": {"full"}, "envelope": {before[1]}})
	require.Equal(t, http.StatusOK, w.Code)
	back, err := book.Car(ctx, car.ID)
	require.NoError(t, err)
	assert.Equal(t, car.Envelope, back.Envelope)
}
