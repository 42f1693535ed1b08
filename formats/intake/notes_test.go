package intake

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A text of notes of which most lines are not understood is answered line by line, each with its reason.
func TestNotesAreAnsweredLineByLine(t *testing.T) {
	_, err := Bytes("notes.txt", []byte("0:00 plug-in\n3:10 12% 118kW\n5:00 118\n6:00 14 lb\n7:00 140%\n"), Choices{})
	require.Error(t, err)
	faults := Refusal("notes.txt", err)
	require.Len(t, faults, 3)
	for i, line := range []int{3, 4, 5} {
		assert.Equal(t, line, faults[i].Line)
	}
	assert.Contains(t, faults[0].Reason, "118 has no unit")

	_, err = Bytes("letter.txt", []byte("Dear workshop,\nthe van is ready.\n"), Choices{})
	require.Error(t, err)
	assert.Contains(t, Refusal("letter.txt", err)[0].Reason, "no charging log", "a letter is no notes")
}
