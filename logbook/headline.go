package logbook

import (
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"

	"zincroad/core/say"
)

// Headline is what a run says first: the whole finding, and of it what held the run.
type Headline struct {
	Text  say.Text `json:"text"`
	Story say.Text `json:"story"`
}

// mostHeadlines is how many that were read are remembered: the list reads the same ones again and again, and reading
// them was a third of its work. They are not to be changed.
const mostHeadlines = 4000

var headlines, _ = lru.New[string, Headline](mostHeadlines) // it fails for a size of none

// Value stores a headline as JSON.
func (h Headline) Value() (driver.Value, error) {
	text, err := json.Marshal(h)
	return string(text), err
}

// Scan reads one back; of a run that was not worked out yet it says nothing.
func (h *Headline) Scan(kept any) error {
	*h = Headline{}
	text, ok := kept.(string)
	if !ok {
		return errors.New("a headline that is no text")
	}
	if text == "" {
		return nil
	}
	if kept, ok := headlines.Get(text); ok {
		*h = kept
		return nil
	}
	if err := json.Unmarshal([]byte(text), h); err != nil {
		return fmt.Errorf("reading a headline: %w", err)
	}
	headlines.Add(text, *h)
	return nil
}
