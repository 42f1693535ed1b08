// Package password makes hashes of passwords and holds passwords against them: argon2id with the parameters
// that RFC 9106 (section 4) gives as its second choice, written as the usual string.
package password

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"math/big"
	"strings"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"
)

// RFC 9106's second recommendation: 64 MiB, three passes, four lanes, a tag of 256 bits, a salt of 128.
const (
	memoryKiB = 64 << 10
	passes    = 3
	lanes     = 4
	tagBytes  = 32
	saltBytes = 16
)

// Shortest and longest password in characters: long enough not to be tried out, short enough to be hashed.
const (
	Shortest = 10
	Longest  = 200
)

// ErrHash is what a string that is no hash of this package comes to.
var ErrHash = errors.New("no argon2id hash")

// Check says in a sentence what is wrong with a new password; empty: nothing.
func Check(p string) string {
	switch n := utf8.RuneCountInString(p); {
	case n < Shortest:
		return fmt.Sprintf("A password has at least %d characters; a few words do well.", Shortest)
	case n > Longest:
		return fmt.Sprintf("A password has at most %d characters.", Longest)
	}
	return ""
}

// Hash makes a hash with a salt of its own.
func Hash(p string) (string, error) {
	salt := make([]byte, saltBytes)
	if _, err := rand.Read(salt); err != nil {
		return "", fmt.Errorf("a salt: %w", err)
	}
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memoryKiB, passes, lanes,
		b64.EncodeToString(salt), b64.EncodeToString(argon2.IDKey([]byte(p), salt, passes, memoryKiB, lanes, tagBytes))), nil
}

// Matches tells whether a password is that of a hash; one that is longer than any is never. It takes as long
// for a wrong one as for the right one.
func Matches(hash, p string) (bool, error) {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[0] != "" || parts[1] != "argon2id" {
		return false, ErrHash
	}
	var version, memory, time, threads int
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false, ErrHash
	}
	_, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &threads)
	sane := memory > 0 && memory <= 1<<20 && time > 0 && time <= 20 && threads > 0 && threads <= 64
	if err != nil || !sane {
		return false, ErrHash
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	tag, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(tag) < 16 {
		return false, ErrHash
	}
	if utf8.RuneCountInString(p) > Longest {
		return false, nil
	}
	got := argon2.IDKey([]byte(p), salt, uint32(time), uint32(memory), uint8(threads), uint32(len(tag)))
	return subtle.ConstantTimeCompare(got, tag) == 1, nil
}

// alphabet leaves out what is taken for something else when it is read off a screen.
const alphabet = "abcdefghijkmnpqrstuvwxyz23456789"

// Made makes a password of 100 bits that a machine is given.
func Made() (string, error) {
	var b strings.Builder
	for range 20 {
		i, err := rand.Int(rand.Reader, big.NewInt(int64(len(alphabet))))
		if err != nil {
			return "", fmt.Errorf("a password: %w", err)
		}
		b.WriteByte(alphabet[i.Int64()])
	}
	return b.String(), nil
}
