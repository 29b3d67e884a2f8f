package project

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/std"
)

// FolderRoot is the root of the project folder itself in the tree, from which
// only the settings, and the steps of the user's, are read. Users cannot define a
// root with this name.
const FolderRoot = "."

// Project is an open project: its settings, and the folders it may read.
type Project struct {
	Settings *Settings
	Tree     *source.Tree
	Dir      string // project folder on disk
	Output   string // output folder on disk
	extends  []string
	closers  []io.Closer
}

// Options override settings.
type Options struct {
	// settings file, whose folder is the project folder; empty for FileName in the working folder or its nearest parent
	Settings string
	Output   string // output folder relative to the working folder; empty for that of the settings
	Source   string // source folder if there is no settings file; empty for the working folder
	// Folder is a project folder without a settings file; empty to look for one.
	Folder string
}

// Open opens a project. The diagnostics are about the settings; if one is an
// error, the project may only be used to display them. The error is one of the
// run itself. The caller must close the project.
func Open(opts Options) (*Project, []diag.Diagnostic, error) {
	if opts.Settings == "" && opts.Folder == "" {
		if above := source.FindAbove(FileName); above != FileName { // otherwise as without a search
			opts.Settings = above
		}
	}
	p := &Project{Settings: Default(), Dir: filepath.Dir(opts.Settings)}
	if opts.Settings == "" && opts.Folder != "" {
		p.Dir = opts.Folder
	}
	home, closer, err := source.OpenFolder(FolderRoot, p.Dir, p.Dir)
	if err != nil {
		return nil, nil, err
	}
	p.closers = append(p.closers, closer)
	p.Tree = source.NewTree(home)
	var diags []diag.Diagnostic
	if opts.Settings != "" || opts.Folder == "" {
		diags, err = p.readSettings(opts)
	}
	if err != nil || diag.HasErrors(diags) {
		return p, diags, err
	}
	if opts.Source != "" && p.Settings.File == "" {
		p.Settings.Source = opts.Source
	}
	found := p.openFolders()
	p.Output = filepath.Clean(opts.Output)
	if opts.Output == "" {
		p.Output = p.onDisk(p.Settings.Output)
	}
	found = append(found, p.checkOutput()...)
	return p, append(diags, found...), nil
}

// Close closes the folders of the project.
func (p *Project) Close() error {
	var errs []error
	for _, c := range p.closers {
		errs = append(errs, c.Close())
	}
	return errors.Join(errs...)
}

// AddCloser makes [Project.Close] close something else as well.
func (p *Project) AddCloser(c io.Closer) { p.closers = append(p.closers, c) }

// CacheFolder returns the folder on disk for results of the steps of the user's.
func (p *Project) CacheFolder() string {
	if folder := p.Settings.Cache.Folder; folder != "" {
		return p.onDisk(folder)
	}
	return source.CacheFolder()
}

// SourceDir returns the source folder on disk.
func (p *Project) SourceDir() string { return p.onDisk(p.Settings.Source) }

// RootDirs returns the folders of the roots on disk, ordered by root name.
func (p *Project) RootDirs() []string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(p.Settings.Roots)) {
		out = append(out, p.onDisk(p.Settings.Roots[name]))
	}
	return out
}

// onDisk returns a path from the settings, which are relative to the project
// folder.
func (p *Project) onDisk(name string) string {
	if filepath.IsAbs(name) {
		return filepath.Clean(name)
	}
	return filepath.Join(p.Dir, filepath.FromSlash(name))
}

// readSettings reads the settings file.
func (p *Project) readSettings(opts Options) ([]diag.Diagnostic, error) {
	name := FileName
	if opts.Settings != "" {
		name = filepath.Base(opts.Settings)
	}
	f, err := p.Tree.Text(source.Path{Root: FolderRoot, Name: name})
	var encoding *source.EncodingError
	switch {
	case errors.Is(err, fs.ErrNotExist) && opts.Settings == "":
		return nil, nil
	case errors.As(err, &encoding):
		return []diag.Diagnostic{{Code: code.BadSettings, Severity: diag.Error, Span: encoding.File.Whole(),
			Message: "the settings file " + source.ErrNotUTF8.Error()}}, nil
	case errors.Is(err, source.ErrOutside):
		return nil, fmt.Errorf("settings file %s is a link that leads out of its folder: copy the file, or use --settings with the path of the file itself", filepath.Join(p.Dir, name))
	case err != nil:
		return nil, fmt.Errorf("settings file %s: %w", filepath.Join(p.Dir, name), err)
	}
	settings, diags := readFrom(f, p.Dir, p.openShared)
	if settings != nil {
		p.Settings = settings
	}
	p.Settings.Extends = p.extends
	return diags, nil
}

