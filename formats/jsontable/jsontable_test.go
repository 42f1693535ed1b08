package jsontable_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/formats/jsontable"
)

func TestTablesOfEveryShape(t *testing.T) {
	for _, tt := range []struct{ name, in, want string }{
		{"a list of objects, in the order of their keys", `[{"t":0,"soc":10.5},{"t":10,"soc":11}]`, "t,soc\n0,10.5\n10,11\n"},
		{"a key that comes later, null and nothing", `[{"t":0},{"t":1,"kW":null},{"t":2,"kW":5}]`, "t,kW\n0,\n1,\n2,5\n"},
		{"an object a line, blank ones between", "{\"t\":0,\"a\":1}\n\n{\"t\":1,\"a\":2}\n", "t,a\n0,1\n1,2\n"},
		{"objects inside objects", `[{"t":0,"battery":{"soc":10,"cell":{"min":3}}}]`,
			"t,battery.soc,battery.cell.min\n0,10,3\n"},
		{"the longest list inside an object", `{"a":[{"x":1}],"b":{"rows":[{"t":0},{"t":1}]}}`, "t\n0\n1\n"},
		{"an object of lists", `{"soc":[10,11],"at":[0,5,10]}`, "at,soc\n0,10\n5,11\n10,\n"},
		{"numbers keep every digit", `[{"t":1770142800123,"v":0.1000000001}]`, "t,v\n1770142800123,0.1000000001\n"},
		{"commas, quotes and true", `[{"t":0,"note":"a, \"b\"","on":true}]`, "t,note,on\n0,\"a, \"\"b\"\"\",true\n"},
		{"a byte-order mark", "\ufeff[{\"t\":0}]", "t\n0\n"},
		{"lists inside a row are left out", `[{"t":0,"cells":[3.6,3.7],"soc":1}]`, "t,cells,soc\n0,,1\n"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			require.True(t, jsontable.Looks([]byte(tt.in)))
			got, err := jsontable.CSV(strings.NewReader(tt.in), "x.json")
			require.NoError(t, err)
			assert.Equal(t, tt.want, string(got.CSV))
			assert.Empty(t, got.Bad)
		})
	}
}

func TestALineThatIsNoObjectIsTold(t *testing.T) {
	got, err := jsontable.CSV(strings.NewReader("{\"t\":0}\nnonsense\n{\"t\":1}\n{\"t\":"), "x.jsonl")
	require.NoError(t, err)
	assert.Equal(t, "t\n0\n1\n", string(got.CSV))
	assert.Equal(t, []int{2, 4}, got.Bad)
}

func TestWhatIsNoTable(t *testing.T) {
	for _, in := range []string{`[]`, `[1,2,3]`, `{"a":1}`, `{}`, `[[[[`, `[{"t":0},`} {
		_, err := jsontable.CSV(strings.NewReader(in), "x.json")
		require.Error(t, err, in)
		assert.True(t, strings.HasPrefix(err.Error(), "x.json is no charging log"), err.Error())
	}
	for _, in := range []string{"", "t,soc\n0,1\n", "{", "[abc", "12", "Dear workshop"} {
		assert.False(t, jsontable.Looks([]byte(in)), in)
	}
	many := "[{" + strings.Repeat(`"k":1,`, 3) + `"z":1`
	for i := range 2100 {
		many += `,"c` + strings.Repeat("x", i%7) + string(rune('a'+i%26)) + strings.Repeat("y", i/26) + `":1`
	}
	_, err := jsontable.CSV(strings.NewReader(many+"}]"), "x.json")
	assert.ErrorContains(t, err, "more than 2000 different names")
}
