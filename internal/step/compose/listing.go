package compose

import (
	"cmp"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// This file lists families, modes and their members for questions about them.

// Family is a family of classes.
type Family struct {
	Pattern string      // as in ".padding-(step)"
	At      source.Span // its pattern
	Slots   []Slot
	Members []Member // in use, in the order of their rules, those with modes last
}

// Slot is a slot of a family.
type Slot struct {
	Name    string
	Sources []SlotSource // in order
}

// SlotSource is what may fill a slot.
type SlotSource struct {
	Text string   // as written: "const(space)" or "<length>"
	Keys []string // all that fill it; for a type its keywords, besides which there are other values
	Type bool     // it is a type
}

// Member is a class of a family that is in use.
type Member struct {
	Class        string
	Modes        []string // prefixes, the outermost first
	Fills        []Fill
	Declarations string // without those of modes
}

// Fill is what fills a slot of a member.
type Fill struct {
	Slot  string
	Key   string // in the class
	Value string // what the declarations get
}

// Mode is a mode of classes.
type Mode struct {
	Prefix  string
	At      source.Span
	Members []string // the classes in use that have the mode, sorted
}

// List returns all families, in order.
func (f *Families) List() []Family {
	all := f.collected
	out := make([]Family, len(all.list))
	for i, fam := range all.list {
		out[i] = Family{Pattern: fam.pattern.String(), At: fam.at}
		for _, s := range fam.slots {
			out[i].Slots = append(out[i].Slots, s.list())
		}
	}
	var members []*moded
	for _, name := range f.used {
		if m := all.plan.member(name); !m.invalid && m.family < len(out) {
			members = append(members, m)
		}
	}
	slices.SortFunc(members, (*moded).compare)
	for _, m := range members {
		out[m.family].Members = append(out[m.family].Members, all.member(m))
	}
	return out
}

// list returns the slot for a listing.
func (s *slot) list() Slot {
	out := Slot{Name: s.names[0]}
	for i := range s.sources {
		from := &s.sources[i]
		out.Sources = append(out.Sources, SlotSource{Text: from.text, Keys: from.keys(), Type: from.fills == nil})
	}
	return out
}

// member returns a member for a listing.
func (f *families) member(m *moded) Member {
	out := Member{Class: m.name, Modes: f.prefixes(m), Declarations: inOneLine(m.nodes)}
	p := f.list[m.family].pattern
	for i, fill := range m.fills {
		if slices.Index(p.slots, p.slots[i]) == i { // a slot may be there twice
			out.Fills = append(out.Fills, Fill{Slot: p.slots[i].names[0], Key: fill.key, Value: textOfValues(fill.value.Value)})
		}
	}
	return out
}

// prefixes returns the prefixes of the modes of a member.
func (f *families) prefixes(m *moded) (out []string) {
	for _, k := range m.modes {
		out = append(out, f.modes[k].prefix)
	}
	return out
}

// inOneLine returns the contents of a rule in one line.
func inOneLine(nodes []ast.Node) string {
	return strings.Join(strings.Fields(print.Sheet(nodes, print.Options{})), " ")
}

// Modes returns all modes, in order.
func (f *Families) Modes() []Mode {
	out := make([]Mode, len(f.collected.modes))
	for i, m := range f.collected.modes {
		out[i] = Mode{Prefix: m.prefix, At: m.at}
	}
	for _, name := range f.used {
		m := f.collected.plan.member(name)
		if m == nil || m.invalid {
			continue
		}
		for _, k := range m.modes {
			out[k].Members = append(out[k].Members, name)
		}
	}
	return out
}

// Member returns the family and the modes of a class in use, and its values. ok is
// false if it is no member.
func (f *Families) Member(class string) (m Member, family Family, modes []Mode, ok bool) {
	use := f.collected.plan.member(class)
	if use == nil || use.invalid {
		return m, family, nil, false
	}
	fam := f.collected.list[use.family]
	family = Family{Pattern: fam.pattern.String(), At: fam.at}
	for _, k := range use.modes {
		modes = append(modes, Mode{Prefix: f.collected.modes[k].prefix, At: f.collected.modes[k].at})
	}
	return f.collected.member(use), family, modes, true
}

// InOrder returns those of some classes that are members, in the order of their rules.
func (f *Families) InOrder(classes []string) (out []string) {
	var members []*moded
	for _, class := range classes {
		if m := f.collected.plan.member(class); m != nil && !m.invalid {
			members = append(members, m)
		}
	}
	last := func(m *moded) int {
		if len(m.modes) == 0 {
			return -1
		}
		return slices.Max(m.modes)
	}
	slices.SortStableFunc(members, func(a, b *moded) int { return cmp.Or(cmp.Compare(last(a), last(b)), a.compare(b)) })
	for _, m := range members {
		out = append(out, m.name)
	}
	return out
}

// Rules returns the rules of members in nodes that were composed, in the at-rules
// that they are in.
func (f *Families) Rules(nodes []ast.Node) []ast.Node {
	from := make(map[source.Pos]bool)
	for _, fam := range f.collected.list {
		from[fam.at.Start] = true
	}
	for _, m := range f.collected.modes {
		from[m.at.Start] = true
	}
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return rulesFrom(n, from) })
	return out
}

// rulesFrom keeps the rules whose first class comes from one of the positions.
func rulesFrom(n ast.Node, from map[source.Pos]bool) ast.Edit {
	switch n := n.(type) {
	case *ast.StyleRule:
		if len(n.Selectors) > 0 && comesFrom(n.Selectors[0], from) {
			return ast.Keep
		}
	case *ast.AtRule:
		if n.Block == nil {
			return ast.Remove
		}
		body, _ := ast.Map(n.Block.Nodes, func(n ast.Node) ast.Edit { return rulesFrom(n, from) })
		if len(body) > 0 {
			return ast.Replace(ast.WithBody(n, body))
		}
	}
	return ast.Remove
}

// comesFrom reports whether a class in a selector comes from one of the positions.
func comesFrom(s ast.Selector, from map[source.Pos]bool) bool {
	return slices.ContainsFunc(s, func(x ast.Simple) bool { return x.Kind == ast.ClassSelector && from[x.Pos] })
}
