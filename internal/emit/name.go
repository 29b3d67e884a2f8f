package emit

import (
	"crypto/sha512"
	"encoding/base32"
	"encoding/base64"
	"path"
	"strings"

	"rinzel/internal/source"
)

// maxName is how many bytes the name of a file may have, without its folder. File systems take 255, and names of maps and of
// compressed forms are made by adding to it.
const maxName = 255 - len(".map.br")

// HashedName returns name with a hash of the content before its extension. A name that would be too long for a file is cut.
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

// PlainName returns where a source file is copied to if its name has no hash.
func PlainName(p source.Path) string {
	if p.Root != "" {
		return "_" + p.Root + "/" + p.Name
	}
	return p.Name
}

// Integrity returns the hash by which a page names a file that it loads (Subresource Integrity, section 3.1).
func Integrity(data []byte) string {
	sum := sha512.Sum384(data)
	return "sha384-" + base64.StdEncoding.EncodeToString(sum[:])
}
