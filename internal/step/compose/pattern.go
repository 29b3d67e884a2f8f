package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// This file reads the patterns of class names, and matches names with them:
//
//	.padding-(step)
//	.width-(part)\/(parts)

// pattern is a class name with slots: literals and slots in turn, beginning and
// ending with a literal, which may be empty.
type pattern struct {
	literals []string
	slots    []*slot // one less than literals; a slot may occur several times
}

// String returns the pattern as it is displayed.
func (p *pattern) String() string {
	var b strings.Builder
	b.WriteString("." + p.literals[0])
	for i, s := range p.slots {
		b.WriteString("(" + s.names[0] + ")" + p.literals[i+1])
	}
	return b.String()
}

// slot is a part of a class name that is filled from its sources.
type slot struct {
	names   []string // of what is in the name, and of the value, if it has another name
	at      source.Span
	sources []slotSource
	used    bool // the pattern has it
}

// slotSource is a source of a slot: a list of fills, or a type of free values.
type slotSource struct {
	*fills // nil for free values
	free   syntax
	text   string // as written
}

// fills are a list of what may fill a slot.
type fills struct {
	list  []fill
	byKey map[string]int // index in the list
}

// add adds a value under a key. The first one with a key counts.
func (f *fills) add(key string, value *Constant) {
	if _, known := f.byKey[key]; !known && key != "" {
		f.byKey[key] = len(f.list)
		f.list = append(f.list, fill{key: key, value: value})
	}
}

// fill is what fills a slot.
type fill struct {
	key   string
	value *Constant
	free  bool // the value is in the class name; it is not from a list
	rank  int  // position in the sources of the slot
}

// find returns what fills the slot if the name has a key. Free values are only
// parsed, not compared with properties.
func (s *slot) find(key string) (f fill, ok bool) {
	rank := 0
	for i := range s.sources {
		from := &s.sources[i]
		if from.fills != nil {
			if k, ok := from.byKey[key]; ok {
				f = from.list[k]
				f.rank = rank + k
				return f, true
			}
			rank += len(from.list)
			continue
		}
		if values, ok := freeValue(key); ok && from.free.accepts(values) {
			return fill{key: key, value: &Constant{Value: values, At: s.at}, free: true, rank: rank}, true
		}
		rank++
	}
	return f, false
}

// freeValue parses a part of a class name as a value: one token, so that no other
// text of a page is taken for a value. ok is false if it is not one.
func freeValue(text string) (values []ast.Value, ok bool) {
	if text == "" || strings.ContainsAny(text, " \t\r\n\f;{}()[]\"'\\") {
		return nil, false
	}
	values, found := parse.Values(source.Detached(source.Path{}, "", text))
	if len(found) > 0 || len(values) != 1 {
		return nil, false
	}
	switch values[0].Kind {
	case token.Number, token.Dimension, token.Percentage, token.Hash, token.Ident:
		values[0].Pos = source.Pos{} // it comes from a page
		return values, true
	}
	return nil, false
}

// match returns what fills the slots of the pattern in a name: for each slot of the
// family. If there are several ways, the one with the longest first fills counts.
func (p *pattern) match(name string) (fills []fill, ok bool) {
	rest, ok := strings.CutPrefix(name, p.literals[0])
	if !ok {
		return nil, false
	}
	fills = make([]fill, len(p.slots))
	left := maxWays
	return fills, p.matchFrom(0, rest, fills, &left)
}

// maxWays limits the ways in which a name is matched with a pattern, or split into
// modes: there may be very many.
const maxWays = 2000

// matchFrom matches the slots from an index on with the rest of a name. left is the
// number of ways that may still be tried.
func (p *pattern) matchFrom(i int, rest string, fills []fill, left *int) bool {
	if i == len(p.slots) {
		return rest == ""
	}
	literal := p.literals[i+1]
	for end := len(rest) - len(literal); end > 0 && *left > 0; end-- {
		if rest[end:end+len(literal)] != literal || i == len(p.slots)-1 && end+len(literal) < len(rest) {
			continue
		}
		*left--
		f, ok := p.slots[i].find(rest[:end])
		if !ok {
			continue
		}
		if k := slices.Index(p.slots[:i], p.slots[i]); k >= 0 && fills[k].key != f.key {
			continue // the same slot again
		}
		if fills[i] = f; p.matchFrom(i+1, rest[end+len(literal):], fills, left) {
			return true
		}
	}
	return false
}

