// Package start proposes the first files of a project: a small site in an empty folder,
// or settings that fit the site in a folder.
package start

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

//go:embed all:new
var files embed.FS

// Plan is what to write into a folder.
type Plan struct {
	Files  []File
	Kept   []string // files that exist and stay as they are, relative to the folder
	New    bool     // the folder has no site
	Server bool     // a server makes the pages
}

// File is a file to write.
type File struct {
	Name string // relative to the folder, with slashes
	Text string
}

// ErrSettings means that the folder has settings.
var ErrSettings = errors.New("the folder has settings")

// maxFiles limits how many files are looked at.
const maxFiles = 200_000

// Propose returns the plan for a folder, which need not exist.
func Propose(ctx context.Context, dir string) (*Plan, error) {
	if source.Exists(filepath.Join(dir, project.FileName)) {
		return nil, ErrSettings
	}
	found, err := look(ctx, dir)
	if err != nil {
		return nil, err
	}
	if found.isEmpty() {
		return newSite(dir)
	}
	text, server, err := settingsFor(ctx, dir, found)
	if err != nil {
		return nil, err
	}
	return &Plan{Files: []File{{project.FileName, text}}, Server: server}, nil
}

// newSite returns the plan of a new site. Existing files stay as they are.
func newSite(dir string) (*Plan, error) {
	p := &Plan{New: true}
	err := fs.WalkDir(files, "new", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := files.ReadFile(name)
		if err != nil {
			return err
		}
		name = strings.TrimPrefix(name, "new/")
		if name == "gitignore" {
			name = ".gitignore"
		}
		if source.Exists(filepath.Join(dir, filepath.FromSlash(name))) {
			p.Kept = append(p.Kept, name)
		} else {
			p.Files = append(p.Files, File{name, string(text)})
		}
		return nil
	})
	return p, err
}

// Write writes the files of the plan into a folder, and creates it. It never replaces a
// file: one that has appeared in the meantime is an error.
func (p *Plan) Write(dir string) error {
	for _, f := range p.Files {
		if err := source.WriteNew(filepath.Join(dir, filepath.FromSlash(f.Name)), f.Text); err != nil {
			return err
		}
	}
	return nil
}

// facts are what lies in a folder. Names are relative to it, with slashes, sorted.
type facts struct {
	pages     []string // complete pages
	templates []string // files that pages are made from, also HTML files with instructions; without texts
	code      []string // scripts in languages that browsers do not know
	sheets    []string
	scripts   []string
	served    []string // scripts, pictures and other files that servers send as they are
	programs  []string // files that a server may be written in
	ignored   []string // folders at the top that .gitignore lists
	made      []string // those of them with a complete page
}

// isEmpty reports whether there is nothing of a site: scripts alone may be tools.
func (f *facts) isEmpty() bool { return len(f.pages)+len(f.templates)+len(f.sheets) == 0 }

// look lists what lies in a folder, without hidden folders, installed packages, and
// folders that are not kept under version control.
func look(ctx context.Context, dir string) (*facts, error) {
	f := new(facts)
	root, closer, err := source.OpenFolder("", dir, dir)
	if errors.Is(err, fs.ErrNotExist) {
		return f, nil
	}
	if err != nil {
		return nil, err
	}
	defer closer.Close()
	f.ignored = ignoredFolders(root.FS)
	f.made = slices.DeleteFunc(slices.Clone(f.ignored), func(name string) bool { return !hasPage(root.FS, name) })
	n := 0
	err = fs.WalkDir(root.FS, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return nil // unreadable folders are left out
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		if d.IsDir() {
			hidden := strings.HasPrefix(d.Name(), ".") && name != "."
			if hidden || d.Name() == project.PackageFolder || slices.Contains(f.ignored, name) || isOutput(root.FS, name) {
				return fs.SkipDir
			}
			return nil
		}
		if n++; n > maxFiles {
			return fs.SkipAll
		}
		f.add(root.FS, name)
		return nil
	})
	return f, err
}

// hasPage reports whether a folder has a complete page, without its folders.
func hasPage(files fs.FS, dir string) bool {
	names, _ := fs.Glob(files, path.Join(dir, "*.html"))
	return dir != project.PackageFolder && !isOutput(files, dir) &&
		slices.ContainsFunc(names, func(name string) bool { return graph.IsWhole(readHead(files, name)) })
}

// isOutput reports whether a folder is the output of a build.
func isOutput(files fs.FS, dir string) bool {
	_, err := fs.Stat(files, path.Join(dir, ".rinzel"))
	return err == nil && dir != "."
}

// ignoredFolders returns the folders at the top that .gitignore lists by name.
func ignoredFolders(files fs.FS) (out []string) {
	text, err := fs.ReadFile(files, ".gitignore")
	if err != nil {
		return nil
	}
	for line := range strings.Lines(string(text)) {
		name := strings.Trim(strings.TrimSpace(line), "/")
		if name == "" || strings.ContainsAny(name, "*?[!#/") {
			continue
		}
		if info, err := fs.Stat(files, name); err == nil && info.IsDir() {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// topOf returns the first folder of a name; "." for a file at the top.
func topOf(name string) string {
	if top, _, ok := strings.Cut(name, "/"); ok {
		return top
	}
	return "."
}

// under returns the names in a folder, without it.
func under(dir string, names []string) (out []string) {
	for _, name := range names {
		if dir == "." {
			out = append(out, name)
		} else if rest, ok := strings.CutPrefix(name, dir+"/"); ok {
			out = append(out, rest)
		}
	}
	return out
}

// counted returns a number of things in words.
func counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