// openFolders opens the source folder and the roots.
func (p *Project) openFolders() []diag.Diagnostic {
	var diags []diag.Diagnostic
	open := func(name, dir, key string) {
		folder, closer, err := source.OpenFolder(name, p.onDisk(dir), p.onDisk(dir))
		if err != nil {
			what := "the source folder"
			if name != "" {
				what = fmt.Sprintf("the folder of the root %q", name)
			}
			diags = append(diags, p.about(key, fmt.Sprintf("cannot open %s %q: %s", what, dir, reason(err)), ""))
			return
		}
		p.closers = append(p.closers, closer)
		p.Tree.AddFolder(folder)
	}
	open("", p.Settings.Source, "source")
	p.openPackages()
	p.Tree.AddFolder(std.Folder())
	for _, name := range slices.Sorted(maps.Keys(p.Settings.Roots)) {
		open(name, p.Settings.Roots[name], "roots."+name)
	}
	return diags
}

// reason returns the reason of an I/O error without its path.
func reason(err error) string {
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return pe.Err.Error()
	}
	return err.Error()
}

// about returns an error about a key of the settings.
func (p *Project) about(key, message, fix string) diag.Diagnostic {
	d := diag.Diagnostic{Code: code.BadSettings, Severity: diag.Error, Message: message, Fix: fix}
	if p.Settings.File != "" {
		if f, err := p.Tree.Text(source.Path{Root: FolderRoot, Name: path.Base(p.Settings.File)}); err == nil {
			places := positionsOf(f)
			d.Span = places.value(key)
		}
	}
	return d
}

// checkOutput rejects an output folder that contains source files.
func (p *Project) checkOutput() []diag.Diagnostic {
	var diags []diag.Diagnostic
	check := func(what, dir string) {
		if holds(p.Output, p.onDisk(dir)) {
			diags = append(diags, p.about("output",
				fmt.Sprintf("the output folder %q contains %s %q", filepath.ToSlash(p.Output), what, dir),
				"use a separate folder, such as \"public\""))
		}
	}
	check("the source folder", p.Settings.Source)
	for _, name := range slices.Sorted(maps.Keys(p.Settings.Roots)) {
		check(fmt.Sprintf("the root %q,", name), p.Settings.Roots[name])
	}
	return diags
}

// holds reports whether the folder inner is outer or inside it. Symbolic links
// are resolved as far as the folders exist.
func holds(outer, inner string) bool {
	rel, err := filepath.Rel(real(outer), real(inner))
	return err == nil && (rel == "." || rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator)))
}

// real returns the absolute path of a folder that need not exist.
func real(dir string) string {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return dir
	}
	for rest := ""; ; {
		if found, err := filepath.EvalSymlinks(abs); err == nil {
			return filepath.Join(found, rest)
		}
		parent := filepath.Dir(abs)
		if parent == abs {
			return filepath.Join(abs, rest)
		}
		abs, rest = parent, filepath.Join(filepath.Base(abs), rest)
	}
}

// Skip returns a function that reports whether a folder below the source folder
// is skipped: the output folder and others written by builds, hidden folders,
// package folders and roots.
func (p *Project) Skip() func(dir string) bool {
	sourceDir := real(p.onDisk(p.Settings.Source))
	skipped := make(map[string]bool)
	note := func(dir string) {
		if rel, err := filepath.Rel(sourceDir, real(dir)); err == nil {
			skipped[filepath.ToSlash(rel)] = true
		}
	}
	note(p.Output)
	note(p.onDisk(p.Settings.Output))
	for _, dir := range p.Settings.Roots {
		note(p.onDisk(dir))
	}
	return func(dir string) bool {
		base := path.Base(dir)
		return strings.HasPrefix(base, ".") || base == "node_modules" || skipped[dir] ||
			p.Tree.Exists(source.Path{Name: path.Join(dir, source.ListName)})
	}
}
