package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rinzel/internal/build"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/watch"
)

func newWatch(std IO) *cobra.Command {
	var flags buildFlags
	cmd := &cobra.Command{
		Use:   "watch [SHEET ...]",
		Short: "Build the site or single sheets, and build them again whenever something changes",
		Long: `Watch builds all pages at once, and again when anything changes that a build
reads: sheets, pages, scripts, design tokens, assets, library files under roots, and
the settings. It tells what changed, what was written, and how long it took.

With SHEET it builds single sheets, as build does, into the output folder or to
where -o says.

A build with errors shows them and leaves the last good output as it was.
It ends with Ctrl-C.`,
		Example: "  rinzel watch\n  rinzel watch --profile production\n  rinzel watch styles/main.css -o main.css",
		RunE: func(cmd *cobra.Command, args []string) error {
			flags.sheets = args
			return runWatch(cmd.Context(), flags, std)
		},
	}
	f := cmd.Flags()
	f.StringVarP(&flags.profile, "profile", "p", project.Development, "profile of settings: development, production, or one of your own")
	f.StringVarP(&flags.output, "output", "o", "", "output folder; with SHEET a file or a folder")
	f.StringVar(&flags.settings, "settings", "", "settings file (default rinzel.toml in this folder, if there is one)")
	f.StringArrayVar(&flags.evidence, "evidence", nil, "glob of files, relative to the source folder, whose names are in use; may be repeated")
	return cmd
}

// runWatch is all that the watch command does once its flags are parsed. It ends
// without an error when the context does.
func runWatch(ctx context.Context, flags buildFlags, std IO) error {
	switch {
	case flags.toStream(), slices.Contains(flags.sheets, stream):
		return errors.New("watch reads files and writes files: - goes with build")
	}
	if err := flags.check(); err != nil {
		return err
	}
	w := &watching{flags: flags, std: std}
	defer w.close()
	var changed []string
	for {
		if err := w.build(ctx, changed); err != nil {
			return ended(ctx, err)
		}
		for changed = nil; len(changed) == 0; {
			names, err := w.watcher.Next(ctx)
			if errors.Is(err, watch.ErrOverflow) {
				changed, w.lost, w.overflowed = []string{w.paths[len(w.paths)-1]}, true, true
				break
			}
			if err != nil {
				return ended(ctx, err)
			}
			changed = slices.DeleteFunc(names, w.isNothing())
		}
	}
}

// isStream reports whether a file is where the words of the watch go: `rinzel watch > watch.log` would not come to an end.
func isStream(std IO, name string) bool {
	info, err := os.Stat(name)
	if err != nil || !info.Mode().IsRegular() {
		return false
	}
	for _, w := range []io.Writer{std.Out, std.Err} {
		if f, ok := w.(*os.File); ok {
			if own, err := f.Stat(); err == nil && os.SameFile(own, info) {
				return true
			}
		}
	}
	return false
}

