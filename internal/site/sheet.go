package site

import (
	"context"
	"fmt"
	"path"
	"path/filepath"
	"slices"

	"rinzel/internal/bundle"
	"rinzel/internal/graph"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step"
)

// Sheet builds a single sheet without a page. name is its path in the source
// folder, or "root:path". output is the path of the file that it will be
// written to, or "" for standard output; URLs in the sheet become relative to
// it. The sheet is only purged with evidence. The first output is the sheet.
func Sheet(ctx context.Context, p *project.Project, name, output string, opts Options) (*Result, error) {
	b, err := newBuilder(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	res := &Result{Profile: b.profile}
	purges := b.purges() && len(p.Settings.Purge.Evidence)+len(opts.Evidence) > 0
	if b.purges() && !purges {
		res.Purging = "a sheet without a page is only purged with evidence"
		b.profile.Finish = pipeline.WithoutSite(b.profile.Finish)
		res.Profile.Finish = b.profile.Finish
	}
	if purges {
		if b.evidence, err = b.gatherer().GatherNamed(ctx); err != nil {
			return nil, err
		}
		b.report(b.evidence.Diagnostics...)
	}
	at, err := b.sheetNamed(name)
	if err != nil {
		return nil, err
	}
	if _, err := b.cache.linked.Sheets.Load(b.files, at); err != nil {
		b.report(b.files.Unreadable(at, err, source.Span{}))
		res.Diagnostics = b.diags.Sorted(p.Tree.Set)
		return res, nil
	}
	if output == "" && b.profile.Maps == project.FileMaps {
		// There is no file that the map could be next to.
		b.profile.Maps, res.Profile.Maps = project.InlineMaps, project.InlineMaps
	}
	if err := b.makeFinish(); err != nil {
		return nil, err
	}
	if err := b.makeSheet(ctx, at, output, res); err != nil {
		return nil, err
	}
	res.Diagnostics, res.Checks = b.findings()
	if err := b.failure(); err != nil {
		return nil, err
	}
	return res, nil
}

// makeSheet builds the bundle of a single sheet.
func (b *builder) makeSheet(ctx context.Context, at source.Path, output string, res *Result) error {
	dir, base := filepath.Dir(b.files.Show(at)), path.Base(at.Name)
	if output != "" {
		dir, base = filepath.Dir(output), filepath.Base(output)
	}
	job := bundle.Job{
		Pieces: slices.Clone(b.entryOf(ctx, at).Distinct), Kind: step.Bundle, Path: source.Path{Name: base}, Files: b.files.Reader, Finish: b.finish, Charset: true,
		Report:  b.report,
		Address: b.addressOnDisk(dir),
	}
	if b.profile.Maps != project.NoMaps {
		job.Map = b.project.Tree.Set
	}
	made, err := job.Make(ctx)
	if err != nil {
		return err
	}
	info := infoOf(base, &made)
	b.checkPurged(&info, &made, true, source.Span{}, b.report)
	var mapped []byte
	if made.Map != nil {
		mapped = made.Map.JSON(base, func(f *source.File) string { return b.relativeOnDisk(dir, f.Name) })
	}
	res.Bundles = []Bundle{info}
	for _, v := range made.Verdicts {
		res.Verdicts = append(res.Verdicts, SelectorVerdict{info.Name, v})
	}
	res.Outputs = b.styleFiles(&info, &made, mapped, source.Span{})
	return nil
}

// addressOnDisk returns a function that rewrites URLs relative to a folder.
// Assets are not copied.
func (b *builder) addressOnDisk(dir string) func(bundle.URL) (string, bool) {
	addresses := make(map[source.Path]string)
	return func(u bundle.URL) (string, bool) {
		t, found, ok := b.assetOf(b.files, u)
		b.report(found...)
		to, known := addresses[t.Path]
		if !known {
			to = b.relativeOnDisk(dir, b.files.Show(t.Path))
			addresses[t.Path] = to
		}
		return to + t.Tail, ok
	}
}

// sheetNamed returns the path of a sheet given as a path in the source folder,
// or "root:path".
func (b *builder) sheetNamed(name string) (source.Path, error) {
	root, rest := project.SplitRoot(name)
	if !b.project.Tree.HasRoot(root) {
		return source.Path{}, fmt.Errorf("unknown root %q", root)
	}
	if root == project.PackageRoot { // the name of a package means its main sheet
		if t := b.files.Resolve(source.Path{}, name); t.Kind == graph.Local {
			return t.Path, nil
		}
	}
	return source.Path{Root: root, Name: path.Clean(rest)}, nil
}
