package runs

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/say"
	"zincroad/core/units"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Every column that a change is shownColumns by has a name for people.
func TestColumnsHaveNames(t *testing.T) {
	have := map[string]bool{}
	for _, s := range say.Sentences() {
		have[s.Code] = true
	}
	for _, column := range shownColumns {
		assert.True(t, have["column."+column], column)
	}
}

// A change is shownColumns with numbers in the reader's units, names in the place of numbers, and what was done in a
// word.
func TestChangesInWords(t *testing.T) {
	row := &logbook.Run{Timezone: "Europe/Lisbon"}
	called := names{"car_id": {4: "Larch 52"}, "software_id": {}, "stall_id": {}, "adapter_id": {}}
	c := changeRowOf(logbook.Change{Entity: "runs", EntityID: 3,
		Before: logbook.Noted{"ambient_c": 5.0, "car_id": 4.0, "fingerprint": "x"},
		After:  logbook.Noted{"ambient_c": nil, "car_id": 9.0, "fingerprint": "y"}}, row, called, ui.Reader{})
	assert.Equal(t, "run changed", c.What.Kept())
	require.Len(t, c.Values, 2, "what nobody knows is not shownColumns")
	assert.Equal(t, "Larch 52", c.Values[0].Before.Kept())
	assert.Equal(t, "number 9, removed since", c.Values[0].After.Kept())
	assert.Equal(t, "41 °F", c.Values[1].Before.In(units.People{Fahrenheit: true}))
	assert.False(t, c.Values[1].After.Any())

	for want, x := range map[string]logbook.Change{
		"run removed": {Entity: "runs", Before: logbook.Noted{"deleted_at": nil},
			After: logbook.Noted{"deleted_at": "2026"}},
		"run restored": {Entity: "runs", Before: logbook.Noted{"deleted_at": "2026"},
			After: logbook.Noted{"deleted_at": nil}},
		"mark added":    {Entity: "marks", After: logbook.Noted{"t_s": 90.0}},
		"mark removed":  {Entity: "marks", Before: logbook.Noted{"t_s": 90.0}},
		"photo removed": {Entity: "photos", Before: logbook.Noted{}},
		"3 readings put right": {Entity: "corrections",
			After: logbook.Noted{"values": 3.0, "undone": false}},
		"1 correction undone": {Entity: "corrections", After: logbook.Noted{"values": 1.0, "undone": true}},
	} {
		assert.Equal(t, want, changeRowOf(x, row, called, ui.Reader{}).What.Kept())
	}
}
