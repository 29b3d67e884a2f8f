package lsp

import (
	"context"
	"path"
	"strings"

	"github.com/sourcegraph/jsonrpc2"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/inventory"
	"rinzel/internal/markup"
	"rinzel/internal/query"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file finds all places of a name: constants, mixins and functions, and custom
// properties in sheets; classes in sheets, pages and scripts.

// occurrence is a place of a name in a file of the source folder.
type occurrence struct {
	path     source.Path
	from, to int  // offsets of the name
	sheet    bool // names are escaped there
}

// finder finds the occurrences of a name in one text.
type finder struct {
	subject subject
	name    string
	path    source.Path
	base    int // offset of the part of the file that is searched
	out     []occurrence
}

// add adds an occurrence.
func (f *finder) add(from, to int, sheet bool) {
	f.out = append(f.out, occurrence{f.path, f.base + from, f.base + to, sheet})
}

// occurrences returns the places of a name in all files of the source folder.
func (s *server) occurrences(ctx context.Context, what subject, name string) ([]occurrence, error) {
	p := s.session.Project()
	files, err := query.Files(ctx, p)
	if err != nil {
		return nil, err
	}
	last := name
	if what == aConstant {
		last = lastOf(name)
	}
	var out []occurrence
	for _, file := range files {
		isSheet := strings.EqualFold(path.Ext(file.Name), ".css")
		if !isSheet && what == aMixin && !inventory.IsPage(file.Name) {
			continue
		}
		text, err := p.Tree.Text(file)
		if err != nil || !strings.Contains(text.Text, last) && !strings.Contains(text.Text, `\`) {
			continue
		}
		f := finder{subject: what, name: name, path: file}
		switch {
		case isSheet:
			f.sheet(text)
		case inventory.IsScript(file.Name) && what != aClass && what != aVariable:
		case inventory.IsScript(file.Name):
			f.script(text.Text)
		default:
			f.page(text.Text)
		}
		out = append(out, f.out...)
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// sheet finds the name in a sheet.
func (f *finder) sheet(file *source.File) {
	switch f.subject {
	case aClass:
		sheet, _ := parse.Sheet(file)
		f.classes(file.Text, sheet.Nodes)
	case aConstant:
		f.constants(file.Text)
	default:
		s := scan.New(file.Text)
		for t := s.Next(); t.Kind != token.EOF; t = s.Next() {
			text, end := t.Text(file.Text), int(t.End)
			if t.Kind == token.Function {
				text, end = text[:len(text)-1], end-1
			}
			if (t.Kind == token.Ident || t.Kind == token.Function) && token.Unescape(text) == f.name {
				f.add(int(t.Start), end, true)
			}
		}
	}
}

// classes finds a class in selectors and in @take.
func (f *finder) classes(text string, nodes []ast.Node) {
	var selectors func([]ast.Selector)
	selectors = func(list []ast.Selector) {
		for _, s := range list {
			for i := range s {
				if s[i].Kind == ast.ClassSelector && token.Unescape(s[i].Name) == f.name {
					f.classAt(text, int(s[i].Pos.Off), s[i].Name)
				}
				if s[i].Args != nil {
					selectors(s[i].Args.Selectors)
				}
			}
		}
	}
	ast.Walk(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.StyleRule:
			selectors(n.Selectors)
		case *ast.AtRule:
			f.classValues(text, n.Prelude)
		}
		return true
	})
}

// classValues finds a class in the prelude of an at-rule, as of @take and @scope.
func (f *finder) classValues(text string, values []ast.Value) {
	for i := range values {
		v := &values[i]
		if v.Kind == token.Ident && i > 0 && values[i-1].IsDelim('.') && !v.Space && token.Unescape(v.Text) == f.name {
			f.classAt(text, int(v.Pos.Off), v.Text)
		}
		if !v.IsFunction("const") {
			f.classValues(text, v.Values())
		}
	}
}

// classAt adds a class at an offset, or after the dot at it.
func (f *finder) classAt(text string, offset int, name string) {
	if offset < len(text) && text[offset] == '.' {
		offset++
	}
	if strings.HasPrefix(text[offset:], name) {
		f.add(offset, offset+len(strings.TrimRight(name, " ")), true)
	}
}

// page finds a class in class attributes, and names in style elements, scripts and style
// attributes of a page.
func (f *finder) page(text string) {
	element := ""
	for t := range markup.Tokens(text, markup.Span{End: len(text)}) {
		inside := element
		element = ""
		switch {
		case t.Kind == markup.StartTag:
			element = markup.Name(text, t.At)
		case t.Kind == markup.Text && (inside == "style" || inside == "script"):
			f.base = t.At.Start
			if part := text[t.At.Start:t.At.End]; inside == "style" {
				f.sheet(source.Detached(f.path, f.path.Name, part))
			} else if f.subject == aClass || f.subject == aVariable {
				f.script(part)
			}
			f.base = 0
			continue
		default:
			continue
		}
		for _, attr := range markup.Attributes(text, t.At) {
			if attr.Name == "class" && f.subject == aClass || attr.Name == "style" && f.subject == aVariable {
				f.words(text, attr.At.Start, attr.At.End)
			}
		}
	}
}

// script finds a name as a whole word in the strings of a script.
func (f *finder) script(text string) {
	script.Visit(text, script.Visitor{Literal: func(_ string, at int) {
		end := at
		for end < len(text) && strings.IndexByte("\"'`\n", text[end]) < 0 {
			end++
		}
		f.words(text, at, end)
	}})
}

