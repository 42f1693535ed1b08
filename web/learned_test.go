package web_test

import (
	"context"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
	"zincroad/web"
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
	assert.Contains(t, page, "No warm run would tell more of 10–80 %", "seven runs")
	for _, c := range cars { // one run, cold to 46 %: what it takes there when warm nobody has seen
		if c.Name != "Hornbeam 105" {
			continue
		}
		page := get(h, "/garage/cars/"+plain(c.ID)).Body.String()
		assert.Regexp(t, `To know 10–80 % better, test it warm over \d+–\d+ % at a stall of \d+ kW or more`, page)
		test := regexp.MustCompile(`href="(/prepare\?car=[^"]*)">Prepare that run`).FindStringSubmatch(page)
		require.NotNil(t, test)
		assert.Contains(t, get(h, html.UnescapeString(test[1])).Body.String(), "Hornbeam 105")
	}

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

// A run is left out of what is learned of its car by one press, and taken in again by the next; the runs that it taught
// are judged anew, and its own story says so. A run of another car is refused.
func TestRunsAreLeftOutOfWhatIsLearned(t *testing.T) {
	t.Parallel()
	book := newBook(t, true) // nobody works in the background: what is due stays due
	s, err := web.New(book, logbooktest.Quiet())
	require.NoError(t, err)
	h := s.Handler()
	ctx := context.Background()
	require.NoError(t, book.Rework(ctx, nil))
	run, err := book.Run(ctx, 2)
	require.NoError(t, err)
	path := "/garage/cars/" + plain(*run.CarID)
	rests := regexp.MustCompile(`From (\d+) runs? on software`)
	before := rests.FindStringSubmatch(get(h, path).Body.String())
	require.NotNil(t, before)

	w := post(h, path+"/teaches", url.Values{"run": {"2"}, "teaches": {"never"}})
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Body.String(), "Run 2 is left out of what is learned of the car.")
	assert.Contains(t, w.Body.String(), "left out by hand")
	after := rests.FindStringSubmatch(w.Body.String())
	require.NotNil(t, after)
	assert.Equal(t, atoi(t, before[1])-1, atoi(t, after[1]))
	due, err := book.Unread(ctx)
	require.NoError(t, err)
	assert.Positive(t, due, "what the others were judged by is another now")
	assert.Contains(t, get(h, "/runs/2/history").Body.String(), "says what its car is like")

	w = post(h, path+"/teaches", url.Values{"run": {"2"}, "teaches": {""}})
	require.Equal(t, http.StatusOK, w.Code)
	assert.Equal(t, before, rests.FindStringSubmatch(w.Body.String()))

	for _, wrong := range []url.Values{{"run": {"18"}, "teaches": {"never"}}, {"run": {"2"}, "teaches": {"perhaps"}}, {}} {
		assert.Equal(t, http.StatusBadRequest, post(h, path+"/teaches", wrong).Code, "%v", wrong)
	}
}

func atoi(t *testing.T, text string) int {
	n, err := strconv.Atoi(text)
	require.NoError(t, err)
	return n
}
