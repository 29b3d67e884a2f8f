// Package graph parses pages, scripts and sheets into their references: links,
// imports and URLs, with the position of each ([ReadPage], [ReadScript],
// [ReadImport]). It resolves these references to files ([Resolve]), and edits
// pages in place ([Group.Point]).
package graph

import (
	"net/url"
	"path"
	"strings"

	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Target is what a URL in a page or sheet refers to.
type Target struct {
	Kind TargetKind
	Path source.Path // of a local file, which need not exist
	Tail string      // query and fragment of a local URL, with ? and #
	Root string      // of NoRoot: the unknown root
}

// TargetKind is the kind of a target.
type TargetKind uint8

// The kinds of targets.
const (
	// External is a URL with a scheme or host, which is left unchanged.
	External TargetKind = iota
	// SameDocument is a fragment of the same document, or an empty URL.
	SameDocument
	// Local is a file in the source folder or a root.
	Local
	// Outside is a path that leads out of its folder.
	Outside
	// NoRoot is a URL with an unknown root before the colon.
	NoRoot
)

// Resolve returns the target of a URL in the file from. base is the URL path at
// which the source folder is published.
func Resolve(files source.Reader, from source.Path, base, address string) Target {
	address = asURL(address)
	if address == "" || address[0] == '#' {
		return Target{Kind: SameDocument}
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

// asURL returns a URL as browsers parse it (URL Standard, section 4.4): without
// surrounding white space and line breaks, and with slashes instead of
// backslashes.
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

// local resolves a URL without a scheme.
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

// Relative returns the URL of the file to relative to the file from; both are
// paths in one folder.
func Relative(from, to string) string {
	here, there := split(path.Dir(from)), split(to)
	n := 0
	for n < len(here) && n < len(there)-1 && here[n] == there[n] {
		n++
	}
	out := strings.Repeat("../", len(here)-n) + strings.Join(there[n:], "/")
	return escapePath(out)
}

// split returns the parts of a path.
func split(name string) []string {
	if name == "." {
		return nil
	}
	return strings.Split(name, "/")
}

// escapePath returns a path as a URL, with the characters escaped that browsers
// escape in paths (URL Standard, path percent-encode set) or interpret. A colon
// in the first part would look like a scheme.
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
