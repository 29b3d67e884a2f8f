package site

import (
	"fmt"
	"path"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/inventory"
	"rinzel/internal/modules"
)

// This file handles files that no URL refers to: files that are copied anyway,
// and files that are probably needed.

// reportUnreferencedFiles suggests to copy the files of folders in which
// scripts build file names.
func (b *builder) reportUnreferencedFiles(programs []*modules.Program, out *emit.Set) {
	copied := out.Copied()
	reported := make(map[string]bool)
	for _, p := range programs {
		for _, f := range p.Folders {
			if reported[f.Name] {
				continue
			}
			reported[f.Name] = true
			var left []string
			for _, q := range b.files.Index().Files {
				if strings.HasPrefix(q.Name, f.Name+"/") && !copied[q] && !inventory.IsPage(q.Name) && !b.files.IsSheet(q.Name) {
					left = append(left, q.Name)
				}
			}
			if len(left) == 0 {
				continue
			}
			b.report(diag.Diagnostic{Code: code.UnreferencedFiles, Severity: diag.Note, Span: f.At, Cause: f.Name,
				Message: fmt.Sprintf("this script builds names of files in %q, where %s no reference, such as %q", f.Name,
					haveNoReference(len(left)), path.Base(left[0])),
				Fix: fmt.Sprintf("if it loads them, set copy = [\"%s/**\"]", f.Name)})
		}
	}
}

// haveNoReference words the number of files without a reference.
func haveNoReference(n int) string {
	if n == 1 {
		return "1 file has"
	}
	return fmt.Sprintf("%d files have", n)
}

// wellKnownFiles are files at the top of a site that browsers, search engines
// and others request although no page refers to them.
var wellKnownFiles = []string{
	"robots.txt", "humans.txt", "ads.txt", "app-ads.txt", "security.txt", "favicon.*", "apple-touch-icon*.png",
	"browserconfig.xml", "crossdomain.xml", "manifest.json", "*.webmanifest", "sitemap*.xml", "sitemap*.xml.gz",
	"opensearch.xml", "CNAME",
}

// copies returns files that are copied without a reference: well-known files,
// and those of the settings.
func (b *builder) copies() (out []emit.Asset) {
	for _, p := range b.files.Index().Files {
		if strings.Contains(p.Name, "/") {
			continue
		}
		for _, pattern := range wellKnownFiles {
			if ok, _ := path.Match(pattern, p.Name); ok {
				out = append(out, emit.Asset{Path: p, Name: p.Name})
				break
			}
		}
	}
	for _, p := range b.files.WellKnown() {
		out = append(out, emit.Asset{Path: p, Name: p.Name})
	}
	for _, g := range b.project.Settings.Copy {
		for _, p := range b.files.Matching(g) {
			if !inventory.IsPage(p.Name) && !b.files.Excluded(p) {
				out = append(out, emit.Asset{Path: p, Name: emit.PlainName(p), At: g.At})
			}
		}
	}
	return out
}
