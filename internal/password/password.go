// Package password makes hashes of passwords and holds passwords against them: argon2id with the parameters
// that RFC 9106 (section 4) gives as its second choice, written as the usual string.
package password

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"math/big"
	"strings"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/argon2"
	"golang.org/x/sync/semaphore"
	"golang.org/x/text/secure/precis"
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
	Shortest = 12
	Longest  = 200
)

// TriesAMinute is how many tries one address has within a minute, with one name: a person mistypes, a program tries
// out.
const TriesAMinute = 6

// turns bounds the work: a hash takes memoryKiB and all lanes for a tenth of a second, whoever asks for it, and however
// many do at once.
var turns = semaphore.NewWeighted(2)

// worked is the tag of a password that a turn was waited for.
func worked(ctx context.Context, p string, salt []byte, passes, memory uint32, lanes uint8, length uint32,
) ([]byte, error) {
	if err := turns.Acquire(ctx, 1); err != nil {
		return nil, fmt.Errorf("waiting for a turn: %w", err)
	}
	defer turns.Release(1)
	return argon2.IDKey([]byte(same(p)), salt, passes, memory, lanes, length), nil
}

// same gives a password the one form that all keyboards' ways of writing it come to (RFC 8265, 4.2: OpaqueString); one
// that has none stays as it is.
func same(p string) string {
	if out, err := precis.OpaqueString.String(p); err == nil {
		return out
	}
	return p
}

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
	tag, err := worked(context.Background(), p, salt, passes, memoryKiB, lanes, tagBytes)
	if err != nil {
		return "", err
	}
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memoryKiB, passes, lanes,
		b64.EncodeToString(salt), b64.EncodeToString(tag)), nil
}

// Matches tells whether a password is that of a hash; one that is longer than any is never. It takes as long
// for a wrong one as for the right one. It waits for a turn, and fails when the context ends before.
func Matches(ctx context.Context, hash, p string) (bool, error) {
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
	got, err := worked(ctx, p, salt, uint32(time), uint32(memory), uint8(threads), uint32(len(tag)))
	if err != nil {
		return false, err
	}
	return subtle.ConstantTimeCompare(got, tag) == 1, nil
}

// Nobodys is the hash of no password, as slow as one that Hash makes: what is typed with a name that nobody has is held
// against it, so that the answer takes as long.
const Nobodys = "$argon2id$v=19$m=65536,t=3,p=4$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// fewGuesses is how many guesses a password is to be worth: as many as can be tried at a door that is not watched
// (Wheeler, zxcvbn, USENIX Security 2016, section 2: 10^6).
const fewGuesses = 1e6

// weighed is how many characters are weighed: what is longer has been worth enough by then.
const weighed = 64

// CheckFor says in a sentence what is wrong with somebody's new password: its length, or that it is one of the
// commonest, alone, in a row or with their name; empty: nothing.
func CheckFor(p, name string) string {
	if fault := Check(p); fault != "" {
		return fault
	}
	short := []rune(same(p))
	short = short[:min(len(short), weighed)]
	own := strings.Fields(strings.ToLower(name))
	own = append(own, strings.Join(own, ""), "zinc", "road", "zincroad", "charging", "charger")
	if zxcvbn.PasswordStrength(string(short), own).Guesses < fewGuesses {
		return "This password is among the first that are tried. A few words that do not belong together do well."
	}
	return ""
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
