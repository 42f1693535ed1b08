package web_test

import (
	"fmt"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/prepare"
	"zincroad/logbook"
)

// formOf reads the fields of the form that is sent to an address, as a browser would send it.
func formOf(t *testing.T, page, action string) url.Values {
	t.Helper()
	i := strings.Index(page, `action="`+action+`"`)
	require.Positive(t, i, "no form for %s", action)
	page = page[i : i+strings.Index(page[i:], "</form>")]
	out := url.Values{}
	attr := func(tag, name string) string {
		m := regexp.MustCompile(`\s` + name + `="([^"]*)"`).FindStringSubmatch(tag)
		if m == nil {
			return ""
		}
		return html.UnescapeString(m[1])
	}
	for _, tag := range regexp.MustCompile(`<input[^>]*>`).FindAllString(page, -1) {
		out.Add(attr(tag, "name"), attr(tag, "value"))
	}
	for _, m := range regexp.MustCompile(`(?s)<select[^>]*name="([^"]*)".*?</select>`).FindAllStringSubmatch(page, -1) {
		for _, o := range regexp.MustCompile(`<option[^>]*>[^<]*`).FindAllString(m[0], -1) {
			if strings.Contains(o, "selected") {
				value := attr(o, "value")
				if !strings.Contains(o, "value=") {
					value = strings.TrimSpace(o[strings.Index(o, ">")+1:])
				}
				out.Set(m[1], value)
			}
		}
	}
	area := regexp.MustCompile(`(?s)<textarea[^>]*name="([^"]*)"[^>]*>\n?(.*?)</textarea`)
	for _, m := range area.FindAllStringSubmatch(page, -1) {
		out.Set(m[1], html.UnescapeString(m[2]))
	}
	return out
}

// Two people have one run's form open: what they changed in different fields is all kept; where both wrote in one,
// the second sees the first's beside their own, and decides. So it is with a car, whose keeper reads °F.
func TestTwoEditorsLoseNothingOfEachOthers(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	ada, bo := c.enter("192.0.2.1", "Ada"), c.enter("192.0.2.2", "Bo")
	page := func(session, path string, header ...string) string {
		w := c.send("192.0.2.3", session, http.MethodGet, path, nil, header...)
		require.Equal(t, http.StatusOK, w.Code)
		return w.Body.String()
	}
	adas := formOf(t, page(ada, "/runs/1/edit"), "/runs/1/details")
	bos := formOf(t, page(bo, "/runs/1/edit"), "/runs/1/details")
	require.NotEmpty(t, bos.Get("was"))
	adas.Set("weather", "sleet, by Ada")
	adas.Set("ambient_c", "3")
	require.Equal(t, http.StatusSeeOther, c.send("192.0.2.1", ada, http.MethodPost, "/runs/1/details", adas).Code)
	bos.Set("label", "sticker, by Bo")
	bos.Set("ambient_c", "4")
	w := c.send("192.0.2.2", bo, http.MethodPost, "/runs/1/details", bos)
	require.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, html.UnescapeString(w.Body.String()), `Ada wrote "3" here meanwhile; yours is still in the field.`)
	row, err := c.book.Run(t.Context(), 1)
	require.NoError(t, err)
	assert.Empty(t, row.Label, "nothing is stored before it is decided")
	again := formOf(t, w.Body.String(), "/runs/1/details")
	assert.Equal(t, "4", again.Get("ambient_c"))
	assert.Equal(t, "sleet, by Ada", again.Get("weather"))
	require.Equal(t, http.StatusSeeOther, c.send("192.0.2.2", bo, http.MethodPost, "/runs/1/details", again).Code)
	row, err = c.book.Run(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "sleet, by Ada", row.Weather)
	assert.Equal(t, "sticker, by Bo", row.Label)
	assert.InDelta(t, 4, *row.AmbientC, 1e-9)

	f := []string{"Cookie", "units=f"}
	first := formOf(t, page(ada, "/garage/cars/1", f...), "/garage/cars")
	second := formOf(t, page(ada, "/garage/cars/1"), "/garage/cars")
	first.Set("warm_c", "86") // 30 °C
	require.Equal(t, http.StatusSeeOther, c.send("192.0.2.1", ada, http.MethodPost, "/garage/cars", first, f...).Code)
	second.Set("note", "a new tyre")
	require.Equal(t, http.StatusSeeOther, c.send("192.0.2.1", ada, http.MethodPost, "/garage/cars", second).Code)
	car, err := c.book.Car(t.Context(), 1)
	require.NoError(t, err)
	assert.InDelta(t, 30, *car.WarmC, 1e-9)
	assert.Equal(t, "a new tyre", car.Note)
}

