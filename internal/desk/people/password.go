package people

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"
)

// The cost of a hash: argon2id with 19 MiB and two passes, the least that the
// OWASP password storage guidance gives for one lane (from memory).
const (
	argonKiB    = 19 * 1024
	argonPasses = 2
)

// slots bounds how many hashes are computed at a time, so that a storm of
// sign-ins takes 80 MB and not the machine.
var slots = make(chan struct{}, 4)

// HashPassword gives a salted hash in the usual text form.
func HashPassword(password string) string {
	salt := make([]byte, 16)
	rand.Read(salt) // never fails (crypto/rand)
	return encodeHash(salt, password)
}

func encodeHash(salt []byte, password string) string {
	slots <- struct{}{}
	defer func() { <-slots }()
	key := argon2.IDKey([]byte(password), salt, argonPasses, argonKiB, 1, 32)
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=1$%s$%s", argon2.Version, argonKiB, argonPasses, b64.EncodeToString(salt), b64.EncodeToString(key))
}

// PasswordMatches checks a password against a hash of HashPassword's.
func PasswordMatches(hash, password string) bool {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	return subtle.ConstantTimeCompare([]byte(encodeHash(salt, password)), []byte(hash)) == 1
}

// nobody is the hash that unknown logins are checked against; no password has it.
var nobody = encodeHash(make([]byte, 16), "") + "x"
