package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Whatever a finding speaks of can be asked how it is worked out.
func TestEveryKindOfFindingIsExplained(t *testing.T) {
	for _, kind := range []string{AboutWindow, AboutPeak, AboutRamp, AboutEnergy, AboutGap, AboutScreen, AboutClock,
		AboutDrive,
		AboutImplausible, AboutBreach} {
		_, ok := Figures.Find(kind)
		assert.True(t, ok, kind)
	}
}
