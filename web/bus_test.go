package web_test

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// A log of a car's bus waits at the Desk for its car, which has its DBC file and its list of signals in the Garage;
// then it is a run like any other.
func TestALogOfABus(t *testing.T) {
	t.Parallel()
	h, book := handler(t, false)
	car := &logbook.Car{Name: "Sycamore 70"}
	require.NoError(t, book.SaveCar(t.Context(), car))
	var log bytes.Buffer
	for i := range 1560 { // 10 to 80 %, from 80 to 50 kW
		fmt.Fprintf(&log, "(%d.250000) can0 121#%02X%02X\n", 1772400000+i, 20+i*140/1500, 80-i/50)
	}
	w := upload(t, h, "van.log", log.Bytes())
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	arrival := w.Header().Get("Location")
	assert.Contains(t, get(h, arrival).Body.String(), "choose the car, which says what its signals are")
	chosen := url.Values{"car": {fmt.Sprint(car.ID)}, "timezone": {"UTC"}, "side": {"car"}}
	assert.Contains(t, post(h, arrival+"/look", chosen).Body.String(), "give this car its DBC file")

	garage := fmt.Sprintf("/garage/cars/%d", car.ID)
	assert.Equal(t, http.StatusUnprocessableEntity, uploadTo(t, h, garage+"/bus", "van.dbc", []byte("BO_ eight")).Code)
	dbc := "BO_ 289 Pack: 8 BMS\n SG_ Soc : 0|8@1+ (0.5,0) [0|100] \"%\" X\n SG_ Kw : 8|8@1+ (1,0) [0|250] \"kW\" X\n"
	require.Equal(t, http.StatusSeeOther, uploadTo(t, h, garage+"/bus", "van.dbc", []byte(dbc)).Code)
	refused := post(h, garage+"/signals", url.Values{"signals": {"Soc soc_pct\nPower power_kw"}})
	assert.Equal(t, http.StatusUnprocessableEntity, refused.Code)
	assert.Contains(t, refused.Body.String(), "the DBC file has no signal &#34;Power&#34;")
	assert.Contains(t, refused.Body.String(), "Power power_kw</textarea", "what was typed stays")
	require.Equal(t, http.StatusSeeOther,
		post(h, garage+"/signals", url.Values{"signals": {"Soc soc_pct\nKw power_kw"}}).Code)
	assert.Contains(t, get(h, garage).Body.String(), "Pack.Kw, kW")

	assert.NotContains(t, post(h, arrival+"/look", chosen).Body.String(), "It needs one thing more")
	kept := post(h, arrival+"/keep", chosen)
	require.Equal(t, http.StatusSeeOther, kept.Code, kept.Body.String())
	page := get(h, kept.Header().Get("Location")).Body.String()
	assert.Contains(t, page, "10–80 % in 25 min")
	assert.Contains(t, page, "Sycamore 70")
	assert.Contains(t, page, "van.csv")
}
