package project

import (
	"cmp"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/source"
)

// This file reads which bundles are written, and under which names.

// Split are the settings of what pages share.
type Split struct {
	Shared int // how many pages reach a sheet that is shared, at the least; 0 to share nothing
	Least  int // bytes that a shared bundle has at the least
	Within int // bytes up to which a bundle that one page loads is written into it; 0 for never
	// PageFile is the file that the bundle of a page is written to; {path} and {name} in it stand
	// for those of the page. Empty for "{path}.css".
	PageFile   string
	SharedFile string // that of what pages share; empty for "shared.css"
}

// FileOf returns the file that the bundle of a page is written to.
func (s Split) FileOf(page string) string { return FileFor(cmp.Or(s.PageFile, "{path}.css"), page) }

// FileOfShared returns the file that what pages share is written to.
func (s Split) FileOfShared() string { return cmp.Or(s.SharedFile, "shared.css") }

// Bundle is a bundle of sheets and scripts that the settings name, beside those of pages.
type Bundle struct {
	Name string
	// From are the sheets and scripts that it is made from, in order: paths or
	// globs in the source folder, or "root:path".
	From []string
	At   []source.Span // of them
	// File is where it is written in the output folder. With {path} or {name} in it there is one
	// file for each sheet or script.
	File string
}

// Each reports whether there is a file for each of the sheets and scripts that a
// bundle is made from.
func (b Bundle) Each() bool { return strings.Contains(b.File, "{") }

// FileFor returns a file pattern with the path of a page, sheet or script in the
// place of {path}, and its last part in that of {name}, both without extension.
func FileFor(pattern, name string) string {
	stem := strings.TrimSuffix(name, path.Ext(name))
	return strings.NewReplacer("{path}", stem, "{name}", path.Base(stem)).Replace(pattern)
}

type fileSplit struct {
	Shared     *int    `toml:"shared"`
	Least      *int    `toml:"min-bytes"`
	Within     *int    `toml:"inline"`
	PageFile   *string `toml:"page-file"`
	SharedFile *string `toml:"shared-file"`
}

type fileBundle struct {
	From []string `toml:"from"`
	File *string  `toml:"file"`
}

// split reads the settings of what pages share.
func (r *reader) split(s *Settings, raw fileSplit) {
	if n := raw.Shared; n != nil {
		if s.Split.Shared = *n; *n < 0 || *n == 1 {
			r.fail(r.places.value("split", "shared"), fmt.Sprintf("shared must be 2 or more, or 0 to share nothing, got %d", *n), "2 shares sheets used by two or more pages")
		}
	}
	if n := raw.Least; n != nil {
		if s.Split.Least = *n; *n < 0 {
			r.fail(r.places.value("split", "min-bytes"), fmt.Sprintf("min-bytes must be a number of bytes, got %d", *n), "")
		}
	}
	if n := raw.Within; n != nil {
		if s.Split.Within = *n; *n < 0 {
			r.fail(r.places.value("split", "inline"), fmt.Sprintf("inline must be a number of bytes, got %d", *n), "")
		}
	}
	s.Split.PageFile = r.pattern(raw.PageFile, "", true, "split", "page-file")
	s.Split.SharedFile = r.pattern(raw.SharedFile, "", false, "split", "shared-file")
}

// pattern reads the name of a file to be written, in which the names of what it is
// made from may stand.
func (r *reader) pattern(raw *string, otherwise string, each bool, key ...string) string {
	if raw == nil {
		return otherwise
	}
	plain := strings.NewReplacer("{path}", "x", "{name}", "x").Replace(*raw)
	switch {
	case strings.ContainsAny(plain, "{}"), !each && plain != *raw:
		fix := "{path} is the path without the extension, {name} its last part"
		if !each {
			fix = "shared-file is one file and takes no placeholder"
		}
		r.fail(r.places.value(key...), fmt.Sprintf("unknown placeholder in %q", *raw), fix)
	case each && len(key) == 2 && plain == *raw:
		r.fail(r.places.value(key...), fmt.Sprintf("all pages would use the same file %q", *raw), "add {path}, the path of the page")
	case !fs.ValidPath(plain) || path.Clean(plain) != plain || !strings.EqualFold(path.Ext(plain), ".css") || strings.HasPrefix(plain, "."):
		r.fail(r.places.value(key...), fmt.Sprintf("%q is not a valid path of a sheet in the output folder", *raw), `write it like "css/main.css", without "./" and "../"`)
	default:
		return *raw
	}
	return otherwise
}

// bundles reads the bundles that are named.
func (r *reader) bundles(s *Settings, raw map[string]fileBundle) {
	for _, name := range slices.Sorted(maps.Keys(raw)) {
		from := raw[name]
		b := Bundle{Name: name, From: from.From}
		b.File = r.pattern(from.File, name+".css", true, "bundles", name, "file")
		if len(b.From) == 0 && !r.unfit["bundles."+name+".from"] && !r.unfit["bundles."+name] {
			r.fail(r.places.key([]string{"bundles", name}), fmt.Sprintf("bundle %q has no sources", name), `list sheets and scripts: from = ["css/main.css"]`)
		}
		if !fs.ValidPath(b.File) {
			r.fail(r.places.key([]string{"bundles", name}), fmt.Sprintf("%q is not a file name", name), `write file = "css/main.css"`)
		}
		for i, glob := range b.From {
			b.At = append(b.At, r.places.element(i, "bundles", name, "from"))
			if _, glob := SplitRoot(glob); !doublestar.ValidatePattern(glob) {
				r.fail(b.At[i], fmt.Sprintf("invalid glob %q", glob), "")
			}
		}
		s.Bundles = append(s.Bundles, b)
	}
}
