package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"zincroad/formats/sheet"
	_ "zincroad/internal/sampled"
	"zincroad/logbook"
	"zincroad/web/api"
)

// apiClient asks the interface for programs, and holds every answer against the document that describes it.
type apiClient struct {
	testing.TB
	h      http.Handler
	routes routers.Router
	from   string // the address that it asks from
	token  string
}

func newAPIClient(t testing.TB, h http.Handler) *apiClient {
	t.Helper()
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	require.NoError(t, err)
	routes, err := gorillamux.NewRouter(doc)
	require.NoError(t, err)
	return &apiClient{TB: t, h: h, routes: routes, from: "127.0.0.1:40000"}
}

// ask sends a request and gives the answer; one that is not as the document says fails the test.
func (c *apiClient) ask(method, path string, body []byte, header map[string]string) *httptest.ResponseRecorder {
	c.Helper()
	r := httptest.NewRequest(method, "/api/v1"+path, bytes.NewReader(body))
	r.RemoteAddr = c.from
	if body != nil && method == http.MethodPost && strings.HasPrefix(path, "/runs?") {
		r.Header.Set("Content-Type", "application/octet-stream")
	} else if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	if c.token != "" {
		r.Header.Set("Authorization", "Bearer "+c.token)
	}
	for k, v := range header {
		r.Header.Set(k, v)
	}
	w := httptest.NewRecorder()
	c.h.ServeHTTP(w, r)
	route, params, err := c.routes.FindRoute(r)
	require.NoError(c, err, "%s %s is in the document", method, path)
	in := &openapi3filter.RequestValidationInput{Request: r, PathParams: params, Route: route}
	out := &openapi3filter.ResponseValidationInput{RequestValidationInput: in, Status: w.Code, Header: w.Header(),
		Body: io.NopCloser(bytes.NewReader(w.Body.Bytes())), Options: &openapi3filter.Options{IncludeResponseStatus: true}}
	kind := w.Header().Get("Content-Type")
	if strings.HasPrefix(kind, "text/csv") || kind == "application/zip" || strings.HasSuffix(kind, "parquet") {
		out.Options.ExcludeResponseBody = true // the validator knows no decoder for them
	}
	require.NoError(c, openapi3filter.ValidateResponse(context.Background(), out), "%s %s: %d %.300s", method, path,
		w.Code,
		w.Body)
	return w
}

func decoded[T any](t testing.TB, w *httptest.ResponseRecorder) (v T) {
	t.Helper()
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &v), "%.300s", w.Body)
	return v
}

// The document is OpenAPI, by a published validator.
func TestTheAPIsDocument(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	require.NoError(t, err)
	require.NoError(t, doc.Validate(context.Background(), openapi3.EnableSchemaFormatValidation()))
	assert.Equal(t, "3.1.0", doc.OpenAPI)
}

