// Package graph finds the pages of a site and what they reach: style sheets,
// scripts and assets.
package graph

import (
	"net/url"
	"path"
	"strings"

	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Target is what an address in a page or sheet leads to.
type Target struct {
	Kind TargetKind
	Path source.Path // of a local file; it need not exist
	Tail string      // query and fragment of a local address, with ? and #
	Root string      // of NoRoot: the name that is no root's
}

// TargetKind tells the kinds of targets apart.
type TargetKind uint8

const (
	// External is an address with a scheme or host, which is left as it is.
	External TargetKind = iota
	// Within is a fragment of the same document, or an empty address.
	Within
	// Local is a file in the source folder or under a root.
	Local
	// Outside is a path that leads out of its folder.
	Outside
	// NoRoot is an address whose part before the colon names no root.
	NoRoot
)

// Resolve returns what an address that stands in the file at from leads to.
// base is the URL path under which the source folder is published.
func Resolve(files source.Reader, from source.Path, base, address string) Target {
	address = asURL(address)
	if address == "" || address[0] == '#' {
		return Target{Kind: Within}
	}
	if strings.HasPrefix(address, "//") {
		return Target{Kind: External}
	}
	if name, rest, ok := strings.Cut(address, ":"); ok && !strings.ContainsAny(name, "/?#") {
		switch {
		case name == project.PackageRoot && files.HasRoot(name):
			return packaged(files, rest)
		case files.HasRoot(name):
			return local(source.Path{Root: name}, rest)
		case project.IsScheme(name) || strings.HasPrefix(rest, "//"):
			return Target{Kind: External}
		}
		return Target{Kind: NoRoot, Root: name}
	}
	if from.Root == "" {
		if rest, ok := strings.CutPrefix(address, base); ok && base != "/" {
			address = "/" + rest
		}
	}
	return local(from, address)
}

// asURL returns an address as browsers read it (URL Standard, section 4.4): without white space around
// it and line breaks in it, and with slashes in place of backslashes.
func asURL(address string) string {
	address = strings.TrimSpace(address)
	if strings.ContainsAny(address, "\t\r\n") {
		address = strings.NewReplacer("\t", "", "\r", "", "\n", "").Replace(address)
	}
	end := len(address)
	if i := strings.IndexAny(address, "?#"); i >= 0 {
		end = i
	}
	if strings.IndexByte(address[:end], '\\') >= 0 {
		address = strings.ReplaceAll(address[:end], `\`, "/") + address[end:]
	}
	return address
}

// local resolves an address without a scheme.
func local(from source.Path, address string) Target {
	name, tail := address, ""
	if i := strings.IndexAny(address, "?#"); i >= 0 {
		name, tail = address[:i], address[i:]
	}
	if plain, err := url.PathUnescape(name); err == nil {
		name = plain
	}
	p, ok := source.Resolve(from, name)
	if !ok || strings.ContainsAny(name, "\x00\\") {
		return Target{Kind: Outside, Path: p, Tail: tail}
	}
	return Target{Kind: Local, Path: p, Tail: tail}
}

// Relative returns the address of the file at to as seen from the file at
// from, both paths below one folder.
func Relative(from, to string) string {
	here, there := split(path.Dir(from)), split(to)
	n := 0
	for n < len(here) && n < len(there)-1 && here[n] == there[n] {
		n++
	}
	out := strings.Repeat("../", len(here)-n) + strings.Join(there[n:], "/")
	return escapePath(out)
}

func split(name string) []string {
	if name == "." {
		return nil
	}
	return strings.Split(name, "/")
}

// escapePath returns a path written as a URL, with the characters escaped that
// a browser escapes in a path (URL Standard, path percent-encode set) or reads
// as something else. A first part with a colon would look like a scheme.
func escapePath(name string) string {
	const hex = "0123456789ABCDEF"
	var b strings.Builder
	if first, _, _ := strings.Cut(name, "/"); strings.Contains(first, ":") {
		b.WriteString("./")
	}
	for i := 0; i < len(name); i++ {
		c := name[i]
		if c <= ' ' || c >= 0x7f || strings.IndexByte("\"#%<>?\\^`{|}", c) >= 0 {
			b.Write([]byte{'%', hex[c>>4], hex[c&15]})
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}
