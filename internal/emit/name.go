package emit

import (
	"crypto/sha512"
	"encoding/base32"
	"encoding/base64"
	"path"
	"regexp"
	"strings"

	"rinzel/internal/source"
)

// maxName limits the name of a file without its folder, in bytes. File systems
// allow 255, and the names of maps and compressed forms are longer.
const maxName = 255 - len(".map.br")

// HashedName returns name with a hash of the contents before its extension. A
// name that is too long is truncated.
func HashedName(name string, sum source.Sum) string {
	hash := "." + strings.ToLower(base32.StdEncoding.EncodeToString(sum[:]))[:10]
	dir, base := path.Split(name)
	ext := path.Ext(base)
	stem := strings.TrimSuffix(base, ext)
	if room := max(1, maxName-len(hash)-len(ext)); len(stem) > room {
		stem = strings.ToValidUTF8(stem[:room], "")
	}
	return dir + stem + hash + ext
}

// hashInName matches the hash in the name of a published sheet; see HashedName.
var hashInName = regexp.MustCompile(`\.[a-z2-7]{10}(\.css)$`)

// UnhashedName returns the path of a published sheet without the hash that
// [HashedName] adds.
func UnhashedName(name string) string { return hashInName.ReplaceAllString(name, "$1") }

// PlainName returns the output path of a source file without a hash.
func PlainName(p source.Path) string {
	if p.Root != "" {
		return "_" + p.Root + "/" + p.Name
	}
	return p.Name
}

// Integrity returns the hash of a file in the form of integrity attributes
// (Subresource Integrity, section 3.1).
func Integrity(data []byte) string {
	sum := sha512.Sum384(data)
	return "sha384-" + base64.StdEncoding.EncodeToString(sum[:])
}
