// Package profile reads what a car answers to over its diagnostic port: which
// identifiers hold which channels, and how their bytes become numbers. No car is
// built in: testers write profiles themselves, in JSON, by docs/formats.md.
package profile

import (
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"zincroad/core/trace"
	"zincroad/core/units"
)

// Format is the name and version of the open format of a profile.
const Format = "zincroad-profile/1"

// Profile is one car's.
type Profile struct {
	Format   string    `json:"format"`
	Name     string    `json:"name"`
	Channels []Channel `json:"channels"`
}

// Channel says where one quantity is and how to read it. Value = raw × Factor + Offset,
// in Unit.
type Channel struct {
	Channel    trace.Channel `json:"channel"`
	Request    string        `json:"request_id"`  // CAN identifier asked, three hex digits
	Response   string        `json:"response_id"` // CAN identifier that answers
	Identifier string        `json:"identifier"`  // of ReadDataByIdentifier, four hex digits
	Start      int           `json:"start"`       // first byte of the value within the answer's data
	Length     int           `json:"length"`      // in bytes, 1 to 4
	Order      string        `json:"order"`       // big (default) or little
	Signed     bool          `json:"signed"`
	Factor     float64       `json:"factor"` // 0: 1
	Offset     float64       `json:"offset"`
	Unit       string        `json:"unit"`    // empty: the channel's own
	EveryS     float64       `json:"every_s"` // 0: 1
}

//go:embed example.json
var example []byte

// Example is a profile to begin from; the stand-in answers to it.
func Example() []byte { return example }

// Parse reads a profile. The error names every fault, one a line.
func Parse(content []byte) (*Profile, error) {
	var p Profile
	d := json.NewDecoder(strings.NewReader(string(content)))
	d.DisallowUnknownFields()
	if err := d.Decode(&p); err != nil {
		return nil, fmt.Errorf("the profile is no JSON of the expected keys: %w", err)
	}
	if p.Format != Format {
		return nil, fmt.Errorf("the profile's format is %q, expected %q", p.Format, Format)
	}
	var faults []error
	for i := range p.Channels {
		c := &p.Channels[i]
		if err := c.check(); err != nil {
			faults = append(faults, fmt.Errorf("channel %d (%s): %w", i+1, c.Channel, err))
		}
	}
	if len(p.Channels) == 0 {
		faults = append(faults, errors.New("the profile has no channels"))
	}
	return &p, errors.Join(faults...)
}

// check settles defaults and says what is wrong.
func (c *Channel) check() error {
	in, ok := trace.Describe(c.Channel)
	if !ok {
		return fmt.Errorf("%q is no channel; see the CSV headers in docs/formats.md", c.Channel)
	}
	for _, x := range []struct {
		name, value string
		digits      int
	}{{"request_id", c.Request, 3}, {"response_id", c.Response, 3}, {"identifier", c.Identifier, 4}} {
		if _, err := strconv.ParseUint(x.value, 16, 32); err != nil || len(x.value) != x.digits {
			return fmt.Errorf("%s is %q, expected %d hexadecimal digits", x.name, x.value, x.digits)
		}
	}
	if c.Length < 1 || c.Length > 4 {
		return fmt.Errorf("length is %d, expected 1 to 4 bytes", c.Length)
	}
	if c.Start < 0 || c.Start > 4000 {
		return fmt.Errorf("start is %d, expected 0 to 4000", c.Start)
	}
	if c.Order == "" {
		c.Order = "big"
	}
	if c.Order != "big" && c.Order != "little" {
		return fmt.Errorf("order is %q, expected big or little", c.Order)
	}
	if c.Factor == 0 {
		c.Factor = 1
	}
	if c.EveryS == 0 {
		c.EveryS = 1
	}
	if c.EveryS < 0.05 || c.EveryS > 3600 {
		return fmt.Errorf("every_s is %g, expected 0.05 to 3600", c.EveryS)
	}
	if c.Unit == "" {
		c.Unit = in.Units[0].Name
	}
	if _, ok := units.Find(in.Units, c.Unit); !ok {
		return fmt.Errorf("unit is %q, expected one of the channel's, such as %s", c.Unit, in.Units[0].Name)
	}
	return nil
}

// Read gives the channel's value from an answer's data, in the channel's own unit;
// false where the answer is too short or says something no car can mean.
func (c *Channel) Read(data []byte) (float64, bool) {
	if c.Start+c.Length > len(data) {
		return 0, false
	}
	raw := int64(0)
	for i := range c.Length {
		at := c.Start + i
		if c.Order == "little" {
			at = c.Start + c.Length - 1 - i
		}
		raw = raw<<8 | int64(data[at])
	}
	if c.Signed && raw >= 1<<(8*c.Length-1) {
		raw -= 1 << (8 * c.Length)
	}
	in, _ := trace.Describe(c.Channel)
	u, _ := units.Find(in.Units, c.Unit)
	v := u.Convert(float64(raw)*c.Factor + c.Offset)
	return v, v >= in.Min && v <= in.Max
}

// Write puts a value in the channel's own unit into an answer's data, rounded to
// what the bytes can hold; what does not fit is the nearest that does.
func (c *Channel) Write(data []byte, v float64) {
	in, _ := trace.Describe(c.Channel)
	u, _ := units.Find(in.Units, c.Unit)
	raw := int64(math.Round(((v/u.Factor - u.Shift) - c.Offset) / c.Factor))
	low, high := int64(0), int64(1)<<(8*c.Length)-1
	if c.Signed {
		low, high = -(high+1)/2, high/2
	}
	raw = max(low, min(high, raw))
	for i := range c.Length {
		at := c.Start + c.Length - 1 - i
		if c.Order == "little" {
			at = c.Start + i
		}
		data[at] = byte(raw >> (8 * i))
	}
}