// ended returns the error that a run ends with: none if it was told to end.
func ended(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// watching is a run of the watch command.
type watching struct {
	flags      buildFlags
	std        IO
	watcher    *watch.Watcher
	project    *project.Project         // whose folders are watched
	found      []diag.Diagnostic        // about its settings
	memory     *build.Memory            // of its builds; nil if the settings are wrong
	paths      []string                 // of the watched folders
	single     map[string][]source.Path // files that are watched one by one, by absolute names, and all that they were read as
	ends       map[string]bool          // links that the last build went by, and the files at their ends
	above      map[string]bool          // folders around these, which may be moved
	locked     map[string]bool          // what the last build had no right to read
	awaited    map[string]bool          // what is not there, and would bring a missing package or a file of one
	seen       seenFindings             // of the last build
	told       bool                     // what is in force was told
	lost       bool                     // the watcher does not tell of all any more, so that another one is to be started
	overflowed bool                     // changes were lost, so that everything is looked at again
	wrote      map[string]bool          // the absolute paths of sheets built alone, which may lie among the sources
	built      bool                     // some build was good, and all it wrote was listed
}

func (w *watching) close() {
	if w.watcher != nil {
		_ = w.watcher.Close()
	}
	if w.project != nil {
		_ = w.project.Close()
	}
}

// build builds the site and tells what came of it. changed names what was changed
// since the last build; none for the first.
func (w *watching) build(ctx context.Context, changed []string) error {
	start := time.Now()
	if err := w.open(changed); err != nil {
		return err
	}
	p := w.project
	r := newReport(w.std, p, w.flags)
	res := &build.Result{}
	if w.memory != nil {
		var err error
		if res, err = w.flags.run(ctx, p, w.memory); err != nil {
			return err
		}
		if err := w.followRead(); err != nil {
			return err
		}
	}
	res.Diagnostics = append(slices.Clone(w.found), res.Diagnostics...)
	if !w.told && res.Profile.Name != "" {
		r.header(res)
		w.told = true
	}
	if changed != nil {
		what := w.changes(changed)
		if w.overflowed {
			what, w.overflowed = "more changed at once than the system tells of: everything is looked at again", false
		}
		fmt.Fprintf(w.std.Out, "%s %s\n", r.paint("2", start.Format(time.TimeOnly)), diag.Printable(what))
	}
	fresh, others := w.seen.fresh(p.Tree.Set, res.Diagnostics)
	w.seen = seen(p.Tree.Set, res.Diagnostics)
	err := r.findings(fresh)
	if others > 0 {
		fmt.Fprintf(w.std.Err, "%s as before\n", diag.Count(others, "finding"))
	}
	if err != nil && !res.Writable() {
		if err := r.failed(res); !errors.Is(err, errSources) {
			return err
		}
		return w.waiting(p)
	}
	w.noteOwn(res)
	published, err := w.flags.write(ctx, p, res, w.std, source.PublishOptions{})
	var foreign *source.ForeignError
	switch {
	case errors.As(err, &foreign):
		if err := r.foreign(res, foreign); !errors.Is(err, errSources) {
			return err
		}
	case err != nil:
		return err
	case !w.built:
		w.built = true
		if err := r.summary(res, published, time.Since(start)); err != nil {
			return err
		}
	default:
		w.brief(r, published, time.Since(start))
		return nil
	}
	return w.waiting(p)
}

// isNothing returns what tells changes apart that no build is needed for: of what is written by this run, and of files of which
// nothing was read.
func (w *watching) isNothing() func(name string) bool {
	var index build.Index
	var folders map[string]string
	if w.memory != nil {
		index, folders = w.memory.Index(), w.folders()
	}
	return func(name string) bool {
		if w.wrote[name] || isStream(w.std, name) {
			return true
		}
		if w.memory == nil || w.ends[name] || w.single[name] != nil || w.awaited[name] || !source.IsRegular(name) {
			return false
		}
		paths := pathsOf(folders, name)
		return len(paths) > 0 && !slices.ContainsFunc(paths, func(p source.Path) bool { return !index.Unread(p) })
	}
}

// pathsOf returns the paths that folders give a file. They are by the names of their roots.
func pathsOf(folders map[string]string, name string) (paths []source.Path) {
	for root, dir := range folders {
		if rel, err := filepath.Rel(dir, name); err == nil && filepath.IsLocal(rel) {
			paths = append(paths, source.Path{Root: root, Name: filepath.ToSlash(rel)})
		}
	}
	return paths
}

// noteOwn notes what is written of sheets built alone: it is nothing to build again for.
func (w *watching) noteOwn(res *build.Result) {
	if len(w.flags.sheets) == 0 {
		return
	}
	w.wrote = make(map[string]bool)
	for _, o := range res.Outputs {
		if name, err := filepath.Abs(filepath.FromSlash(o.Path)); err == nil {
			w.wrote[name] = true
		}
	}
}

// open makes ready for a build after changes: it has the memory forget what was
// changed, or opens the project anew if the settings may be others now.
func (w *watching) open(changed []string) error {
	if paths, ok := w.known(changed); ok {
		w.memory.Forget(paths)
		return nil
	}
	opts := project.Options{Settings: w.flags.settings}
	w.flags.place(&opts)
	p, found, err := project.Open(opts)
	if err != nil {
		return err
	}
	if err := w.follow(p); err != nil {
		return err
	}
	if w.project != nil {
		_ = w.project.Close()
	}
	w.project, w.found, w.memory = p, found, nil
	if !diag.HasErrors(found) {
		w.memory = build.NewMemory(p)
	}
	return nil
}

// known returns the paths of files that were changed. ok is false if more than the
// files of the project may be others now: the settings, or folders that went.
func (w *watching) known(changed []string) (paths []source.Path, ok bool) {
	if w.memory == nil {
		return nil, false
	}
	index, folders := w.memory.Index(), w.folders()
	for _, name := range changed {
		if w.above[name] {
			w.lost = true // what is in it is watched under names of before
		}
		if w.lost || name == w.paths[len(w.paths)-1] || filepath.Base(name) == "package.json" || w.awaited[name] {
			return nil, false
		}
		paths = append(paths, w.single[name]...)
		gone := !source.Exists(name)
		isFolder := source.IsFolder(name)
		for _, p := range pathsOf(folders, name) {
			if p.Name == "." {
				return nil, false
			}
			file, folder := index.Knows(p)
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
	}
	return paths, true
}

// waiting tells that changes are waited for.
func (w *watching) waiting(p *project.Project) error {
	_, err := fmt.Fprintf(w.std.Out, "watching %s; Ctrl-C ends it\n", diag.Printable(strings.Join(w.shown(), ", ")))
	return err
}

// brief tells what a build after the first wrote.
func (w *watching) brief(r *report, p source.Published, took time.Duration) {
	const most = 3
	names := slices.Clone(p.Changed)
	text := strings.Join(names[:min(most, len(names))], ", ")
	switch {
	case len(names) > most:
		text += fmt.Sprintf(" and %d more", len(names)-most)
	case len(names) == 0:
		text = "nothing, as all is as before"
	}
	if len(p.Removed) > 0 {
		text += ", removed " + diag.Count(len(p.Removed), "file")
	}
	fmt.Fprintf(w.std.Out, "%s %s, in %s\n", r.paint("1;32", "wrote"), diag.Printable(text), took.Round(time.Millisecond))
}

// changes words what was changed. Files that editors make for a moment are left
// out, unless nothing else is there.
func (w *watching) changes(names []string) string {
	const most = 4
	there := slices.DeleteFunc(slices.Clone(names), func(name string) bool { return !source.Exists(name) })
	if len(there) > 0 {
		names = there
	}
	shown := make([]string, 0, most)
	for _, name := range names {
		if len(shown) == most {
			return strings.Join(shown, ", ") + fmt.Sprintf(" and %d more changed", len(names)-most)
		}
		shown = append(shown, relativeTo(name))
	}
	return strings.Join(shown, ", ") + " changed"
}

// relativeTo returns a path as it is seen from the working folder.
func relativeTo(name string) string {
	here, err := filepath.Abs(".")
	if err != nil {
		return name
	}
	if rel, err := filepath.Rel(here, name); err == nil && filepath.IsLocal(rel) {
		name = rel
	}
	return filepath.ToSlash(name)
}

// shown returns the watched folders as people are shown them.
func (w *watching) shown() []string {
	var out []string
	for _, p := range w.paths {
		out = append(out, relativeTo(p))
	}
	return slices.Compact(out)
}
