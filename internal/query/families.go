package query

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// This file answers questions about families of classes.

// Families are the families and modes of a site, with the members in use.
type Families struct {
	Families    []FamilyUse // in the order of linked sheets, and in each one of rules
	Modes       []compose.Mode
	Diagnostics []diag.Diagnostic // errors in the sources
	sheets      []site.SheetFamilies
	places      map[string][]source.Pos // of names in use, one per file
	shown       func(source.Path) string
}

// FamilyUse is a family, with the linked sheets that have it.
type FamilyUse struct {
	compose.Family
	Sheets []string // displayed paths
}

// ListFamilies lists the families of a site. sheet limits them to those of a linked
// sheet, given as a path in the source folder or "root:path"; empty for all. The error
// is one of the run itself, or that no page links the sheet.
func ListFamilies(ctx context.Context, p *project.Project, sheet string, opts site.Options) (*Families, error) {
	opts.PurgeOnly, opts.WithoutChecks, opts.KeepStages = true, true, true
	res, err := site.Build(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	out := &Families{sheets: res.Families, Diagnostics: res.Blocking(), places: make(map[string][]source.Pos),
		shown: p.Tree.Show}
	if sheet != "" {
		root, name := project.SplitRoot(sheet)
		out.sheets = slices.DeleteFunc(out.sheets,
			func(f site.SheetFamilies) bool { return f.Sheet != source.Path{Root: root, Name: name} })
		if len(out.sheets) == 0 {
			return nil, fmt.Errorf("no page links a sheet %q with families", sheet)
		}
	}
	if res.InUse != nil {
		for _, f := range res.InUse.Files {
			f.Names.Each(func(name string, at source.Pos) { out.places[name] = append(out.places[name], at) })
		}
	}
	out.merge()
	return out, nil
}

// merge joins families and modes that several linked sheets import.
func (f *Families) merge() {
	type key struct { // a loop writes several at one position
		at   source.Span
		text string
	}
	families, modes := make(map[key]int), make(map[key]int)
	for _, s := range f.sheets {
		for _, fam := range s.List() {
			k := key{fam.At, fam.Pattern}
			if _, known := families[k]; !known {
				families[k] = len(f.Families)
				f.Families = append(f.Families, FamilyUse{Family: fam})
			}
			use := &f.Families[families[k]]
			use.Sheets = append(use.Sheets, f.shown(s.Sheet))
			for _, m := range fam.Members {
				if !slices.ContainsFunc(use.Members, func(o compose.Member) bool { return o.Class == m.Class }) {
					use.Members = append(use.Members, m)
				}
			}
		}
		for _, m := range s.Modes() {
			k := key{m.At, m.Prefix}
			if _, known := modes[k]; !known {
				modes[k] = len(f.Modes)
				f.Modes = append(f.Modes, m)
			}
		}
	}
}

// Places returns where a class is in use, one place for each file, in the order of
// file names.
func (f *Families) Places(class string, files *source.Set) []source.Pos {
	list := slices.Clone(f.places[class])
	slices.SortFunc(list, func(a, b source.Pos) int {
		return strings.Compare(files.File(a.File).Name, files.File(b.File).Name)
	})
	return list
}

// AsRules returns the rules of all members in use as a sheet without families. The
// error is that linked sheets have different families.
func (f *Families) AsRules() (string, error) {
	text := ""
	for i := range f.sheets {
		now := print.Sheet(f.sheets[i].Rules(), print.Options{})
		if i > 0 && now != text {
			return "", fmt.Errorf("the linked sheets %s and %s have different families: name one with --sheet",
				f.shown(f.sheets[0].Sheet), f.shown(f.sheets[i].Sheet))
		}
		text = now
	}
	return text, nil
}

// ClassIn returns the class that a question about one names: ".wide-width-1/3" as in a
// page, or ".wide-width-1\/3" as in a selector.
func ClassIn(question string) string {
	return token.Unescape(strings.TrimPrefix(strings.TrimSpace(question), "."))
}

// Membership is what a class is in a family.
type Membership struct {
	compose.Member
	Family compose.Family // without its members
	Modes  []compose.Mode // of the class, the outermost first; without their members
}

// Membership returns the family that a class in use belongs to. ok is false if there
// is none.
func (o *Purged) Membership(class string) (m Membership, ok bool) {
	for i := range o.res.Families {
		m.Member, m.Family, m.Modes, ok = o.res.Families[i].Member(class)
		if ok {
			return m, true
		}
	}
	return m, false
}
