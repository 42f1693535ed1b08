package runfolder

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
)

// A run folder describes its tables as a Tabular Data Package, by the schema that Frictionless Data publishes: the
// profile of its JavaScript library (npm datapackage 1.1.10, MIT), here without its prose.
func TestDataPackageIsOneByThePublishedSchema(t *testing.T) {
	r := &run.Run{Title: "Cold, at \"Fulling Mill\"", Recordings: []*trace.Recording{
		{Name: "car.csv", Side: trace.CarSide}, {Name: "stall.csv", Side: trace.StallSide},
		{Name: "gone.csv", Side: trace.StallSide}}}
	part := func(name, text string) Part {
		return Part{name, func(w io.Writer) error {
			for _, b := range []byte(text) { // in the smallest pieces
				if _, err := w.Write([]byte{b}); err != nil {
					return err
				}
			}
			return nil
		}}
	}
	var b bytes.Buffer
	require.NoError(t, WriteZip(&b, r, nil, nil, []Part{
		part("car.csv", "\ufeff# a note\r\nt_s,soc_pct,battery_temp_min_c,fan\r\n0,10,4,1\r\n"),
		part("stall.csv", "time,power_kw\n2026-02-03T20:00:00Z,50\n"), part("gone.csv", "")}, time.Unix(0, 0)))
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	f, err := z.Open(DataPackageName)
	require.NoError(t, err)
	text, err := io.ReadAll(f)
	require.NoError(t, err)

	published, err := jsonschema.NewCompiler().Compile("testdata/tabular-data-package.json")
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	require.NoError(t, published.Validate(doc))
	wrong := bytes.ReplaceAll(text, []byte(`"fields"`), []byte(`"columns"`))
	broken, err := jsonschema.UnmarshalJSON(bytes.NewReader(wrong))
	require.NoError(t, err)
	assert.Error(t, published.Validate(broken), "the schema can refuse")

	var p dataPackage
	require.NoError(t, json.Unmarshal(text, &p))
	require.Len(t, p.Resources, 2)
	assert.Equal(t, []field{{"t_s", "number", "time since the run's start", "s"},
		{"soc_pct", "number", "state of charge", "%"},
		{"battery_temp_min_c", "number", "battery temperature, coldest cell", "°C"}, {"fan", "any", "", ""}},
		p.Resources[0].Schema.Fields)
	assert.Equal(t, "datetime", p.Resources[1].Schema.Fields[0].Type)
	assert.Equal(t, "kW", p.Resources[1].Schema.Fields[1].Unit)
}
