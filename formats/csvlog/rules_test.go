package csvlog

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/trace"
)

// Every channel with header words has its place in the order in which they are tried.
func TestHeaderWordsAreTried(t *testing.T) {
	for _, in := range trace.Channels {
		tried := slices.ContainsFunc(rules, func(r rule) bool { return r.channel == in.Channel })
		assert.Equal(t, in.Header != "", tried, in.Channel)
	}
}