// The main job by another program: bring a log in, read the verdict, put a condition right, compare two, take it away
// and back.
func TestAnotherProgramDoesTheMainJob(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	c := newAPIClient(t, h)
	var log strings.Builder
	log.WriteString("t_s,soc_pct,power_kw\n")
	for i := range 600 {
		fmt.Fprintf(&log, "%d,%.1f,%.1f\n", 2*i, 10+float64(i)/15, 100-float64(i)/20)
	}
	made := c.ask(http.MethodPost, "/runs?name=car.csv", []byte(log.String()), nil)
	require.Equal(t, http.StatusCreated, made.Code, "%s", made.Body)
	id := decoded[struct{ ID int64 }](t, made).ID
	assert.Equal(t, fmt.Sprintf("/api/v1/runs/%d", id), made.Header().Get("Location"))
	again := c.ask(http.MethodPost, "/runs?name=car.csv", []byte(log.String()), nil)
	assert.Equal(t, http.StatusConflict, again.Code)
	assert.Equal(t, id, decoded[struct{ Run int64 }](t, again).Run, "the run that has it")
	assert.Equal(t, http.StatusUnprocessableEntity, c.ask(http.MethodPost, "/runs?name=a.txt", []byte("no log"), nil).Code)

	run := fmt.Sprintf("/runs/%d", id)
	reading := decoded[struct {
		Format   string
		Findings []struct{ Text string }
		Peak     struct{ KW float64 }
	}](t, c.ask(http.MethodGet, run+"/reading", nil, nil))
	assert.Equal(t, "zincroad-reading/1", reading.Format)
	assert.InDelta(t, 100, reading.Peak.KW, 0.01)
	require.NotEmpty(t, reading.Findings)
	assert.NotContains(t, reading.Findings[0].Text, "{")

	tag := c.ask(http.MethodGet, run, nil, nil).Header().Get("ETag")
	assert.Equal(t, http.StatusNotModified, c.ask(http.MethodGet, run, nil, map[string]string{"If-None-Match": tag}).Code)
	parquet := c.ask(http.MethodGet, run+"/readings", nil, map[string]string{"Accept": "application/vnd.apache.parquet"})
	assert.True(t, sheet.IsParquet(parquet.Body.Bytes()))
	columns := decoded[struct {
		Channels map[string][]float64
	}](t, c.ask(http.MethodGet, run+"/readings", nil, map[string]string{"Accept": "application/json"}))
	assert.Len(t, columns.Channels["power_kw"], 600)
	assert.Equal(t, http.StatusNotAcceptable,
		c.ask(http.MethodGet, run+"/readings", nil, map[string]string{"Accept": "image/png"}).Code)
	change := []byte(`{"title": "By a program", "conditions": {"ambient_c": -3.5}, "marks": [{"t_s": 30, "kind": "heater"}]}`)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPatch, run, change, map[string]string{"If-Match": tag}).Code)
	assert.Equal(t, http.StatusPreconditionFailed, c.ask(http.MethodPatch, run, change,
		map[string]string{"If-Match": tag}).Code)
	assert.Equal(t, http.StatusUnprocessableEntity,
		c.ask(http.MethodPatch, run, []byte(`{"conditions": {"ambient_c": 900}}`), nil).Code)
	row, err := book.Run(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, "By a program", row.Title)
	assert.Equal(t, -3.5, *row.AmbientC)
	require.Len(t, row.Marks, 1)
	require.Equal(t, http.StatusOK,
		c.ask(http.MethodPatch, run, []byte(`{"conditions": {"ambient_c": null, "weather": "rain"}}`), nil).Code)
	row, err = book.Run(t.Context(), id)
	require.NoError(t, err)
	assert.Nil(t, row.AmbientC, "null takes a value away")
	assert.Equal(t, "rain", row.Weather)
	assert.Equal(t, "By a program", row.Title, "what is not named stays")

	compared := decoded[struct {
		Verdicts []struct{ Text string }
	}](t, c.ask(http.MethodPost, "/bench", []byte(`{"runs": [1, 2], "window": "10-80"}`), nil))
	assert.NotEmpty(t, compared.Verdicts)
	assert.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/forecast",
		[]byte(`{"run": {"stall": {"rated_kw": 150}}, "car_id": 1, "battery_c": 5}`), nil).Code)

	type page struct {
		Runs  []struct{ ID int64 }
		Next  *string
		Total int
	}
	seen, total := map[int64]bool{}, 0
	for path := "/runs?limit=7"; path != ""; {
		p := decoded[page](t, c.ask(http.MethodGet, path, nil, nil))
		for _, x := range p.Runs {
			assert.False(t, seen[x.ID], "each once")
			seen[x.ID] = true
		}
		if total, path = p.Total, ""; p.Next != nil {
			path = "/runs?limit=7&cursor=" + url.QueryEscape(*p.Next)
		}
	}
	assert.Len(t, seen, total)

	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, run, nil, nil).Code)
	assert.Equal(t, http.StatusNotFound, c.ask(http.MethodDelete, run, nil, nil).Code)
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodPost, run+"/restore", nil, nil).Code)
}

