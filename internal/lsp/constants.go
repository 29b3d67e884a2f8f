package lsp

import (
	"context"
	"path"
	"slices"
	"strings"

	"rinzel/internal/css/print"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/tokens"
)

// This file finds the names of constants: where they are read, in definitions, in token
// files and in the settings. The last part of a path is the name: "sea" of color.sea.

// constantPath returns the path of a constant at the start of a text.
func constantPath(text string) string {
	end := 0
	for end < len(text) && (token.IsName(text[end]) || text[end] == '.') {
		end++
	}
	return strings.TrimRight(text[:end], ".")
}

// lastOf returns the last part of a path.
func lastOf(name string) string { return name[strings.LastIndexByte(name, '.')+1:] }

// addPath adds the place of the name in a path that begins at an offset, if it is the path
// of the constant or of a part of it.
func (f *finder) addPath(path string, at int) {
	if path == f.name || strings.HasPrefix(path, f.name+".") {
		to := at + len(f.name)
		f.add(to-len(lastOf(f.name)), to, true)
	}
}

// constants finds the name of a constant in a sheet: in const(), where it is defined, and
// where it is a part of another name, as in .note-(tone).
func (f *finder) constants(text string) {
	s := scan.New(text)
	var before token.Token
	for t := s.Next(); t.Kind != token.EOF; t = s.Next() {
		start := int(t.End)
		switch {
		case t.Kind == token.Function && strings.EqualFold(t.Text(text), "const("):
			start += len(text[start:]) - len(strings.TrimLeft(text[start:], " \t\r\n\f"))
			f.addPath(constantPath(text[start:]), start)
		case t.Kind == token.LParen && isAttached(text, before, t), t.Kind == token.Function && text[start-2] == '-':
			if path := constantPath(text[start:]); strings.HasPrefix(text[start+len(path):], ")") {
				f.addPath(path, start)
			}
		}
		before = t
	}
	f.definitions(text)
}

// isAttached reports whether a bracket continues the name before it.
func isAttached(text string, before, t token.Token) bool {
	if before.End != t.Start || before.End == before.Start {
		return false
	}
	return strings.IndexByte(".#", text[before.End-1]) >= 0
}

// definitions finds the name of a constant in @const, @default and @drop, in the keys of
// groups, and in the names of groups of tokens.
func (f *finder) definitions(text string) {
	visitDefinitions(text, func(path string, at int) {
		if path == f.name { // keys are visited on their own
			f.add(at, at+len(lastOf(path)), true)
		} else if strings.HasPrefix(path, f.name+".") {
			// the name is an earlier part of the path, if all of it is written here
			from := at - len(path) + len(lastOf(path))
			if from >= 0 && text[from:at] == path[:len(path)-len(lastOf(path))] {
				f.addPath(path, from)
			}
		}
	})
}

// visitDefinitions calls visit with the paths of the constants that a sheet sets, defaults
// or drops, and with the offset of the last part of each.
func visitDefinitions(text string, visit func(path string, at int)) {
	var groups []string // paths of the open groups of constants; "" for other blocks
	path, start := "", -1
	begin := func(at uint32) { path, start = "", int(at) }
	begin(0)
	key := func(end int) {
		name := strings.TrimSpace(text[start:end])
		if n := len(groups); n > 0 && groups[n-1] != "" && name != "" && name == constantPath(name) && path == "" {
			path = groups[n-1] + "." + name
			visit(path, start+strings.Index(text[start:end], name)+len(name)-len(lastOf(name)))
		}
	}
	depth := 0
	s := scan.New(text)
	for t := s.Next(); t.Kind != token.EOF; t = s.Next() {
		switch {
		case t.Kind == token.Comment && strings.TrimSpace(text[start:t.Start]) == "":
			start = int(t.End)
		case t.Kind == token.AtKeyword:
			path = definedAt(text, t, visit)
		case t.Kind == token.LBrace:
			key(int(t.Start))
			groups = append(groups, path)
			begin(t.End)
			depth = 0
		case t.Kind == token.RBrace:
			groups = groups[:max(0, len(groups)-1)]
			begin(t.End)
			depth = 0
		case t.Kind.Closer() != token.EOF:
			depth++
		case t.Kind == token.RParen || t.Kind == token.RBracket:
			depth--
		case t.Kind == token.Semicolon && depth <= 0:
			begin(t.End)
		case t.Kind == token.Colon && depth <= 0:
			key(int(t.Start))
		}
	}
}

