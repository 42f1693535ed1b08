package buslog_test

import (
	"bytes"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/formats/buslog"
	"zincroad/formats/intake"
)

// What is converted is read like any other log of ours; as it stands it says what it needs.
func TestABusLogIsARecording(t *testing.T) {
	p, err := buslog.NewProfile([]byte("BO_ 289 Pack: 8 BMS\n"+
		" SG_ Soc : 0|8@1+ (0.5,0) [0|100] \"%\" CHG\n SG_ Kw : 8|8@1+ (1,0) [0|250] \"kW\" CHG\n"+
		" SG_ Cell : 16|8@1+ (1,-40) [-40|100] \"degC\" CHG\n"), "Soc soc_pct\nKw power_kw\n")
	require.NoError(t, err)
	var log, out bytes.Buffer
	for i := range 3000 {
		fmt.Fprintf(&log, "(%d.%06d) can0 121#%02X32\n", i/10, i%10*100000, 20+i/20)
	}
	_, err = intake.Bytes("bus.log", log.Bytes(), intake.Choices{})
	assert.ErrorContains(t, err, "a log of a car's bus: drop it on the Desk and choose its car")
	c, err := p.Convert(&out, &log)
	require.NoError(t, err)
	assert.Equal(t, 300, c.Rows, "one a second, of ten frames")
	b, err := intake.Bytes("bus.csv", out.Bytes(), intake.Choices{})
	require.NoError(t, err)
	require.Equal(t, intake.TableKind, b.Kind)
	rec := b.Run.Recordings[0]
	require.Len(t, rec.T, 300)
	assert.Zero(t, rec.T[0])
	assert.InDelta(t, 299, rec.T[299], 1e-9)
}