// Cars, sites and stalls are added and put right by run.json's rules; null takes a figure away.
func TestAnotherProgramKeepsTheGarage(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	c := newAPIClient(t, h)
	type one struct{ ID int64 }
	made := c.ask(http.MethodPost, "/cars",
		[]byte(`{"name": "Hazel 60", "usable_kwh": 58, "max_kw": 120, "chemistry": "LFP"}`),
		nil)
	require.Equal(t, http.StatusCreated, made.Code, "%s", made.Body)
	id := decoded[one](t, made).ID
	path := fmt.Sprintf("/cars/%d", id)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPatch, path, []byte(`{"max_kw": null, "warm_c": 24}`), nil).Code)
	car, err := book.Car(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, 58.0, *car.UsableKWh)
	assert.Equal(t, 24.0, *car.WarmC)
	assert.Nil(t, car.MaxKW)
	assert.Equal(t, http.StatusConflict, c.ask(http.MethodPost, "/cars", []byte(`{"name": "Hazel 60"}`), nil).Code)
	for _, wrong := range []string{`{}`, `{"name": "x", "usable_kwh": -3}`, `{"name": "x", "chemistry": "wood"}`, `[]`} {
		assert.GreaterOrEqual(t, c.ask(http.MethodPost, "/cars", []byte(wrong), nil).Code, 400, wrong)
	}

	site := decoded[one](t, c.ask(http.MethodPost, "/sites", []byte(`{"name": "Lower Mill"}`), nil)).ID
	stall := c.ask(http.MethodPost, "/stalls", fmt.Appendf(nil, `{"site_id": %d, "name": "2", "rated_kw": 150}`, site),
		nil)
	require.Equal(t, http.StatusCreated, stall.Code, "%s", stall.Body)
	at := decoded[one](t, stall).ID
	require.Equal(t, http.StatusOK,
		c.ask(http.MethodPatch, fmt.Sprintf("/stalls/%d", at), []byte(`{"max_a": 400}`), nil).Code)
	kept, err := book.Stall(t.Context(), at)
	require.NoError(t, err)
	assert.Equal(t, "Lower Mill", kept.Site.Name)
	assert.Equal(t, []float64{150, 400}, []float64{*kept.RatedKW, *kept.MaxA})
	assert.Equal(t, http.StatusBadRequest, c.ask(http.MethodPost, "/stalls", []byte(`{"site_id": 999, "name": "1"}`),
		nil).Code)
	assert.Equal(t, http.StatusOK,
		c.ask(http.MethodPatch, fmt.Sprintf("/sites/%d", site), []byte(`{"name": "Upper Mill"}`), nil).Code)
}

// A logger's readings of a run under way are stored once for each key, and 200 says that they are.
func TestAnotherProgramSendsReadings(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	c := newAPIClient(t, h)
	began := time.Now().UTC().Add(-10 * time.Minute)
	id, err := book.StartLive(t.Context(), &logbook.Run{StartedAt: &began})
	require.NoError(t, err)
	path := fmt.Sprintf("/runs/%d/live/readings", id)
	for range 2 {
		w := c.ask(http.MethodPost, path,
			[]byte(`{"key": "k1", "side": "car", "t_s": 60, "values": {"soc_pct": 12, "power_kw": 93.5}}`), nil)
		require.Equal(t, http.StatusOK, w.Code, "%s", w.Body)
	}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path,
		[]byte(`{"key": "k2", "side": "car", "t_s": 90, "values": {"power_kw": 95}}`), nil).Code)
	row, err := book.Run(t.Context(), id)
	require.NoError(t, err)
	full, err := book.Load(t.Context(), row)
	require.NoError(t, err)
	require.Len(t, full.Recordings, 1)
	assert.Equal(t, []float64{60, 90}, full.Recordings[0].T, "the first one once")
	for _, wrong := range []string{`{"key": "k3", "side": "car", "values": {}}`,
		`{"key": "k3", "side": "car", "values": {"soc_pct": 120}}`, `{"key": "", "side": "car", "values": {"soc_pct": 20}}`,
		`{"key": "k3", "side": "roof", "values": {"soc_pct": 20}}`, `{"key": "k3", "side": "car", "values": {"luck": 20}}`,
		`{"key": "k3", "side": "car", "t_s": 4000, "values": {"soc_pct": 20}}`} {
		assert.Equal(t, http.StatusBadRequest, c.ask(http.MethodPost, path, []byte(wrong), nil).Code, wrong)
	}
	assert.Equal(t, http.StatusConflict, c.ask(http.MethodPost, "/runs/1/live/readings",
		[]byte(`{"key": "k", "side": "car", "values": {"soc_pct": 20}}`), nil).Code, "it has ended")
}