// definedAt returns the path of the constant that an at-rule defines, after a visit.
func definedAt(text string, t token.Token, visit func(path string, at int)) string {
	rest := text[t.End:]
	at := int(t.End) + len(rest) - len(strings.TrimLeft(rest, " \t\r\n\f"))
	switch token.Lower(t.Text(text)) {
	case "@const", "@default", "@drop":
	case "@tokens":
		prelude, _, _ := strings.Cut(rest, ";")
		i := strings.LastIndex(prelude, " as ")
		if i < 0 {
			return ""
		}
		at = int(t.End) + i + len(" as ")
	default:
		return ""
	}
	path := constantPath(text[at:])
	if path != "" {
		visit(path, at+len(path)-len(lastOf(path)))
	}
	return path
}

// tokenNames returns the places of a constant's name in token files. The error is that the
// settings set it.
func (s *server) tokenNames(ctx context.Context, name string) ([]source.Span, error) {
	p := s.session.Project()
	found, err := query.ListConstants(ctx, p)
	if err != nil {
		return nil, err
	}
	var inSettings error
	files := make(map[*source.File]*tokenFile)
	for _, c := range query.Merge(found.Sheets) {
		for _, set := range append(slices.Clone(c.Others), c.Set) {
			f := p.Tree.Set.File(set.At.Start.File)
			switch {
			case f == nil || strings.EqualFold(path.Ext(f.Name), ".css"):
			case f.Name != p.Settings.File:
				if files[f] == nil {
					files[f] = readTokenFile(f)
				}
				files[f].locate(c.Path, set.At)
			case c.Path == name || strings.HasPrefix(c.Path, name+"."):
				inSettings = errInSettings
			}
		}
	}
	var out []source.Span
	for _, f := range files {
		for _, one := range f.names {
			if f.constant(one) == name {
				out = append(out, one.At)
			}
		}
	}
	return out, inSettings
}

// tokenFile is a token file with the group of constants that its tokens are in.
type tokenFile struct {
	names []tokens.Name
	has   map[string]bool // paths of its tokens and groups
	group string          // ends in a dot, or is empty
}

// readTokenFile reads the names in a token file.
func readTokenFile(f *source.File) *tokenFile {
	out := &tokenFile{names: tokens.Names(f), has: make(map[string]bool)}
	for _, n := range out.names {
		if !n.IsUse {
			out.has[strings.Join(n.Path, ".")] = true
		}
	}
	return out
}

// locate finds the group of the file by the place where a constant is set.
func (f *tokenFile) locate(constant string, at source.Span) {
	for _, n := range f.names {
		if !n.IsUse && (n.At.Start == at.Start || n.At.Start == at.Start.Add(1)) { // with or without the quote
			f.group = strings.TrimSuffix(constant, strings.Join(n.Path, "."))
		}
	}
}

// constant returns the path of the constant that a name in the file means. An alias may
// name a token of an earlier file.
func (f *tokenFile) constant(n tokens.Name) string {
	name := strings.Join(n.Path, ".")
	if n.IsUse && !f.has[name] {
		return name
	}
	return f.group + name
}

// errInSettings means that the settings set the constant, and a rename cannot be checked.
var errInSettings = invalid("[constants] in the settings sets this constant: rename it there, and then in the sheets")

// composed returns what the sheets of the site become when their constants, mixins and
// functions are applied, and the errors with their places.
func (s *server) composed(ctx context.Context) (sheets map[source.Path]string, errors []string, err error) {
	survey, err := site.NewSurvey(ctx, s.session.Project())
	if err != nil {
		return nil, nil, err
	}
	sheets = make(map[source.Path]string)
	for _, from := range survey.EntryPaths(ctx) {
		if e, ok := survey.Entry(ctx, from, false); ok {
			sheets[from] = print.Sheet(slices.Concat(e.Nodes...), print.Options{})
		}
	}
	for _, d := range survey.Diagnostics() {
		if d.Severity == diag.Error {
			errors = append(errors, d.Message+" at "+s.shown(d.Span))
		}
	}
	return sheets, errors, survey.Err(ctx)
}
