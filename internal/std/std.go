// Package std has the sheets that are part of the program: the root "std".
package std

import (
	"embed"
	"io/fs"

	"rinzel/internal/source"
)

// Root is the name of the root: sheets are imported as std:families.css.
const Root = "std"

//go:embed *.css
var files embed.FS

// Folder returns the folder of the root.
func Folder() source.Folder { return source.Folder{Name: Root, Show: Root + ":", FS: files} }

// Sheets returns the names of the sheets, sorted.
func Sheets() []string {
	names, err := fs.Glob(files, "*.css")
	if err != nil {
		panic(err) // the pattern is valid
	}
	return names
}

// Sheet returns the text of a sheet. ok is false if there is none with this name.
func Sheet(name string) (text string, ok bool) {
	content, err := files.ReadFile(name)
	return string(content), err == nil
}
