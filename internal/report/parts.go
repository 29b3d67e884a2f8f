package report

import (
	"cmp"
	"slices"
	"strings"

	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/emit"
	"rinzel/internal/link"
	"rinzel/internal/markup"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// mappings collects positions of an output by their source files.
type mappings struct{ m sourcemap.Map }

// Add implements [print.Mapper].
func (c *mappings) Add(line, column int, from source.Pos, _ string) {
	c.m.Mappings = append(c.m.Mappings, sourcemap.Mapping{Line: line, Column: column, Source: int(from.File)})
}

// partsOf returns how many bytes of a bundle come from each source file, by
// displayed path.
func partsOf(s *site.Staged, files *source.Set) map[string]int {
	var c mappings
	text := s.Last().Print(&c)
	out := make(map[string]int)
	for id, n := range c.m.Shares(text) {
		if f := files.File(source.FileID(max(id, 0))); f != nil {
			out[f.Name] += n
		}
	}
	return out
}

var _ print.Mapper = (*mappings)(nil)

// A class list is reported if it has at least fewClasses and is in at least
// fewPlaces; of the lists, mostLists are reported.
const (
	fewClasses = 3
	fewPlaces  = 3
	mostLists  = 40
)

// classLists returns the class lists that pages repeat, those with most classes
// in most places first. The order of the classes does not matter.
func classLists(outputs []emit.Output, families []site.SheetFamilies) []ClassList {
	lists := make(map[string]*ClassList)
	for _, o := range outputs {
		if o.Kind != emit.PageKind {
			continue
		}
		text := string(o.Data)
		on := make(map[string]bool) // lists on this page
		for class := range markup.ClassLists(text) {
			names := strings.Fields(class.Value)
			slices.Sort(names)
			if names = slices.Compact(names); len(names) < fewClasses {
				continue
			}
			key := strings.Join(names, " ")
			l := lists[key]
			if l == nil {
				l = &ClassList{Classes: names, First: o.Path}
				lists[key] = l
			}
			if l.Places++; !on[key] {
				on[key] = true
				l.Pages++
			}
		}
	}
	var out []ClassList
	for _, l := range lists {
		if l.Places >= fewPlaces {
			out = append(out, *l)
		}
	}
	slices.SortFunc(out, func(a, b ClassList) int {
		return cmp.Or(cmp.Compare(len(b.Classes)*b.Places, len(a.Classes)*a.Places),
			slices.Compare(a.Classes, b.Classes))
	})
	out = out[:min(len(out), mostLists)]
	for i := range out {
		out[i].Rule = ruleFor(out[i].Classes, families)
	}
	return out
}

// ruleFor returns a rule with the declarations of the classes that are members of the
// families of a sheet: of the sheet that has most of them.
func ruleFor(classes []string, families []site.SheetFamilies) string {
	const fewest = 2
	members := site.MostInOrder(families, classes)
	if len(members) < fewest {
		return ""
	}
	rule := ".name { @take"
	for _, class := range members {
		rule += " ." + token.EscapeName(class)
	}
	return rule + "; }"
}

// Import is a sheet in an import tree.
type Import struct {
	Sheet     string   `json:"sheet"`
	Condition string   `json:"condition"`
	Note      string   `json:"note"` // "external", …
	Rules     int      `json:"rules"`
	Users     []string `json:"users,omitempty"` // of a root: pages and bundles that link it
	Imports   []Import `json:"imports"`
}

// importsOf returns the import trees of linked sheets, each once, with the pages
// that link it.
func importsOf(found *query.Imports) []Import {
	index := make(map[string]int)
	var out []Import
	for _, e := range found.Entries {
		for _, tree := range e.Trees {
			i, ok := index[tree.Sheet]
			if !ok {
				i = len(out)
				index[tree.Sheet] = i
				out = append(out, importOf(tree))
			}
			if !slices.Contains(out[i].Users, e.Name) {
				out[i].Users = append(out[i].Users, e.Name)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Import) int { return len(b.Users) - len(a.Users) })
	return out
}

// importOf returns a sheet with its imports.
func importOf(n *link.ImportNode) Import {
	out := Import{Sheet: n.Sheet, Condition: n.Condition, Rules: n.Rules}
	switch {
	case n.External:
		out.Note = "external"
	case n.Excluded:
		out.Note = "left out by the import"
	case n.Repeated:
		out.Note = "repeated later"
	}
	for _, c := range n.Imports {
		out.Imports = append(out.Imports, importOf(c))
	}
	return out
}
