package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/mattn/go-runewidth"

	"rinzel/internal/diag"
	"rinzel/internal/query"
	"rinzel/internal/source"
)

// This file prints what constants are derived from, and what reads them.

// derivations prints derivations of constants.
type derivations struct {
	*inspection
	all     []*query.Shared
	readers []query.SheetConstants
	linked  int // number of linked sheets with constants
}

// mostReaders limits the lines of a list of readers.
const mostReaders = 12

// print prints everything about one constant.
func (d *derivations) print(c *query.Shared) {
	out := d.std.Out
	fmt.Fprintf(out, "%s %s%s\n", d.paint("1", diag.Printable(c.Path)+":"),
		strings.TrimPrefix(d.swatch(c.Color), "  "), valueText(c.Constant))
	fmt.Fprintf(out, "  %s at %s, for %s\n", verb(c.Set, c.Dropped), d.position(c.Set.At), sheetNames(c.Sheets, d.linked))
	for _, o := range c.Others {
		words := "overrides"
		switch {
		case o.Kind == "drop":
			fmt.Fprintf(out, "  dropped before at %s\n", d.position(o.At))
			continue
		case o.Kind == "default" && c.Set.Kind == "default":
			words = "later default without effect:"
		case o.Kind == "default":
			words = "overrides the default"
		}
		fmt.Fprintf(out, "  %s %s at %s", words, diag.Printable(o.Value), d.position(o.At))
		if o.Reads > 0 {
			fmt.Fprintf(out, ", which %s got", diag.Count(o.Reads, "reader"))
		}
		fmt.Fprintln(out)
	}
	if len(c.From) > 0 {
		fmt.Fprintln(out, "  derived from")
		d.tree(c, "    ", map[string]bool{c.Path: true}, func(c *query.Shared) []string { return c.From })
	}
	if len(c.Derived) > 0 {
		fmt.Fprintln(out, "  used by")
		d.tree(c, "    ", map[string]bool{c.Path: true}, func(c *query.Shared) []string { return c.Derived })
	}
	d.usesOf(c)
	if c.Rules+len(c.Derived) == 0 {
		fmt.Fprintln(out, "  nothing reads it")
	}
}

// find returns the constant with a name that is in one of the sheets of another
// one; nil if there is none.
func (d *derivations) find(name string, near *query.Shared) *query.Shared {
	for _, c := range d.all {
		if c.Path == name && slices.ContainsFunc(c.Sheets, func(s string) bool { return slices.Contains(near.Sheets, s) }) {
			return c
		}
	}
	return nil
}

// tree prints the constants that next leads to, each with its own below it, each
// once. Steps down are two columns.
func (d *derivations) tree(c *query.Shared, indent string, seen map[string]bool,
	next func(*query.Shared) []string) {
	for _, name := range next(c) {
		n := d.find(name, c)
		if n == nil {
			fmt.Fprintf(d.std.Out, "%s%s\n", indent, diag.Printable(name))
			continue
		}
		line := fmt.Sprintf("%s%s: %s%s  %s", indent, diag.Printable(n.Path), strings.TrimPrefix(d.swatch(n.Color), "  "),
			runewidth.Truncate(valueText(n.Constant), 60, "…"), d.paint("2", d.position(n.Set.At)))
		if n.Set.Kind == "tokens" {
			line += d.paint("2", ", a design token")
		}
		if seen[name] {
			fmt.Fprintln(d.std.Out, line+d.paint("2", ", see above"))
			continue
		}
		seen[name] = true
		fmt.Fprintln(d.std.Out, line)
		d.tree(n, indent+"  ", seen, next)
	}
}

// usesOf prints the rules that read a constant, and those that read the custom
// properties which are set to it.
func (d *derivations) usesOf(c *query.Shared) {
	if c.Rules == 0 {
		return
	}
	fmt.Fprintf(d.std.Out, "  read by %s\n", diag.Count(c.Rules, "rule"))
	seen := make(map[string]bool)
	for i, u := range c.Uses {
		if i == mostReaders {
			fmt.Fprintf(d.std.Out, "    and %d more, --json lists all\n", len(c.Uses)-i)
			break
		}
		d.use("    ", u.At, u.Rule, u.Property)
		if strings.HasPrefix(u.Property, "--") && !seen[u.Property] {
			seen[u.Property] = true
			d.readersOf("      ", u.Property, seen)
		}
	}
}

// use prints a place that reads something.
func (d *derivations) use(indent string, at source.Span, rule, property string) {
	text := ""
	switch {
	case rule != "" && property != "":
		text = rule + " { " + property + " }"
	case property != "":
		text = property
	default:
		text = rule
	}
	text = diag.Printable(runewidth.Truncate(text, 70, "…"))
	fmt.Fprintln(d.std.Out, strings.TrimRight(fmt.Sprintf("%s%s  %s", indent, d.position(at), text), " "))
}

// readersOf prints the declarations that read a custom property, and those that
// read what they set.
func (d *derivations) readersOf(indent, name string, seen map[string]bool) {
	type reader struct {
		at             source.Span
		rule, property string
	}
	var list []reader
	for _, s := range d.readers {
		for _, u := range s.Readers[name] {
			if r := (reader{u.At, u.Rule, u.Property}); !slices.Contains(list, r) {
				list = append(list, r)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b reader) int { return cmp.Compare(a.at.Start.File, b.at.Start.File) })
	for i, r := range list {
		if i == mostReaders {
			fmt.Fprintf(d.std.Out, "%sand %d more\n", indent, len(list)-i)
			break
		}
		d.use(indent, r.at, r.rule, r.property)
		if strings.HasPrefix(r.property, "--") && !seen[r.property] {
			seen[r.property] = true
			d.readersOf(indent+"  ", r.property, seen)
		}
	}
}

// constantsAt prints the constants that the rule or declaration at a place
// depends on.
func (in *inspection) constantsAt(ctx context.Context, filter, at string) ([]diag.Diagnostic, error) {
	if filter != "" {
		return nil, errors.New("--at and a filter cannot be combined")
	}
	place, err := readPlace(at)
	if err != nil {
		return nil, err
	}
	found, err := query.ListConstants(ctx, in.project)
	if err != nil {
		return nil, err
	}
	file, err := in.sheetAt(place.File)
	if err != nil {
		return nil, err
	}
	spot, err := query.SpotAt(file, place.Line, place.Column)
	if err != nil {
		return nil, err
	}
	found.Governing(spot)
	if in.flags.json {
		in.answer = in.jsonConstants(found)
		return found.Diagnostics, nil
	}
	fmt.Fprintf(in.std.Out, "%s  %s\n", in.paint("1", in.position(spot.Span)), diag.Printable(shortened(spot.Text, false)))
	list := query.Merge(found.Sheets)
	if len(list) == 0 {
		fmt.Fprintln(in.std.Out, "  it depends on no constant")
		return found.Diagnostics, nil
	}
	in.constantTable(list)
	return found.Diagnostics, nil
}

// sheetAt returns the sheet with a path in the working folder that the project
// has read.
func (in *inspection) sheetAt(name string) (*source.File, error) {
	inSource, err := sourceName(in.project, name)
	if err != nil {
		return nil, err
	}
	f, err := query.ReadSheet(in.project, inSource)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, notFound(err))
	}
	return f, nil
}
