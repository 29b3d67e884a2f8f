package build

import (
	"context"
	"fmt"
	"path"
	"path/filepath"

	"rinzel/internal/graph"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step"
)

// Sheet builds one sheet without a page. name is its path in the source
// folder, or "root:path". output is the file it will be written to, on disk,
// or "" for standard output; addresses in the sheet are made relative to it.
// The sheet is purged only if evidence is named. The first output is the sheet.
func Sheet(ctx context.Context, p *project.Project, name, output string, opts Options) (*Result, error) {
	b, err := newBuilder(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	res := &Result{Profile: b.profile}
	purges := b.purges() && len(p.Settings.Purge.Evidence)+len(opts.Evidence) > 0
	if b.purges() && !purges {
		res.Purging = "a sheet without a page is purged only if evidence is named"
		b.profile.Finish = pipeline.WithoutSite(b.profile.Finish)
		res.Profile.Finish = b.profile.Finish
	}
	if purges {
		if err := b.sheetEvidence(ctx); err != nil {
			return nil, err
		}
	}
	entryPath, err := b.sheetNamed(name)
	if err != nil {
		return nil, err
	}
	if _, err := b.memory.sheets.Load(entryPath); err != nil {
		b.report(b.unreadable(entryPath, err, source.Span{}))
		res.Diagnostics = b.diags.Sorted(b.project.Tree.Set)
		return res, nil
	}
	dir, base := filepath.Dir(p.Tree.Show(entryPath)), path.Base(entryPath.Name)
	if output != "" {
		dir, base = filepath.Dir(output), filepath.Base(output)
	}
	addresses := make(map[source.Path]string)
	made := b.bundle(bundleJob{
		report: b.report, pieces: repeated(b.entryOf(entryPath).pieces), name: base, kind: step.Bundle, alone: true,
		source: func(f *source.File) string { return b.relativeOnDisk(dir, f.Name) },
		address: func(u urlUse) (string, bool) {
			t, missing, ok := b.assetOf(u)
			b.report(missing...)
			to, known := addresses[t.Path]
			if !known {
				to = b.relativeOnDisk(dir, p.Tree.Show(t.Path))
				addresses[t.Path] = to
			}
			return to + t.Tail, ok
		},
	})
	if output == "" && b.profile.Maps == project.FileMaps {
		// There is no file that the map could lie beside.
		b.profile.Maps, res.Profile.Maps = project.InlineMaps, project.InlineMaps
	}
	res.Bundles = []Bundle{made.info}
	for _, v := range made.verdicts {
		res.Ledger = append(res.Ledger, Judged{made.info.Name, v})
	}
	res.Outputs = b.styleFiles(&made, source.Span{})
	res.Diagnostics, res.Checks = b.findings()
	if err := b.ended(); err != nil {
		return nil, err
	}
	return res, nil
}

// sheetNamed returns the path of a sheet that is named by its path in the source
// folder, or "root:path".
func (b *builder) sheetNamed(name string) (source.Path, error) {
	root, rest := project.SplitRoot(name)
	if !b.project.Tree.HasRoot(root) {
		return source.Path{}, fmt.Errorf("there is no root %q", root)
	}
	if root == project.PackageRoot { // the name of a package stands for its main sheet
		if t := graph.Resolve(b.project.Tree, source.Path{}, b.project.Settings.Base, name); t.Kind == graph.Local {
			return t.Path, nil
		}
	}
	return source.Path{Root: root, Name: path.Clean(rest)}, nil
}

// sheetEvidence gathers the names in use from the files that settings and
// options name, and from nothing else.
func (b *builder) sheetEvidence(ctx context.Context) error {
	files := make(map[source.Path]bool)
	kept := &keptEvidence{diags: b.matchEvidence(files)}
	if len(files) == 0 {
		kept.diags = append(kept.diags, noEvidence())
	}
	err := b.readEvidence(ctx, files, kept)
	b.evidence = kept.all
	b.report(kept.diags...)
	return err
}
