package project

import (
	"cmp"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"

	"rinzel/internal/source"
)

// This file reads the settings of bundles and their names.

// Split are the settings of shared bundles.
type Split struct {
	Shared   int // minimum number of pages that use a shared sheet; 0 to share nothing
	MinBytes int // minimum size of a shared bundle in bytes
	Inline   int // maximum size in bytes of a bundle that is inlined into its only page; 0 for never
	// PageFile is the file of the bundle of a page; {path} and {name} are
	// replaced by those of the page. Empty means "{path}.css".
	PageFile   string
	SharedFile string // file of shared bundles; empty means "shared.css"
}

// FileOf returns the file of the bundle of a page.
func (s Split) FileOf(page string) string { return FileFor(cmp.Or(s.PageFile, "{path}.css"), page) }

// FileOfShared returns the file of shared bundles.
func (s Split) FileOfShared() string { return cmp.Or(s.SharedFile, "shared.css") }

// Bundle is a bundle of sheets and scripts that the settings define.
type Bundle struct {
	Name string
	// From lists its sheets and scripts in order: paths or globs in the source
	// folder, or "root:path".
	From []string
	At   []source.Span // their positions
	// File is its path in the output folder. With {path} or {name} there is one
	// file for each sheet or script.
	File string
}

// Each reports whether there is a file for each of the sheets and scripts.
func (b Bundle) Each() bool { return strings.Contains(b.File, "{") }

// FileFor returns a file pattern with {path} replaced by the path of a page,
// sheet or script, and {name} by the last part of it, both without extension.
func FileFor(pattern, name string) string {
	stem := strings.TrimSuffix(name, path.Ext(name))
	return strings.NewReplacer("{path}", stem, "{name}", path.Base(stem)).Replace(pattern)
}

// fileSplit is [split] in the settings file.
type fileSplit struct {
	Shared     *int    `toml:"shared"`
	MinBytes   *int    `toml:"min-bytes"`
	Inline     *int    `toml:"inline"`
	PageFile   *string `toml:"page-file"`
	SharedFile *string `toml:"shared-file"`
}

// fileBundle is [bundles.NAME] in the settings file.
type fileBundle struct {
	From []string `toml:"from"`
	File *string  `toml:"file"`
}

// split reads the settings of shared bundles.
func (r *reader) split(s *Settings, raw fileSplit) {
	if n := raw.Shared; n != nil {
		if s.Split.Shared = *n; *n < 0 || *n == 1 {
			r.fail(r.positions.value("split", "shared"),
				fmt.Sprintf("shared must be 2 or more, or 0 to share nothing, got %d", *n),
				"2 shares sheets used by two or more pages")
		}
	}
	if n := raw.MinBytes; n != nil {
		if s.Split.MinBytes = *n; *n < 0 {
			r.fail(r.positions.value("split", "min-bytes"), fmt.Sprintf("min-bytes must be a number of bytes, got %d", *n), "")
		}
	}
	if n := raw.Inline; n != nil {
		if s.Split.Inline = *n; *n < 0 {
			r.fail(r.positions.value("split", "inline"), fmt.Sprintf("inline must be a number of bytes, got %d", *n), "")
		}
	}
	s.Split.PageFile = r.pattern(raw.PageFile, "", true, "split", "page-file")
	s.Split.SharedFile = r.pattern(raw.SharedFile, "", false, "split", "shared-file")
}

// pattern reads a file name that may contain placeholders.
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
		r.fail(r.positions.value(key...), fmt.Sprintf("unknown placeholder in %q", *raw), fix)
	case each && len(key) == 2 && plain == *raw:
		r.fail(r.positions.value(key...), fmt.Sprintf("all pages would use the same file %q", *raw),
			"add {path}, the path of the page")
	case !fs.ValidPath(plain) || path.Clean(plain) != plain || !strings.EqualFold(path.Ext(plain), ".css") ||
		strings.HasPrefix(plain, "."):
		r.fail(r.positions.value(key...), fmt.Sprintf("%q is not a valid path of a sheet in the output folder", *raw),
			`write it like "css/main.css", without "./" and "../"`)
	default:
		return *raw
	}
	return otherwise
}

// bundles reads the named bundles.
func (r *reader) bundles(s *Settings, raw map[string]fileBundle) {
	for _, name := range slices.Sorted(maps.Keys(raw)) {
		from := raw[name]
		b := Bundle{Name: name, From: from.From}
		b.File = r.pattern(from.File, name+".css", true, "bundles", name, "file")
		if len(b.From) == 0 && !r.unfit["bundles."+name+".from"] && !r.unfit["bundles."+name] {
			r.fail(r.positions.key([]string{"bundles", name}), fmt.Sprintf("bundle %q has no sources", name),
				`list sheets and scripts: from = ["css/main.css"]`)
		}
		if !fs.ValidPath(b.File) {
			r.fail(r.positions.key([]string{"bundles", name}), fmt.Sprintf("%q is not a file name", name),
				`write file = "css/main.css"`)
		}
		for i, glob := range b.From {
			b.At = append(b.At, r.positions.element(i, "bundles", name, "from"))
			r.validGlob(b.At[i], glob, "")
		}
		s.Bundles = append(s.Bundles, b)
	}
}
