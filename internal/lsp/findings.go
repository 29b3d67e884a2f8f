package lsp

import (
	"context"
	"maps"
	"path/filepath"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// findings returns the findings of a check of the site, and of open sheets that no page
// uses.
func (s *server) findings(ctx context.Context) ([]diag.Diagnostic, error) {
	found := slices.Clone(s.session.Found())
	cache := s.session.Cache()
	if cache == nil {
		return found, nil
	}
	p := s.session.Project()
	checked, err := site.Check(ctx, p, nil, site.Options{Cache: cache, Profile: s.opts.Profile})
	if err != nil {
		return nil, err
	}
	return append(found, checked.Diagnostics...), nil
}

// publish sends findings to the editor, by file. Files that had some and have none any
// more get an empty list.
func (s *server) publish(ctx context.Context, found []diag.Diagnostic) {
	lists := make(map[string][]diagnostic)
	for uri := range s.documents {
		lists[uri] = []diagnostic{}
	}
	for uri := range s.published {
		lists[uri] = []diagnostic{}
	}
	for i := range found {
		d := &found[i]
		uri, where, ok := s.place(d.Span)
		if !ok {
			continue
		}
		severity := map[diag.Severity]int{diag.Error: 1, diag.Warning: 2, diag.Note: 3}[d.Severity]
		one := diagnostic{Range: where, Severity: severity, Code: string(d.Code), Source: "rinzel", Message: d.Message}
		if d.Fix != "" {
			one.Message += "\nfix: " + d.Fix
		}
		for _, r := range d.Related {
			if uri, where, ok := s.place(r.Span); ok {
				one.Related = append(one.Related, related{location{uri, where}, r.Message})
			}
		}
		lists[uri] = append(lists[uri], one)
	}
	s.published = make(map[string]bool)
	for _, uri := range slices.Sorted(maps.Keys(lists)) {
		p := publishParams{URI: uri, Diagnostics: lists[uri]}
		if d := s.documents[uri]; d != nil {
			p.Version = &d.version
		}
		s.published[uri] = len(p.Diagnostics) > 0
		if !s.published[uri] {
			delete(s.published, uri)
		}
		if err := s.conn.Notify(ctx, "textDocument/publishDiagnostics", p); err != nil {
			return
		}
	}
}

// place returns the file and the range of a span. ok is false if it is in no file on disk.
func (s *server) place(at source.Span) (uri string, where textRange, ok bool) {
	p := s.session.Project()
	f := p.Tree.Set.File(at.Start.File)
	if f == nil || !at.IsValid() {
		return "", where, false
	}
	name, err := filepath.Abs(filepath.FromSlash(p.Tree.Show(f.Path)))
	if err != nil || !source.Exists(name) {
		return "", where, false
	}
	uri = uriOf(name)
	for _, d := range s.documents { // as the editor writes it
		if d.name == name {
			uri = d.uri
		}
	}
	return uri, rangeIn(f.Text, int(at.Start.Off), int(at.End)), true
}
