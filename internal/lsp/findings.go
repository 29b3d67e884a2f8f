package lsp

import (
	"context"
	"maps"
	"path/filepath"
	"regexp"
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
	s.fixes = make(map[string][]fix)
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
		if m := replacement.FindStringSubmatch(d.Fix); m != nil {
			s.fixes[uri] = append(s.fixes[uri], fix{one, m[1]})
		}
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

// replacement matches a fix that names what to write instead of the span of its finding.
var replacement = regexp.MustCompile(`^did you mean "([^"]+)"\?$`)

// fix is a finding with what to write instead.
type fix struct {
	finding diagnostic
	text    string
}

// quickFix is the kind of the actions that correct a finding.
const quickFix = "quickfix"

// codeActions proposes to correct the findings in a range.
func (s *server) codeActions(_ context.Context, p struct {
	TextDocument textDocument `json:"textDocument"`
	Range        textRange    `json:"range"`
}) (any, error) {
	out := []map[string]any{}
	d := s.documents[p.TextDocument.URI]
	for _, f := range s.fixes[p.TextDocument.URI] {
		at := f.finding.Range
		if d == nil || before(at.End, p.Range.Start) || before(p.Range.End, at.Start) {
			continue
		}
		text := f.text
		from, ok := offsetIn(d.text, at.Start)
		to, ok2 := offsetIn(d.text, at.End)
		if !ok || !ok2 || from >= to {
			continue
		}
		if quote := d.text[from]; quote == '"' || quote == '\'' { // the finding is about a string
			text = string(quote) + addressFrom(d.name, text) + string(quote)
		}
		out = append(out, map[string]any{
			"title": "write \"" + f.text + "\"", "kind": quickFix, "isPreferred": true, "diagnostics": []diagnostic{f.finding},
			"edit": map[string]any{"documentChanges": []any{map[string]any{
				"textDocument": map[string]any{"uri": d.uri, "version": d.version},
				"edits":        []textEdit{{at, text}},
			}}},
		})
	}
	return out, nil
}

// addressFrom returns the address of a file that a finding names by its displayed path, as
// another file refers to it; other text as it is.
func addressFrom(name, shown string) string {
	target, err := filepath.Abs(filepath.FromSlash(shown))
	if err != nil || !source.Exists(target) {
		return shown
	}
	rel, err := filepath.Rel(filepath.Dir(name), target)
	if err != nil {
		return shown
	}
	return filepath.ToSlash(rel)
}

// before reports whether a position comes before another one.
func before(a, b position) bool {
	return a.Line < b.Line || a.Line == b.Line && a.Character < b.Character
}
