package live

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
)

// ocpp16 are the published schemas of the messages that are answered here, as the npm package ocpp-rpc (MIT) carries
// them: a test compares the two.
//
//go:embed ocpp16.json
var ocpp16 []byte

// schemas are those of the messages, by their action; made when the first message comes.
var schemas = sync.OnceValues(func() (map[string]*jsonschema.Schema, error) {
	var list []json.RawMessage
	if err := json.Unmarshal(ocpp16, &list); err != nil {
		return nil, fmt.Errorf("the charge-point protocol's schemas: %w", err)
	}
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	var names []string
	for _, raw := range list {
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
		if err != nil {
			return nil, fmt.Errorf("a schema of the charge-point protocol: %w", err)
		}
		m := doc.(map[string]any)
		m["$schema"] = "http://json-schema.org/draft-07/schema#" // the package leaves the # out
		id := m["$id"].(string)
		if err := c.AddResource(id, m); err != nil {
			return nil, fmt.Errorf("%s: %w", id, err)
		}
		names = append(names, id)
	}
	out := map[string]*jsonschema.Schema{}
	for _, id := range names {
		s, err := c.Compile(id)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", id, err)
		}
		out[strings.TrimSuffix(strings.TrimPrefix(id, "urn:"), ".req")] = s
	}
	return out, nil
})

// refusal is why a message is not taken, in the protocol's own words (OCPP-J 1.6, 4.2.3).
type refusal struct {
	code string // one of its error codes
	what string // where it is wrong, and what was expected
}

func (r *refusal) Error() string { return r.code + ": " + r.what }

// Error codes of the protocol, one of them spelt as it is there.
const (
	notImplemented = "NotImplemented"
	malformed      = "FormationViolation"
	wrongValue     = "PropertyConstraintViolation"
	wrongCount     = "OccurenceConstraintViolation"
	wrongType      = "TypeConstraintViolation"
)

// checked holds the payload of a message against the protocol's schema and gives what of it is taken. A value that a
// meter sampled and that does not fit, such as one of a quantity of the maker's own, is left out by itself, as long as
// others are left. It fails with a refusal where the message does not fit.
func checked(action string, payload json.RawMessage) (json.RawMessage, error) {
	all, err := schemas()
	if err != nil {
		return nil, err
	}
	s, known := all[action]
	if !known {
		return nil, &refusal{notImplemented, action + " is not known here"}
	}
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(payload))
	if err != nil {
		return nil, &refusal{malformed, "the payload is no JSON"}
	}
	first := fault(s, doc)
	if first == nil {
		return payload, nil
	}
	if action != "MeterValues" || !withoutOdd(s, doc) || fault(s, doc) != nil {
		return nil, first
	}
	taken, err := json.Marshal(doc)
	if err != nil {
		return nil, first
	}
	return taken, nil
}

// fault says what of a message does not fit; nil: nothing.
func fault(s *jsonschema.Schema, doc any) error {
	var wrong *jsonschema.ValidationError
	switch err := s.Validate(doc); {
	case errors.As(err, &wrong):
		return refusalOf(wrong)
	case err != nil:
		return &refusal{malformed, "the payload cannot be read"}
	}
	return nil
}

// withoutOdd leaves the sampled values out of a message that alone would not fit, and tells whether any are left.
func withoutOdd(s *jsonschema.Schema, doc any) bool {
	message, _ := doc.(map[string]any)
	values, _ := message["meterValue"].([]any)
	left := 0
	for _, v := range values {
		value, _ := v.(map[string]any)
		samples, _ := value["sampledValue"].([]any)
		samples = slices.DeleteFunc(samples, func(sample any) bool {
			return fault(s, map[string]any{"connectorId": 1, "meterValue": []any{map[string]any{
				"timestamp": "2026-01-01T00:00:00Z", "sampledValue": []any{sample}}}}) != nil
		})
		if value != nil {
			value["sampledValue"] = samples
		}
		left += len(samples)
	}
	return left > 0
}

// refusalOf puts the first thing that is wrong into the protocol's words.
func refusalOf(wrong *jsonschema.ValidationError) *refusal {
	for len(wrong.Causes) > 0 {
		wrong = wrong.Causes[0]
	}
	at := "the payload"
	if len(wrong.InstanceLocation) > 0 {
		at = strings.Join(wrong.InstanceLocation, ".")
	}
	switch k := wrong.ErrorKind.(type) {
	case *kind.Type:
		return &refusal{wrongType, fmt.Sprintf("%s: %s, expected %s", at, k.Got, strings.Join(k.Want, " or "))}
	case *kind.Required:
		return &refusal{wrongCount, fmt.Sprintf("%s: %s is missing", at, strings.Join(k.Missing, ", "))}
	case *kind.AdditionalProperties:
		return &refusal{malformed, fmt.Sprintf("%s: %s is not known", at, strings.Join(k.Properties, ", "))}
	case *kind.Enum:
		return &refusal{wrongValue, fmt.Sprintf("%s: %v, expected one of the protocol's words", at, k.Got)}
	case *kind.MaxLength:
		return &refusal{wrongValue, fmt.Sprintf("%s: %d characters, expected at most %d", at, k.Got, k.Want)}
	case *kind.Format:
		return &refusal{wrongValue, fmt.Sprintf("%s: expected a %s", at, k.Want)}
	}
	return &refusal{wrongValue, at + " is not what the protocol says"}
}
