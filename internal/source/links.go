package source

import (
	"os"
	"path/filepath"
	"strings"
)

// LinkChain returns the absolute names of all symbolic links on the path to a
// file, and of the final target, which need not exist.
func LinkChain(name string) []string {
	const most = 40 // the usual limit of systems
	var out []string
	rest := strings.Split(filepath.ToSlash(name), "/")
	at := filepath.VolumeName(name) + string(filepath.Separator)
	if filepath.VolumeName(name) != "" {
		rest = rest[1:]
	}
	for len(rest) > 0 && len(out) < most {
		part := rest[0]
		rest = rest[1:]
		switch part {
		case "", ".":
			continue
		case "..":
			at = filepath.Dir(at)
			continue
		}
		next := filepath.Join(at, part)
		to, err := os.Readlink(next)
		if err != nil {
			at = next
			continue
		}
		out = append(out, next)
		if filepath.IsAbs(to) {
			at = filepath.VolumeName(to) + string(filepath.Separator)
			to = to[len(filepath.VolumeName(to)):]
		}
		rest = append(strings.Split(filepath.ToSlash(to), "/"), rest...)
	}
	return append(out, at)
}

// IsRegular reports whether a path on disk is a regular file, or a link to one.
func IsRegular(name string) bool {
	info, err := os.Stat(name)
	return err == nil && info.Mode().IsRegular()
}

// MayRead reports whether a file or folder on disk can be opened.
func MayRead(name string) bool {
	info, err := os.Stat(name)
	if err != nil || !info.IsDir() && !info.Mode().IsRegular() {
		return false
	}
	f, err := os.Open(name)
	if err != nil {
		return false
	}
	return f.Close() == nil
}
