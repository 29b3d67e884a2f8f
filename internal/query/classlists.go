package query

import (
	"context"
	"errors"
	"path"
	"regexp"
	"slices"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/inventory"
	"rinzel/internal/markup"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// This file puts the class lists of pages into the order of the families.

// ErrNoFamilies means that no linked sheet has families.
var ErrNoFamilies = errors.New("no linked sheet has families, whose order class lists could have")

// ClassOrder puts class lists into the order of the families of a site.
type ClassOrder struct {
	Diagnostics []diag.Diagnostic // errors in the sources
	families    []site.SheetFamilies
	selectors   []classSelector
}

// OrderedPage is a page or template with its class lists in the order of families.
type OrderedPage struct {
	File  *source.File
	Text  string        // what to write
	Lists int           // class lists that changed
	Kept  []OrderedKept // lists that stay as they are
}

// OrderedKept is a class list that stays as it is, because an attribute selector depends
// on its order.
type OrderedKept struct {
	At       source.Span
	Selector string
}

// Pages returns the pages and templates of the source folder, in lexical order.
func Pages(ctx context.Context, p *project.Project) ([]source.Path, error) {
	all, err := Files(ctx, p)
	return slices.DeleteFunc(all, func(f source.Path) bool { return !HasClassLists(f.Name) }), err
}

// HasClassLists reports whether a file is a page or a template, by its name.
func HasClassLists(name string) bool {
	return inventory.IsPage(name) || inventory.IsTemplate(name) && !inventory.IsScript(name)
}

// NewClassOrder builds a site in memory, for its families and the selectors of its sheets
// and scripts. The error is one of the run, or [ErrNoFamilies].
func NewClassOrder(ctx context.Context, p *project.Project, opts site.Options) (*ClassOrder, error) {
	opts.WithoutChecks = true
	res, err := site.Build(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	c := &ClassOrder{Diagnostics: res.Blocking(), families: res.Families}
	if len(c.Diagnostics) > 0 {
		return c, nil
	}
	if len(c.families) == 0 {
		return nil, ErrNoFamilies
	}
	for _, o := range res.Outputs {
		switch o.Kind {
		case emit.StyleKind, emit.ScriptKind, emit.PageKind:
		default:
			if !inventory.IsScript(o.Path) && path.Ext(o.Path) != ".css" {
				continue
			}
		}
		data, err := o.Content()
		if err != nil {
			return nil, err
		}
		c.selectors = append(c.selectors, classSelectors(string(data))...)
	}
	return c, nil
}

// Page puts the class lists of a page into the order of the families: first the classes
// that are in no family, in the order in which they are written, then the members of
// families in the order of their rules. A list whose order an attribute selector reads
// stays as it is.
func (c *ClassOrder) Page(file *source.File) *OrderedPage {
	out := &OrderedPage{File: file}
	var b strings.Builder
	done := 0
	for class := range markup.ClassLists(file.Text) {
		list := file.Text[class.At.Start:class.At.End]
		ordered := markup.Permute(list, c.order)
		if ordered == list {
			continue
		}
		if i := slices.IndexFunc(c.selectors, func(s classSelector) bool { return s.tells(list, ordered) }); i >= 0 {
			at := source.SpanOf(file.Pos(class.At.Start), len(list))
			out.Kept = append(out.Kept, OrderedKept{at, c.selectors[i].text})
			continue
		}
		b.WriteString(file.Text[done:class.At.Start])
		b.WriteString(ordered)
		done = class.At.End
		out.Lists++
	}
	out.Text = b.String() + file.Text[done:]
	return out
}

// order returns classes in the order of the families of the linked sheet that has most
// of them.
func (c *ClassOrder) order(classes []string) []string {
	members := site.MostInOrder(c.families, classes)
	if len(members) == 0 {
		return classes
	}
	others := slices.DeleteFunc(classes, func(class string) bool { return slices.Contains(members, class) })
	return append(others, members...)
}

// classSelector is an attribute selector for the class attribute.
type classSelector struct{ text, operator, value string }

// anyClassSelector finds attribute selectors for the class attribute, in sheets and in
// strings of scripts.
var anyClassSelector = regexp.MustCompile(`(?i)\[\s*class\s*([\^$*|]?=)\s*(\\?"[^"\]]*"|\\?'[^'\]]*'|[^"'\]\s]+)[^\]]*\]`)

// classSelectors returns the attribute selectors for the class attribute in a text.
func classSelectors(text string) (out []classSelector) {
	for _, m := range anyClassSelector.FindAllStringSubmatch(text, -1) {
		value := strings.NewReplacer(`\"`, "", `\'`, "").Replace(m[2])
		out = append(out, classSelector{m[0], m[1], token.Unescape(strings.Trim(value, `"'`))})
	}
	return out
}

// tells reports whether the selector matches only one of two values of an attribute, with
// or without regard to case.
func (s classSelector) tells(a, b string) bool {
	return s.matches(a, s.value) != s.matches(b, s.value) ||
		s.matches(strings.ToLower(a), strings.ToLower(s.value)) != s.matches(strings.ToLower(b), strings.ToLower(s.value))
}

// matches reports whether an attribute matches (Selectors 4, section 6.1 and 6.2).
func (s classSelector) matches(attribute, value string) bool {
	switch s.operator {
	case "^=":
		return value != "" && strings.HasPrefix(attribute, value)
	case "$=":
		return value != "" && strings.HasSuffix(attribute, value)
	case "*=":
		return value != "" && strings.Contains(attribute, value)
	case "|=":
		return attribute == value || strings.HasPrefix(attribute, value+"-")
	}
	return attribute == value
}
