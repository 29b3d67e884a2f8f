// Package session keeps a project open between builds. A [Session] takes lists
// of changed files, builds, and returns which outputs differ from the previous
// build. A [Watch] is a session that gets the changes from the file system.
// Commands that display or serve builds are readers of one of the two.
package session

import (
	"context"
	"errors"
	"path/filepath"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// Options configure a session.
type Options struct {
	Project project.Options
	// Build builds the project with a cache for the next build.
	Build func(context.Context, *project.Project, *site.Cache) (*site.Result, error)
}

// Session is a project that stays open. It is not safe for concurrent use.
type Session struct {
	opts    Options
	project *project.Project
	found   []diag.Diagnostic // about the settings
	cache   *site.Cache       // nil if the settings are invalid
	index   *index            // of the last build; nil if outdated
	outputs []emit.Output     // of the last writable build
	// source is the project that outputs was built from, if it was reopened
	// since: outputs may be copies of its files. Otherwise nil.
	source *project.Project

	// overlays are texts that are not saved yet, by absolute names.
	overlays map[string][]byte

	// adopt is called with a reopened project before it replaces the current
	// one; may be nil.
	adopt func(*project.Project) error
}

// Update is the result of a build in a session.
type Update struct {
	*site.Result
	// Changed lists the paths of outputs that are new or differ from the last
	// writable build; Removed lists those that no longer exist. Both are
	// sorted, and empty if this build is not writable.
	Changed, Removed []string
}

// Open opens a project. Invalid settings are not an error: builds report them.
// The caller must close the session.
func Open(opts Options) (*Session, error) {
	s := &Session{opts: opts}
	return s, s.reopen()
}

// Project returns the current project. [Session.Apply] may replace it, if the
// settings may have changed.
func (s *Session) Project() *project.Project { return s.project }

// Close closes the folders of the project. Outputs that are copies of files can
// no longer be read then.
func (s *Session) Close() error {
	var errs []error
	for _, p := range []*project.Project{s.project, s.source} {
		if p != nil {
			errs = append(errs, p.Close())
		}
	}
	return errors.Join(errs...)
}

// reopen replaces the project.
func (s *Session) reopen() error {
	p, found, err := project.Open(s.opts.Project)
	if err != nil {
		return err
	}
	if s.adopt != nil {
		if err := s.adopt(p); err != nil {
			return err
		}
	}
	switch {
	case s.project == nil:
	case s.source == nil && len(s.outputs) > 0:
		s.source = s.project
	default:
		_ = s.project.Close()
	}
	s.project, s.found, s.cache, s.index = p, found, nil, nil
	if !diag.HasErrors(found) {
		p.Tree.NoteLinks = true
		s.cache = site.NewCache(p)
	}
	for name, text := range s.overlays {
		for _, path := range pathsIn(foldersByRoot(p), name) {
			p.Tree.Overlay(path, text)
		}
	}
	return nil
}

// Overlay sets the text of a file, given by its absolute name, that is not saved yet:
// builds read it instead of what is on disk. nil removes it. Results of builds before the
// last one must not be used afterwards.
func (s *Session) Overlay(name string, text []byte) {
	if s.overlays == nil {
		s.overlays = make(map[string][]byte)
	}
	if s.overlays[name] = text; text == nil {
		delete(s.overlays, name)
	}
	paths := pathsIn(foldersByRoot(s.project), name)
	if s.cache != nil {
		s.apply(paths)
	}
	for _, p := range paths {
		s.project.Tree.Overlay(p, text)
	}
}

// Cache returns the cache of the builds; nil if the settings are invalid.
func (s *Session) Cache() *site.Cache { return s.cache }

// Found returns the findings about the settings.
func (s *Session) Found() []diag.Diagnostic { return s.found }

// PathOf returns the path in the project of a file, given by its absolute name: in the
// source folder, or else in a root. ok is false if it is in neither.
func (s *Session) PathOf(name string) (p source.Path, ok bool) {
	for _, p = range pathsIn(foldersByRoot(s.project), name) {
		if ok = true; p.Root == "" {
			break
		}
	}
	return p, ok
}

// Apply invalidates files and folders, given by their absolute names on disk.
// If the settings may have changed, or if folders were created or deleted, the
// project is reopened. Results of builds before the last one must not be used
// afterwards. The error is that the project cannot be opened.
func (s *Session) Apply(changed []string) error {
	paths, ok := s.pathsOf(changed)
	if !ok {
		return s.reopen()
	}
	s.apply(paths)
	return nil
}

// apply invalidates paths in the cache.
func (s *Session) apply(paths []source.Path) {
	s.cache.Apply(paths)
	s.index = nil
}

// pathsOf returns the paths of changed files. ok is false if more than these
// files may have changed.
func (s *Session) pathsOf(changed []string) (paths []source.Path, ok bool) {
	if s.cache == nil {
		return nil, false
	}
	folders := foldersByRoot(s.project)
	settings, err := settingsFiles(s.project, s.opts.Project.Settings)
	if err != nil {
		return nil, false
	}
	for _, name := range changed {
		if slices.Contains(settings, name) || filepath.Base(name) == "package.json" {
			return nil, false
		}
		own, ok := s.changedIn(folders, name)
		if !ok {
			return nil, false
		}
		paths = append(paths, own...)
	}
	return paths, true
}

// changedIn returns the paths of a changed file in folders. ok is false if it
// is one of the folders, or a folder that was created or deleted.
func (s *Session) changedIn(folders map[string]string, name string) (paths []source.Path, ok bool) {
	gone, isFolder := !source.Exists(name), source.IsFolder(name)
	for _, p := range pathsIn(folders, name) {
		if p.Name == "." {
			return nil, false
		}
		file, folder := s.known().find(p)
		if folder && (gone || isFolder) { // the folder was created, deleted or replaced
			return nil, false
		}
		if isFolder {
			continue // new files in it are listed as well
		}
		if file || !gone { // otherwise it was created and deleted again
			paths = append(paths, p)
		}
	}
	return paths, true
}

// Build builds the project. The error is one of the run itself, such as a
// cancelled context; problems of settings and sources are findings in the
// result.
func (s *Session) Build(ctx context.Context) (*Update, error) {
	u := &Update{Result: &site.Result{}}
	if s.cache != nil {
		res, err := s.opts.Build(ctx, s.project, s.cache)
		if err != nil {
			return nil, err
		}
		u.Result, s.index = res, nil
	}
	u.Diagnostics = append(slices.Clone(s.found), u.Diagnostics...)
	if s.cache != nil && u.Writable() {
		u.Changed, u.Removed = differences(s.outputs, u.Outputs)
		s.outputs = slices.Clone(u.Outputs)
		if s.source != nil {
			_ = s.source.Close()
			s.source = nil
		}
	}
	return u, nil
}

// differences returns the paths of outputs that are new or changed, and of
// those that no longer exist.
func differences(before, now []emit.Output) (changed, removed []string) {
	old := make(map[string]*emit.Output, len(before))
	for i := range before {
		old[before[i].Path] = &before[i]
	}
	for i := range now {
		o := &now[i]
		if was := old[o.Path]; was == nil || !was.Same(o) {
			changed = append(changed, o.Path)
		}
		delete(old, o.Path)
	}
	for path := range old {
		removed = append(removed, path)
	}
	slices.Sort(changed)
	slices.Sort(removed)
	return changed, removed
}
