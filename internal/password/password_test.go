package password

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A password is told by its hash, and nothing else is; the same password twice has two hashes.
func TestHashes(t *testing.T) {
	a, err := Hash("a few words do well")
	require.NoError(t, err)
	b, err := Hash("a few words do well")
	require.NoError(t, err)
	assert.NotEqual(t, a, b)
	assert.True(t, strings.HasPrefix(a, "$argon2id$v=19$m=65536,t=3,p=4$"))
	for _, hash := range []string{a, b} {
		ok, err := Matches(hash, "a few words do well")
		require.NoError(t, err)
		assert.True(t, ok)
		ok, err = Matches(hash, "a few words do wel")
		require.NoError(t, err)
		assert.False(t, ok)
	}
	ok, err := Matches(a, strings.Repeat("x", 1<<20))
	require.NoError(t, err)
	assert.False(t, ok, "a megabyte is not hashed")
}

// What is no hash is said to be none, whatever it asks for in memory.
func TestNoHashes(t *testing.T) {
	for _, h := range []string{"", "secret", "$argon2i$v=19$m=65536,t=3,p=4$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
		"$argon2id$v=18$m=65536,t=3,p=4$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
		"$argon2id$v=19$m=99999999,t=3,p=4$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
		"$argon2id$v=19$m=65536,t=3,p=4$c2FsdHNhbHQ$aGFz", "$argon2id$v=19$m=65536,t=3,p=4$!!$aGFzaGhhc2hoYXNoaGFzaA"} {
		_, err := Matches(h, "x")
		assert.ErrorIs(t, err, ErrHash, h)
	}
	assert.NotEmpty(t, Check("too short"))
	assert.NotEmpty(t, Check(strings.Repeat("long", 60)))
	assert.Empty(t, Check("zehn äöüß!"), "characters, not bytes")
	one, err := Made()
	require.NoError(t, err)
	two, err := Made()
	require.NoError(t, err)
	assert.Len(t, one, 20)
	assert.NotEqual(t, one, two)
	assert.Empty(t, strings.Trim(one, alphabet))
}
