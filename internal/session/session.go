// Package session keeps a project open between builds. A [Session] takes lists of changed files, builds, and says which outputs
// differ from those of before. A [Watch] is a session that is told by the system what changed. Whoever shows or serves builds
// is a reader of one of them.
package session

import (
	"context"
	"path/filepath"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// Options say what a session opens and builds.
type Options struct {
	Project project.Options
	// Build builds the project, with a cache for the next build.
	Build func(context.Context, *project.Project, *site.Cache) (*site.Result, error)
}

// Session is a project that stays open. It is not safe for concurrent use.
type Session struct {
	opts    Options
	project *project.Project
	found   []diag.Diagnostic // about the settings
	cache   *site.Cache       // nil if the settings are wrong
	index   *index            // of the last build; nil if it is to be made
	outputs []emit.Output     // of the last build that was writable

	// adopt is called with a project that was opened, before it takes the place of the one before; nil for nothing to do.
	adopt func(*project.Project) error
}

// Update is what a build of a session made.
type Update struct {
	*site.Result
	// Changed are the paths of outputs that are new, or other than in the last build that was writable; Removed are those that
	// are gone. Both are sorted, and empty if this build is not writable.
	Changed, Removed []string
}

// Open opens a project. Wrong settings are no error: builds report them. The caller closes the session.
func Open(opts Options) (*Session, error) {
	s := &Session{opts: opts}
	return s, s.reopen()
}

// Project returns the project as it was opened last. It is another one after [Session.Apply] if the settings may have changed.
func (s *Session) Project() *project.Project { return s.project }

// Close closes the folders of the project.
func (s *Session) Close() error {
	if s.project == nil {
		return nil
	}
	return s.project.Close()
}

// reopen opens the project anew.
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
	if s.project != nil {
		_ = s.project.Close()
	}
	s.project, s.found, s.cache, s.index = p, found, nil, nil
	if !diag.HasErrors(found) {
		p.Tree.NoteLinks = true
		s.cache = site.NewCache(p)
	}
	return nil
}

// Apply has the next build heed changes of files and folders, by their absolute names on disk. If the settings may be others
// now, or folders came or went, the project is opened anew. What builds before the last one returned must not be shown any more.
// The error is that the project cannot be opened.
func (s *Session) Apply(changed []string) error {
	paths, ok := s.pathsOf(changed)
	if !ok {
		return s.reopen()
	}
	s.apply(paths)
	return nil
}

func (s *Session) apply(paths []source.Path) {
	s.cache.Apply(paths)
	s.index = nil
}

// pathsOf returns the paths of files that changed. ok is false if more than the
// files of the project may be others now.
func (s *Session) pathsOf(changed []string) (paths []source.Path, ok bool) {
	if s.cache == nil {
		return nil, false
	}
	folders := foldersByRoot(s.project)
	settings, err := settingsFile(s.project, s.opts.Project.Settings)
	if err != nil {
		return nil, false
	}
	for _, name := range changed {
		if name == settings || filepath.Base(name) == "package.json" {
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

// changedIn returns the paths that a changed file has in some folders. ok is false if it is a folder that came or went, or is
// one of these.
func (s *Session) changedIn(folders map[string]string, name string) (paths []source.Path, ok bool) {
	gone, isFolder := !source.Exists(name), source.IsFolder(name)
	for _, p := range pathsIn(folders, name) {
		if p.Name == "." {
			return nil, false
		}
		file, folder := s.known().find(p)
		if folder && (gone || isFolder) { // it went, or came, or another one stands there now
			return nil, false
		}
		if isFolder {
			continue // the files in it that are new are named as well
		}
		if file || !gone { // else it came and went
			paths = append(paths, p)
		}
	}
	return paths, true
}

// Build builds the project. The error is one of our run, a cancelled context among them; what is wrong with the settings or the
// sources is in the result.
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
	}
	return u, nil
}

// differences returns the paths of outputs that are new or other than before, and of those that are gone.
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
