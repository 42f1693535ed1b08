package say

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"

	"zincroad/core/units"
)

// WriteJSON writes a value as indented JSON with a sentence in the place of each text: for whoever reads it without the
// table of codes. The open formats have sentences in °C and km.
func WriteJSON(w io.Writer, v any, in units.People) error {
	data, err := marshalled(v)
	if err != nil {
		return err
	}
	if data, err = Plain(data, in); err != nil {
		return err
	}
	var out bytes.Buffer
	if err := json.Indent(&out, data, "", "  "); err != nil {
		return fmt.Errorf("indenting: %w", err)
	}
	_, err = out.WriteTo(w)
	return err
}

// Plain puts sentences in the place of texts in JSON.
func Plain(data []byte, in units.People) ([]byte, error) {
	var out bytes.Buffer
	for {
		at := bytes.Index(data, []byte("["+opening))
		if at < 0 {
			out.Write(data)
			return out.Bytes(), nil
		}
		out.Write(data[:at])
		data = data[at:]
		d := json.NewDecoder(bytes.NewReader(data))
		var t Text
		if err := d.Decode(&t); err != nil {
			return nil, fmt.Errorf("putting texts into words: %w", err)
		}
		text, err := marshalled(t.In(in))
		if err != nil {
			return nil, err
		}
		out.Write(bytes.TrimSpace(text))
		data = data[d.InputOffset():]
	}
}

// marshalled is a value as JSON, with <, > and & as they are.
func marshalled(v any) ([]byte, error) {
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(v); err != nil {
		return nil, fmt.Errorf("writing JSON: %w", err)
	}
	return out.Bytes(), nil
}