// pattern reads the class name of a family. Slots are those of the family; other
// names in brackets are constants. It returns nil after a finding.
func (c *Composer) pattern(r *ast.AtRule, slots []*slot, s *Scope) *pattern {
	const form = "write it like @family .padding-(step) { … }"
	values := r.Prelude
	if len(values) < 2 || !values[0].IsDelim('.') || values[1].Space {
		c.fail(code.BadFamily, r.Span(), "@family has no class name: expected a class such as .padding-(step)", form)
		return nil
	}
	p := &pattern{literals: []string{""}}
	add := func(text string) { p.literals[len(p.literals)-1] += text }
	for i := 1; i < len(values); i++ {
		v := &values[i]
		if v.Space && i > 1 {
			c.fail(code.BadFamily, v.Span(), "@family has more than one class name: expected '{'", form)
			return nil
		}
		switch {
		case v.Kind == token.Function, v.Kind == token.LParen:
			if v.Kind == token.Function {
				add(token.Unescape(v.Name()))
			}
			if k := slotIndex(slots, v); k >= 0 {
				slots[k].used = true
				p.slots, p.literals = append(p.slots, slots[k]), append(p.literals, "")
				continue
			}
			text, ok := c.interpolated(v, s)
			if !ok {
				return nil
			}
			add(text)
		case v.Kind == token.Ident, v.Kind == token.Number, v.Kind == token.Dimension, v.Kind == token.Percentage,
			v.Kind == token.Delim:
			add(token.Unescape(v.Text))
		default:
			c.fail(code.BadFamily, v.Span(), fmt.Sprintf("%q cannot be part of a class name", textOfValues(values[i:i+1])), form)
			return nil
		}
	}
	for i := range len(p.slots) - 1 {
		if p.literals[i+1] == "" {
			c.fail(code.BadFamily, ast.SpanOf(values), fmt.Sprintf("nothing separates the slots %q and %q", p.slots[i].names[0],
				p.slots[i+1].names[0]), "write a hyphen, or something else, between them")
			return nil
		}
	}
	return p
}

// slotIndex returns the index of the slot in the brackets of v; -1 if it is none.
func slotIndex(slots []*slot, v *ast.Value) int {
	args := trim(v.Values())
	if len(args) != 1 || args[0].Kind != token.Ident {
		return -1
	}
	name := token.Unescape(args[0].Text)
	return slices.IndexFunc(slots, func(s *slot) bool { return s.names[0] == name })
}

// slots reads the @slot rules in the block of a family. ok is false after a finding.
func (c *Composer) slots(r *ast.AtRule, s *Scope) (slots []*slot, body []ast.Node, ok bool) {
	ok = true
	for _, n := range r.Block.Nodes {
		rule, is := n.(*ast.AtRule)
		if !is || !token.EqualFold(rule.Name, "slot") {
			body = append(body, n)
			continue
		}
		names, from, read := c.slotHead(rule)
		if !read {
			ok = false
			continue
		}
		i := slices.IndexFunc(slots, func(o *slot) bool { return slices.Equal(o.names, names) })
		if i < 0 {
			i = len(slots)
			slots = append(slots, &slot{names: names, at: rule.Span()})
		}
		made, read := c.slotSource(from, rule, s)
		if !read {
			ok = false
			continue
		}
		slots[i].sources = append(slots[i].sources, made)
	}
	return slots, body, ok
}

// slotHead reads the names and the source of a slot.
func (c *Composer) slotHead(r *ast.AtRule) (names []string, from []ast.Value, ok bool) {
	const form = "write @slot step: const(space); or @slot step: <length>;"
	p := r.Prelude
	for len(p) > 0 && p[0].Kind == token.Ident && len(names) < 2 {
		names = append(names, token.Unescape(p[0].Text))
		if p = p[1:]; len(p) == 0 || p[0].Kind != token.Comma {
			break
		}
		p = p[1:]
	}
	if r.Block != nil || len(names) == 0 || len(p) < 2 || p[0].Kind != token.Colon {
		c.fail(code.BadFamily, r.Span(), "invalid @slot: expected a name, a colon and a source", form)
		return nil, nil, false
	}
	return names, trim(p[1:]), true
}

// slotSource evaluates a source of a slot.
func (c *Composer) slotSource(from []ast.Value, r *ast.AtRule, s *Scope) (out slotSource, ok bool) {
	out.text = print.Values(from)
	if len(from) > 0 && (from[0].IsDelim('<') || from[0].IsFunction("type")) {
		if out.free, ok = readSyntax(from); !ok || len(out.free.terms) == 0 && out.text != "type(*)" {
			c.fail(code.BadFamily, ast.SpanOf(from), "expected a type such as <length-percentage> or <color>", "")
			return out, false
		}
		return out, true
	}
	if group := c.groupOf(from, s); group != nil {
		out.fills = group.fills()
	} else {
		out.fills = &fills{byKey: make(map[string]int)}
		for _, t := range c.iterations(from, false, s) {
			if t.item.Group != nil || len(t.item.Value) != 1 {
				continue
			}
			if text, ok := textOf(&t.item.Value[0]); ok {
				out.add(text, t.item)
			}
		}
	}
	if len(out.list) == 0 {
		c.fail(code.BadFamily, r.Span(), fmt.Sprintf("nothing fills the slot: %q has no keys", textOfValues(from)),
			"name a group with keys, a list of words, a range, or a type such as <length>")
		return out, false
	}
	return out, true
}

// fills returns the values of the group and of the groups in it.
func (g *Group) fills() *fills {
	if g.flat == nil { // families share them
		f := &fills{byKey: make(map[string]int, len(g.keys))}
		g.visit("", f.add)
		g.flat = f
	}
	return g.flat
}

// visit visits the values of the group and of the groups in it. Keys are joined by
// hyphens.
func (g *Group) visit(before string, visit func(key string, value *Constant)) {
	for _, key := range g.keys {
		if v := g.at(key); v.Group != nil {
			v.Group.visit(before+key+"-", visit)
		} else {
			visit(before+key, v)
		}
	}
}
