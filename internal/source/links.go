package source

import (
	"os"
	"path/filepath"
	"strings"
)

// LinkPlaces returns the absolute names of all symbolic links on the way to a file, and of the file at their end. The last
// may not be there.
func LinkPlaces(name string) []string {
	const most = 40 // links, as systems have it
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

// IsRegular reports whether there is a regular file at a path on disk, or a link to one.
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
