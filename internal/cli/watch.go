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
	"sync"
	"time"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/session"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// newWatch returns the watch command.
func newWatch(std IO) *cobra.Command {
	var flags buildFlags
	cmd := &cobra.Command{
		Use:   "watch [SHEET ...]",
		Short: "Build the site or single sheets, and rebuild on every change",
		Long: `Watch builds the site, and builds it again on every change of the files that the
build read: sheets, pages, scripts, design tokens, assets, library files in
roots, and the settings. It lists what changed, what was written, and how long
it took.

With SHEET it builds single sheets, as build does, to the output folder or to -o.

A build with errors lists them and keeps the last good output. Stop with Ctrl-C.`,
		Example: "  rinzel watch\n  rinzel watch --profile production\n  rinzel watch styles/main.css -o main.css",
		RunE: func(cmd *cobra.Command, args []string) error {
			flags.sheets = args
			return runWatch(cmd.Context(), flags, std)
		},
	}
	flags.add(cmd)
	cmd.Flags().StringVarP(&flags.output, "output", "o", "", "output folder; with SHEET a file or a folder")
	return cmd
}

// runWatch runs the watch command after flag parsing. It returns nil when the
// context is cancelled.
func runWatch(ctx context.Context, flags buildFlags, std IO) error {
	switch {
	case flags.toStream(), slices.Contains(flags.sheets, stream):
		return errors.New("watch needs files: - works with build only")
	}
	if err := flags.check(); err != nil {
		return err
	}
	opts := session.Options{Project: project.Options{Settings: flags.settings}, Build: flags.run}
	flags.locate(&opts.Project)
	changes := session.Changes{At: time.Now()}
	sess, err := session.StartWatch(opts)
	if err != nil {
		return err
	}
	defer sess.Close()
	w := &watching{flags: flags, std: std, session: sess}
	w.deliver, w.failed = w.write, w.notWritten
	sess.Ignore = func(name string) bool { return w.wrote[name] || isStream(std, name) }
	return w.run(ctx, changes)
}

// isStream reports whether the output of the watch is redirected to a file:
// `rinzel watch > watch.log` would trigger itself forever.
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

// ended returns the error of a run: nil if it was interrupted.
func ended(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// watching is a run of a command that builds on every change.
type watching struct {
	flags buildFlags
	// deliver publishes the outputs of a build, and prints what it did.
	deliver func(ctx context.Context, r *report, u *session.Update, changes session.Changes) error
	// failed is called instead after a build with errors that prevent that.
	failed func(r *report, u *session.Update) error

	// wake requests a build without a change; nil for never.
	wake chan struct{}

	std       IO
	session   *session.Watch
	seen      seenFindings    // of the last build
	announced bool            // the header was printed
	waited    string          // the watched folders as they were printed
	wrote     map[string]bool // absolute paths of written sheets, which may be in the source folder
	built     bool            // a build succeeded and its files were listed
}

// run builds now, and on every change, until the context is cancelled, which is
// not an error.
func (w *watching) run(ctx context.Context, changes session.Changes) error {
	for {
		if err := w.build(ctx, changes); err != nil {
			return ended(ctx, err)
		}
		var err error
		if changes, err = w.next(ctx); err != nil {
			return ended(ctx, err)
		}
	}
}

// next waits for changes, or for a request to build without any.
func (w *watching) next(ctx context.Context) (session.Changes, error) {
	inner, cancel := context.WithCancel(ctx)
	woken := false
	var waiting sync.WaitGroup
	waiting.Go(func() {
		select {
		case <-w.wake:
			woken = true
			cancel()
		case <-inner.Done():
		}
	})
	changes, err := w.session.Next(inner)
	cancel()
	// A request that is received later must be for the build after the next.
	waiting.Wait()
	if woken && errors.Is(err, context.Canceled) && ctx.Err() == nil {
		return session.Changes{At: time.Now()}, nil
	}
	return changes, err
}

// build builds the site and prints the result. changes are those since the last
// build; empty for the first.
func (w *watching) build(ctx context.Context, changes session.Changes) error {
	res, err := w.session.Build(ctx)
	if err != nil {
		return err
	}
	p := w.session.Project()
	r := newReport(w.std, p, w.flags)
	if !w.announced && res.Profile.Name != "" {
		r.header(res.Result)
		w.announced = true
	}
	if changes.Names != nil {
		what := w.changes(changes.Names)
		if changes.Lost {
			what = "too many changes at once for the system to report: all files are read again"
		}
		fmt.Fprintf(w.std.Out, "%s %s\n", r.paint("2", changes.At.Format(time.TimeOnly)), diag.Printable(what))
	}
	fresh, others := w.seen.fresh(p.Tree.Set, res.Diagnostics)
	w.seen = seen(p.Tree.Set, res.Diagnostics)
	err = r.findings(fresh)
	if others > 0 {
		fmt.Fprintf(w.std.Err, "%s unchanged\n", diag.Count(others, "finding"))
	}
	if err != nil && !res.Writable() {
		if err := w.failed(r, res); err != nil {
			return err
		}
		return w.waiting()
	}
	return w.deliver(ctx, r, res, changes)
}

// write writes the outputs, and prints what was written.
func (w *watching) write(ctx context.Context, r *report, u *session.Update, changes session.Changes) error {
	res := u.Result
	w.noteOwn(res)
	published, err := w.flags.write(ctx, w.session.Project(), res, w.std, source.PublishOptions{})
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
		if err := r.summary(res, published, time.Since(changes.At)); err != nil {
			return err
		}
	default:
		w.brief(r, published, time.Since(changes.At))
		return nil
	}
	return w.waiting()
}

// notWritten prints that nothing was written.
func (w *watching) notWritten(r *report, u *session.Update) error {
	if err := r.failed(u.Result); !errors.Is(err, errSources) {
		return err
	}
	return nil
}

// noteOwn records the outputs of single sheets: changes of them need no build.
func (w *watching) noteOwn(res *site.Result) {
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

// waiting prints that it waits for changes, unless it did so for the same
// folders.
func (w *watching) waiting() error {
	where := diag.Printable(strings.Join(w.shown(), ", "))
	if where == w.waited {
		return nil
	}
	w.waited = where
	_, err := fmt.Fprintf(w.std.Out, "watching %s; stop with Ctrl-C\n", where)
	return err
}

// brief prints what a later build wrote.
func (w *watching) brief(r *report, p source.Published, took time.Duration) {
	w.changed(r, "wrote", p.Changed, p.Removed, took)
}

// changed prints which outputs changed. done is what was done with them.
func (w *watching) changed(r *report, done string, names, removed []string, took time.Duration) {
	const most = 3
	text := strings.Join(names[:min(most, len(names))], ", ")
	switch {
	case len(names) > most:
		text += fmt.Sprintf(" and %d more", len(names)-most)
	case len(names) == 0:
		text = "nothing: output unchanged"
	}
	if len(removed) > 0 {
		text += ", removed " + diag.Count(len(removed), "file")
	}
	fmt.Fprintf(w.std.Out, "%s %s, in %s\n", r.paint("1;32", done), diag.Printable(text), took.Round(time.Millisecond))
}

// changes describes what changed. Temporary files of editors are omitted,
// unless there is nothing else.
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

// relativeTo returns a path relative to the working folder.
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

// shown returns the displayed names of the watched folders.
func (w *watching) shown() []string {
	var out []string
	for _, p := range w.session.Folders() {
		out = append(out, relativeTo(p))
	}
	return slices.Compact(out)
}
