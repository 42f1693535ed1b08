package stall

import (
	"fmt"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"zincroad/web/ui"
)

// Something was typed 174 s ago, 60 s after the program was heard last; meanwhile the device's clock was set.
func TestWhenSomethingWasTyped(t *testing.T) {
	now := time.Date(2026, 3, 1, 20, 0, 0, 0, time.UTC)
	const typedAgo, heardAgo = 174.0, 234.0
	for name, c := range map[string]struct {
		setBy, slept float64
		without      []string
		want         float64
		says         string
	}{
		"nobody set it":                  {0, 0, nil, typedAgo, ""},
		"nobody set it, the phone slept": {0, 120, nil, typedAgo, ""},
		"set back by an hour":            {-3600, 0, nil, typedAgo, "set back by 60 min"},
		"set ahead by three minutes":     {180, 0, nil, typedAgo, "set ahead by 3 min"},
		"set back, and it slept":         {-3600, 100, nil, typedAgo - 100, "up to 1 min 40 s too late"},
		"set back, page opened again":    {-3600, 0, []string{"timer_ms", "since_timer_ms"}, 0, "put its time right"},
		"set ahead, page opened again":   {3600, 0, []string{"timer_ms", "since_timer_ms"}, heardAgo, "put its time right"},
		"never heard before, set back":   {-3600, 0, []string{"seen_ms", "since_ms"}, 0, ""},
		"two days in a cellar":           {0, 0, []string{"seen_ms"}, typedAgo, ""},
	} {
		ms := func(s float64) []string { return []string{fmt.Sprint(s * 1000)} }
		v := url.Values{"ago_ms": ms(typedAgo + c.setBy), "since_ms": ms(heardAgo + c.setBy),
			"timer_ms": ms(typedAgo - c.slept), "since_timer_ms": ms(heardAgo - c.slept),
			"seen_ms": {fmt.Sprint(now.Add(-heardAgo * time.Second).UnixMilli())}}
		for _, w := range c.without {
			v.Del(w)
		}
		ago, said := whenSent(ui.NewFields(v), now)
		assert.InDelta(t, c.want, ago.Seconds(), 0.01, name)
		if c.says == "" {
			assert.Empty(t, said, name)
		} else {
			assert.Contains(t, said, c.says, name)
		}
	}
	ago, _ := whenSent(ui.NewFields(url.Values{"ago_ms": {fmt.Sprint(40 * 3600 * 1000)}}), now)
	assert.Equal(t, 40*time.Hour, ago, "however late it comes, it is placed")
}
