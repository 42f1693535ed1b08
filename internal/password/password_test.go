package password

import (
	"context"
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
		ok, err := Matches(t.Context(), hash, "a few words do well")
		require.NoError(t, err)
		assert.True(t, ok)
		ok, err = Matches(t.Context(), hash, "a few words do wel")
		require.NoError(t, err)
		assert.False(t, ok)
	}
	ok, err := Matches(t.Context(), a, strings.Repeat("x", 1<<20))
	require.NoError(t, err)
	assert.False(t, ok, "a megabyte is not hashed")
}

// What is no hash is said to be none, whatever it asks for in memory.
func TestNoHashes(t *testing.T) {
	for _, h := range []string{"", "secret", "$argon2i$v=19$m=65536,t=3,p=4$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
		"$argon2id$v=18$m=65536,t=3,p=4$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
		"$argon2id$v=19$m=99999999,t=3,p=4$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
		"$argon2id$v=19$m=65536,t=3,p=4$c2FsdHNhbHQ$aGFz", "$argon2id$v=19$m=65536,t=3,p=4$!!$aGFzaGhhc2hoYXNoaGFzaA"} {
		_, err := Matches(t.Context(), h, "x")
		assert.ErrorIs(t, err, ErrHash, h)
	}
	assert.NotEmpty(t, Check("too short"))
	assert.NotEmpty(t, Check(strings.Repeat("long", 60)))
	assert.Empty(t, Check("zwölf äöüß!?"), "characters, not bytes")
	one, err := Made()
	require.NoError(t, err)
	two, err := Made()
	require.NoError(t, err)
	assert.Len(t, one, 20)
	assert.NotEqual(t, one, two)
	assert.Empty(t, strings.Trim(one, alphabet))
}

// One password, typed on two kinds of keyboard: an e with an acute, and an e and an acute (RFC 8265, 4.2.2: NFC).
func TestKeyboardsDiffer(t *testing.T) {
	hash, err := Hash("caf\u00e9 by the quarry")
	require.NoError(t, err)
	right, err := Matches(t.Context(), hash, "cafe\u0301 by the quarry")
	require.NoError(t, err)
	require.True(t, right)
}

// Who waits for a turn and goes away is not worked for.
func TestNobodyIsWorkedForWhoWentAway(t *testing.T) {
	hash, err := Hash("a few words do well")
	require.NoError(t, err)
	require.NoError(t, turns.Acquire(t.Context(), 2))
	defer turns.Release(2)
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = Matches(gone, hash, "a few words do well")
	require.ErrorIs(t, err, context.Canceled)
}

// What is typed with a name that nobody has is held against a hash of the same work as a person's, and never matches.
func TestNobodysPasswordTakesAsLong(t *testing.T) {
	made, err := Hash("a few words do well")
	require.NoError(t, err)
	work := func(hash string) []string { return strings.Split(hash, "$")[:4] }
	assert.Equal(t, work(made), work(Nobodys))
	assert.Equal(t, len(made), len(Nobodys))
	for _, p := range []string{"", "a few words do well", strings.Repeat("\x00", 32)} {
		right, err := Matches(context.Background(), Nobodys, p)
		require.NoError(t, err)
		assert.False(t, right)
	}
}

// The commonest passwords are refused, alone, in a row, turned and with the person's own name; words that do not belong
// together are not, and nothing is asked of what they are made of.
func TestTheCommonestPasswordsAreRefused(t *testing.T) {
	for _, p := range []string{"password1234", "qwertyuiop12", "123456789012", "aaaaaaaaaaaa", "iloveyou1234",
		"Passw0rd!!!!", "zincroad2026", "adawend19901", "passwordpassword"} {
		assert.Contains(t, CheckFor(p, "Ada Wend"), "among the first that are tried", p)
	}
	for _, p := range []string{"five zinc cones hum", "correct horse battery staple", "ÄÖÜ mühlen rauschen laut",
		strings.Repeat("long and longer ", 12)} {
		assert.Empty(t, CheckFor(p, "Ada Wend"), p)
	}
	assert.NotEmpty(t, CheckFor("short", "Ada"))
}
