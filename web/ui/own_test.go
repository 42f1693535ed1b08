package ui

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/units"
	"zincroad/logbook"
)

// A title, a note and what stands in fields stay as they were written; the page's own figures are converted.
func TestWhatATesterWroteIsNotConverted(t *testing.T) {
	us := units.People{Fahrenheit: true, Miles: true}
	row := &logbook.Run{Title: "Night run at 5 °C, 300 km drive", Marks: []logbook.Mark{{Note: "driven 1,200 km & back"}}}
	page := `<h1>Night run at 5 °C, 300 km drive</h1><p>20 °C outside, 100 km</p><p>driven 1,200 km &amp; back</p>` +
		`<input name="title" value="Night run at 5 °C, 300 km drive" /><textarea name="note">at 7 °C</textarea>` +
		`<input data-unit="°C" name="outside" value="20" /><input name="outside__unit" value="°C" />`
	got := string(LocalisedBut([]byte(page), us, ownTexts(row)))
	assert.Equal(t,
		`<h1>Night run at 5 °C, 300 km drive</h1><p>68 °F outside, 62 mi</p><p>driven 1,200 km &amp; back</p>`+
			`<input name="title" value="Night run at 5 °C, 300 km drive" /><textarea name="note">at 7 °C</textarea>`+
			`<input data-unit="°C" name="outside" value="68" /><input name="outside__unit" value="°F" />`, got)
	assert.Equal(t, page, string(LocalisedBut([]byte(page), units.People{}, ownTexts(row))))
}

// A thousands mark is no decimal one.
func TestThousandsAreThousands(t *testing.T) {
	assert.Equal(t, "746 mi", string(LocalisedText([]byte("1,200 km"), units.People{Miles: true})))
}
