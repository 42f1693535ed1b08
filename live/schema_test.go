package live

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/internal/fuzzed"
)

// The schemas are the published ones, as the npm package ocpp-rpc carries them, and each message that is answered
// has one.
func TestSchemasAreThePublishedOnes(t *testing.T) {
	text, err := os.ReadFile("../node_modules/ocpp-rpc/lib/schemas/ocpp1_6.json")
	require.NoError(t, err, "npm ci brings them")
	var published, own []map[string]any
	require.NoError(t, json.Unmarshal(text, &published))
	require.NoError(t, json.Unmarshal(ocpp16, &own))
	byID := map[any]map[string]any{}
	for _, s := range published {
		byID[s["$id"]] = s
	}
	for _, s := range own {
		assert.Equal(t, byID[s["$id"]], s)
	}
	all, err := schemas()
	require.NoError(t, err)
	for action := range actions {
		assert.Contains(t, all, action)
	}
	assert.Len(t, actions, len(own))
}

// Each kind of fault is refused with the protocol's own word for it (OCPP-J 1.6, table of error codes), and says where.
func TestMessagesAreHeldAgainstTheProtocol(t *testing.T) {
	const sample = `{"connectorId":1,"meterValue":[{"timestamp":"2026-02-03T18:20:00Z","sampledValue":[%]}]}`
	metered := func(values string) string { return strings.Replace(sample, "%", values, 1) }
	for _, k := range []struct{ action, payload, code, where string }{
		{"Reset", `{"type":"Hard"}`, "NotImplemented", "Reset"},
		{"Heartbeat", `{`, "FormationViolation", "no JSON"},
		{"Heartbeat", `[]`, "TypeConstraintViolation", "array, expected object"},
		{"Heartbeat", `{"at":1}`, "FormationViolation", "at is not known"},
		{"Authorize", `{}`, "OccurenceConstraintViolation", "idTag is missing"},
		{"Authorize", `{"idTag":17}`, "TypeConstraintViolation", "idTag: number, expected string"},
		{"Authorize", `{"idTag":"123456789012345678901"}`,
			"PropertyConstraintViolation", "21 characters, expected at most 20"},
		{"StatusNotification", `{"connectorId":1,"errorCode":"NoError","status":"Asleep"}`,
			"PropertyConstraintViolation", "Asleep"},
		{"StatusNotification", `{"connectorId":1.5,"errorCode":"NoError","status":"Available"}`,
			"TypeConstraintViolation", "connectorId"},
		{"StopTransaction", `{"transactionId":1,"meterStop":2,"timestamp":"yesterday"}`,
			"PropertyConstraintViolation", "date-time"},
		{"MeterValues", metered(`{"value":17}`), "TypeConstraintViolation", "meterValue.0.sampledValue.0.value"},
		{"MeterValues", metered(`{"value":"1","unit":"horsepower"}`), "PropertyConstraintViolation", "horsepower"},
	} {
		_, err := checked(k.action, json.RawMessage(k.payload))
		require.Error(t, err, k.payload)
		assert.Contains(t, err.Error(), k.code, k.payload)
		assert.Contains(t, err.Error(), k.where, k.payload)
	}
	good := metered(`{"value":"61.5","measurand":"SoC","unit":"Percent"}`)
	taken, err := checked("MeterValues", json.RawMessage(good))
	require.NoError(t, err)
	assert.Equal(t, good, string(taken), "as it came")
	// A value that the protocol does not know spoils only itself.
	taken, err = checked("MeterValues", json.RawMessage(metered(
		`{"value":"7","measurand":"Fan.Speed"},{"value":"61.5","measurand":"SoC","unit":"Percent"},{"value":3}`)))
	require.NoError(t, err)
	assert.JSONEq(t, good, string(taken))
}

// Whatever a charge point sends, it is a call or it is refused; nothing falls.
func FuzzCallOf(f *testing.F) {
	for _, text := range []string{`[2,"1","Heartbeat",{}]`, `[2,"1","Reset",{}]`, `[3,"1",{}]`, `[]`, `{}`, `[2,1,2,3]`,
		`[2,"1","BootNotification",{"chargePointVendor":"Wend","chargePointModel":"Mill"}]`,
		`[2,"1","StartTransaction",{"connectorId":1,"idTag":"A","meterStart":5,"timestamp":"2026-02-03T18:20:00Z"}]`,
		`[2,"1","MeterValues",{"connectorId":1,"meterValue":[{"timestamp":"2026-02-03T18:20:00Z",` +
			`"sampledValue":[{"value":"1e9","unit":"W"},{"value":null}]}]}]`} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, message []byte) {
		defer fuzzed.Watch(t)()
		c, err := callOf(message)
		if err != nil {
			require.ErrorAs(t, err, new(*refusal))
			return
		}
		require.Contains(t, actions, c.action)
		if c.action == "MeterValues" {
			var m meterValues
			require.NoError(t, json.Unmarshal(c.payload, &m), "what fits the schema can be read")
			for _, v := range m.MeterValue {
				v.Channels()
			}
		}
	})
}

// Frames in any order and of any length come to a message or to an error; a message is as long as its first frame said.
func FuzzAssembly(f *testing.F) {
	f.Add([]byte{0x03, 0x41, 0x0c, 0x10}, byte(4))
	f.Add([]byte{0x10, 0x0a, 1, 2, 3, 4, 5, 6, 0x21, 7, 8, 9, 10, 0, 0, 0}, byte(8))
	f.Fuzz(func(t *testing.T, frames []byte, size byte) {
		defer fuzzed.Watch(t)()
		var a assembly
		for n := int(size%8) + 1; len(frames) > 0; frames = frames[min(n, len(frames)):] {
			whole, err := a.add(frames[:min(n, len(frames))])
			if err == nil && whole != nil {
				require.LessOrEqual(t, len(whole), 4095, "ISO 15765-2: twelve bits of length")
			}
		}
	})
}
