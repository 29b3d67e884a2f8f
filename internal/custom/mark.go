package custom

import (
	"crypto/rand"
	"encoding/hex"
)

// newMark returns an environment variable that identifies a program and its
// children.
func newMark() string {
	var id [8]byte
	_, _ = rand.Read(id[:])
	return "RINZEL_RUN=" + hex.EncodeToString(id[:])
}
