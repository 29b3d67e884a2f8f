package build

import (
	"context"
	"fmt"
	"runtime"
	"slices"

	"github.com/bmatcuk/doublestar/v4"
	"golang.org/x/sync/errgroup"

	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/purge"
)

// gatherEvidence reads the names in use from the pages, from every script of
// the source folder, and from the files that settings and options name. It
// does nothing in a profile that does not purge.
func (b *builder) gatherEvidence(ctx context.Context, pages []*graph.Page) error {
	if !b.purges() {
		return nil
	}
	files := make(map[source.Path]bool)
	for _, page := range pages {
		files[page.File.Path] = true
	}
	b.walk(func(p source.Path) {
		if isScript(p.Name) {
			files[p] = true
		}
	})
	b.matchEvidence(files)
	if len(files) == 0 {
		b.report(noEvidence())
	}
	for _, page := range pages {
		b.remoteScripts(page)
	}
	return b.readEvidence(ctx, files)
}

// noEvidence words that there is nothing to judge by what is in use.
func noEvidence() diag.Diagnostic {
	return diag.Diagnostic{Code: "no-evidence", Severity: diag.Error,
		Message: "no file that could be evidence was found, so purging would remove everything",
		Mend:    "name pages, templates or scripts with --evidence or in [purge] evidence, relative to the source folder"}
}

// matchEvidence adds the files that the evidence globs match.
func (b *builder) matchEvidence(files map[source.Path]bool) {
	settings := b.project.Settings.Purge.Evidence
	globs := slices.Concat(settings, b.opts.Evidence)
	matched := make([]bool, len(globs))
	seen := func(p source.Path) {
		for i, glob := range globs {
			root, glob := project.SplitRoot(glob)
			if ok, _ := doublestar.Match(glob, p.Name); ok && root == p.Root {
				files[p] = true
				matched[i] = true
			}
		}
	}
	b.walk(seen)
	for i, glob := range globs {
		if root, _ := project.SplitRoot(glob); root != "" {
			b.project.Tree.Walk(root, func(string) bool { return true }, seen, func(source.Path, error) {})
		}
		if !matched[i] {
			where := "--evidence"
			if i < len(settings) {
				where = "[purge]"
			}
			b.report(diag.Diagnostic{Code: "no-evidence", Severity: diag.Warning,
				Message: fmt.Sprintf("the evidence %q in %s matches no file in the source folder %q", glob, where, b.project.Settings.Source),
				Mend:    "paths are relative to the source folder; ** stands for any folders"})
		}
	}
}

// remoteScripts notes scripts that a page loads from elsewhere: what they use
// cannot be known.
func (b *builder) remoteScripts(page *graph.Page) {
	for _, s := range page.Scripts {
		if s.Address != "" && b.resolve(page, s.Address).Kind == graph.External {
			b.report(diag.Diagnostic{Code: "remote-script", Severity: diag.Note,
				Span:    refSpan(page, s.Ref),
				Message: "this script is not read for names in use, since it lies elsewhere",
				Mend:    "list in [purge] keep the classes that only it uses"})
		}
	}
}

// readEvidence reads files, each kind in its own way.
func (b *builder) readEvidence(ctx context.Context, files map[source.Path]bool) error {
	keep := b.project.Settings.Purge.Keep
	b.evidence = purge.NewEvidence(keep)
	var list []source.Path
	for p := range files {
		list = append(list, p)
	}
	found := make([]*purge.Evidence, len(list))
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i, p := range list {
		group.Go(func() error {
			found[i] = b.readOne(p)
			return ctx.Err()
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for _, e := range found {
		b.evidence.Add(e)
	}
	return nil
}

func (b *builder) readOne(p source.Path) *purge.Evidence {
	e := purge.NewEvidence(nil)
	f, err := b.project.Tree.Text(p)
	if err != nil {
		d := b.unreadable(p, err, source.Span{})
		d.Message += "; it is evidence of what is in use, which cannot be judged without it"
		b.report(d)
		return e
	}
	switch {
	case isPage(p.Name):
		e.AddHTML(f.Text)
	case isScript(p.Name):
		e.AddScript(f.Text)
	default:
		e.AddText(f.Text)
	}
	return e
}