// A site's place, what a software version changed and one's own method are merged as runs and cars are: what two
// keepers wrote in different fields is all there, and where both wrote in one, the second is told.
func TestTwoEditorsOfPlacesSoftwareAndMethods(t *testing.T) {
	t.Parallel()
	c := newCrew(t)
	require.NoError(t, c.book.SaveSoftware(t.Context(), &logbook.Software{CarID: 1, Version: "9.1"}))
	version, err := c.book.SoftwareOf(t.Context(), 1, "9.1")
	require.NoError(t, err)
	m := prepare.Methods[0]
	own := &logbook.OwnMethod{Name: "Ours", Document: m}
	require.NoError(t, c.book.SaveMethod(t.Context(), own))
	require.NoError(t, c.book.SaveSite(t.Context(), &logbook.Site{Name: "Tannery Weir"}))
	sites, err := c.book.Sites(t.Context())
	require.NoError(t, err)
	var other int64
	for _, site := range sites {
		if site.Name == "Tannery Weir" {
			other = site.ID
		}
	}
	require.NotZero(t, other)
	require.NotEqual(t, other, sites[0].ID)
	road := fmt.Sprintf("road_%d", other)
	place, soft := fmt.Sprintf("/sites/%d", sites[0].ID), fmt.Sprintf("/garage/software/%d", version)
	for _, x := range []struct{ page, action, first, hers, second, his string }{
		{place, place, "note", "gate shut at night", road, "12"},
		{soft, soft, "software_note", "warms sooner", "heater_kw", "5"},
		{fmt.Sprintf("/prepare/methods?change=%d", own.ID), "/prepare/methods", "why", "because", "repeats", "4"},
	} {
		ada, van := c.enter("192.0.2.1", "Ada"), c.enter("192.0.2.4", "Ada")
		form := func(session string) url.Values {
			w := c.send("192.0.2.3", session, http.MethodGet, x.page, nil)
			require.Equal(t, http.StatusOK, w.Code)
			return formOf(t, w.Body.String(), x.action)
		}
		hers, his, late := form(ada), form(van), form(van)
		hers.Set(x.first, x.hers)
		require.Equal(t, http.StatusSeeOther, c.send("192.0.2.1", ada, http.MethodPost, x.action, hers).Code, x.page)
		his.Set(x.second, x.his)
		require.Equal(t, http.StatusSeeOther, c.send("192.0.2.4", van, http.MethodPost, x.action, his).Code, x.page)
		both := form(ada)
		assert.Equal(t, x.hers, both.Get(x.first), x.page)
		assert.Equal(t, x.his, both.Get(x.second), x.page)
		late.Set(x.first, "something else")
		w := c.send("192.0.2.4", van, http.MethodPost, x.action, late)
		require.Equal(t, http.StatusUnprocessableEntity, w.Code, x.page)
		assert.Contains(t, html.UnescapeString(w.Body.String()), `Ada wrote "`+x.hers+`" here meanwhile`)
		assert.Equal(t, x.hers, form(ada).Get(x.first), "nothing is stored before it is decided")
	}
}
