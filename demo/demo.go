// Package demo holds the sample site: a small harbour with passenger ferries.
package demo

import (
	"embed"
	"io/fs"
)

//go:embed all:harbour
var files embed.FS

// Site returns the files of the sample site, with its settings at the top.
func Site() fs.FS {
	site, err := fs.Sub(files, "harbour")
	if err != nil {
		panic(err) // the name is that of the embedded folder
	}
	return site
}