// Where a password is set, or the asker is another machine, only a token lets in, and to no more than its role; what it
// changes is noted as its own.
func TestTokensAtTheDoor(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	c := newAPIClient(t, h)
	assert.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/cars", nil, nil).Code, "this machine, no password")
	c.from = "203.0.113.7:40000"
	assert.Equal(t, http.StatusUnauthorized, c.ask(http.MethodGet, "/cars", nil, nil).Code, "another machine")
	c.from = "127.0.0.1:40000"
	require.NoError(t, book.SetPassword(t.Context(), quickHash(word)))
	refused := c.ask(http.MethodGet, "/cars", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, refused.Code)
	assert.Contains(t, refused.Header().Get("WWW-Authenticate"), "Bearer")
	assert.Equal(t, "application/problem+json", refused.Header().Get("Content-Type"))

	reader, err := book.AddToken(t.Context(), "a sheet", logbook.Reader, time.Now().Add(time.Hour))
	require.NoError(t, err)
	c.token = reader
	assert.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/cars", nil, nil).Code)
	assert.Equal(t, http.StatusForbidden, c.ask(http.MethodDelete, "/runs/1", nil, nil).Code)
	assert.Equal(t, http.StatusForbidden, c.ask(http.MethodPatch, "/runs/1", []byte(`{"title":"x"}`), nil).Code)
	if c.token, err = book.AddToken(t.Context(), "the van's logger", logbook.Tester,
		time.Now().Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	assert.Equal(t, http.StatusOK, c.ask(http.MethodPatch, "/runs/1", []byte(`{"title":"x"}`), nil).Code)
	changes, err := book.Changes(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "the van's logger", changes[0].Actor)
	list, err := book.Tokens(t.Context())
	require.NoError(t, err)
	require.NoError(t, book.WithdrawToken(t.Context(), list[0].ID))
	assert.Equal(t, http.StatusUnauthorized, c.ask(http.MethodGet, "/cars", nil, nil).Code, "withdrawn")
	c.token = reader + "x"
	assert.Equal(t, http.StatusUnauthorized, c.ask(http.MethodGet, "/cars", nil, nil).Code)
}

// Whatever is asked, nothing breaks, and every answer is one that the document knows.
func TestAnyRequestIsAnsweredAsDescribed(t *testing.T) {
	t.Parallel()
	h, _ := handler(t, true)
	c := newAPIClient(t, h)
	var doc struct {
		Paths map[string]any `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(api.Document, &doc))
	paths := slices.Sorted(maps.Keys(doc.Paths))
	methods := []string{http.MethodGet, http.MethodPost, http.MethodPatch}
	values := rapid.OneOf(rapid.SampledFrom([]string{"", "1", "-1", "0", "10-80", "80-10", "plug", "car", "newest",
		"9e999",
		"null", "full", "\x00", "é", "zzzzzzzzzzzzzzzzzz"}), rapid.StringN(0, 12, 40))
	rapid.Check(t, func(rt *rapid.T) {
		for range 10 {
			path, method := rapid.SampledFrom(paths).Draw(rt, "path"), rapid.SampledFrom(methods).Draw(rt, "method")
			path = strings.ReplaceAll(path, "{id}", rapid.SampledFrom([]string{"1", "2", "18", "999", "0"}).Draw(rt, "id"))
			q := url.Values{}
			for _, key := range rapid.SliceOfN(rapid.SampledFrom([]string{"limit", "cursor", "sort", "q", "clock", "side",
				"name",
				"ambient_from", "profile", "recording", "car"}), 0, 3).Draw(rt, "keys") {
				q.Set(key, values.Draw(rt, key))
			}
			var body []byte
			if method != http.MethodGet {
				body = []byte(rapid.OneOf(rapid.SampledFrom([]string{"{}", "null", "[]", `{"runs":[1,2]}`, `{"runs":[1,1]}`,
					`{"runs":[1,999]}`, `{"run":{"car":{"usable_kwh":60,"chemistry":"LFP","max_kw":100}}}`, `{"run":null}`,
					`{"run":{"car":{"usable_kwh":60}},"from_pct":80,"to_pct":10}`, `{"conditions":{"ambient_c":1e9}}`,
					`{"title":"x","marks":[{"t_s":-1,"kind":"boom"}]}`, `{"stall_share":0}`, `{"car_id":1,"battery_c":-300}`, `{"name":"x"}`, `{"name":null}`, `{"name":"y","site_id":1}`,
					`{"site_id":"1"}`, `{"key":"k","side":"car","values":{"soc_pct":1e308}}`}),
					rapid.String()).Draw(rt, "body"))
			}
			if q := q.Encode(); q != "" {
				path += "?" + q
			}
			r := httptest.NewRequest(method, "/api/v1"+path, bytes.NewReader(body))
			r.RemoteAddr = c.from
			if _, _, err := c.routes.FindRoute(r); err != nil {
				continue // not in the document: another test's
			}
			if w := c.ask(method, path, body, nil); w.Code >= 500 {
				rt.Fatalf("%s %s %s: %d %s", method, path, body, w.Code, w.Body)
			}
		}
	})
}

// Programs that note different things of one run at once lose nothing of each other's; of those that ask for it
// unchanged one gets through.
func TestProgramsDoNotUndoEachOther(t *testing.T) {
	t.Parallel()
	h, book := handler(t, true)
	c := newAPIClient(t, h)
	atOnce := func(bodies []string, header map[string]string) (codes []int) {
		var all sync.WaitGroup
		codes = make([]int, len(bodies))
		for i, body := range bodies {
			all.Go(func() { codes[i] = c.ask(http.MethodPatch, "/runs/2", []byte(body), header).Code })
		}
		all.Wait()
		slices.Sort(codes)
		return codes
	}
	codes := atOnce([]string{`{"conditions":{"ambient_c":-3}}`, `{"conditions":{"battery_c":17}}`,
		`{"conditions":{"weather":"hail"}}`, `{"conditions":{"odometer_km":54321}}`}, nil)
	assert.Equal(t, []int{200, 200, 200, 200}, codes)
	row, err := book.Run(t.Context(), 2)
	require.NoError(t, err)
	assert.InDelta(t, -3, *row.AmbientC, 0)
	assert.InDelta(t, 17, *row.BatteryC, 0)
	assert.InDelta(t, 54321, *row.OdometerKM, 0)
	assert.Equal(t, "hail", row.Weather)
	tag := c.ask(http.MethodGet, "/runs/2", nil, nil).Header().Get("ETag")
	codes = atOnce([]string{`{"title":"one"}`, `{"title":"other"}`, `{"title":"third"}`}, map[string]string{"If-Match": tag})
	assert.Equal(t, []int{200, 412, 412}, codes)
}