// words adds the whole words in a part of a text that are the name.
func (f *finder) words(text string, from, to int) {
	isPart := func(c byte) bool { return strings.IndexByte(" \t\r\n\f\"'`;:,()", c) < 0 }
	for from < to {
		i := strings.Index(text[from:to], f.name)
		if i < 0 {
			return
		}
		start, end := from+i, from+i+len(f.name)
		if (start == 0 || !isPart(text[start-1])) && (end == len(text) || !isPart(text[end])) {
			f.add(start, end, false)
		}
		from = end
	}
}

// invalid returns the error that a request cannot be answered as it is.
func invalid(message string) error {
	return &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: message}
}

// named returns the name at a place, if it can be searched for.
func (s *server) named(p *place) (name string, ok bool) {
	switch p.subject {
	case aClass:
		return p.class(), p.whole != ""
	case aConstant:
		name, _ = p.part()
		return name, name != ""
	case aVariable, aMixin:
		return p.whole, p.whole != ""
	case aProperty:
		return p.whole, strings.HasPrefix(p.whole, "--")
	}
	return "", false
}

// use is a place of a name.
type use struct {
	at    source.Span
	sheet bool // names are escaped there
}

// uses returns the places of a name in all files, in token files as well. With the error
// that the settings set it, it returns the others.
func (s *server) uses(ctx context.Context, what subject, name string) ([]use, error) {
	found, err := s.occurrences(ctx, what, name)
	if err != nil {
		return nil, err
	}
	var out []use
	for _, o := range found {
		if f, err := s.session.Project().Tree.Text(o.path); err == nil {
			out = append(out, use{source.SpanOf(f.Pos(o.from), o.to-o.from), o.sheet})
		}
	}
	if what != aConstant {
		return out, nil
	}
	more, err := s.tokenNames(ctx, name)
	for _, at := range more {
		out = append(out, use{at, false})
	}
	return out, err
}

// references lists the places of the name at a place.
func (s *server) references(ctx context.Context, q at) (any, error) {
	_, p, ok := s.asked(q)
	name, known := s.named(&p)
	if !ok || !known {
		return null, nil
	}
	if p.subject == aProperty {
		p.subject = aVariable
	}
	found, err := s.uses(ctx, p.subject, name)
	if err != nil && err != errInSettings {
		return nil, err
	}
	out := []location{}
	for _, u := range found {
		if uri, where, ok := s.place(u.at); ok {
			out = append(out, location{uri, where})
		}
	}
	return out, nil
}
