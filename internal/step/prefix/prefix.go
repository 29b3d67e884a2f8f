// Package prefix adds and removes vendor prefixes according to the targets:
//
//   - a property gets prefixed copies before it, if a target needs them;
//   - so does a declaration whose value contains a keyword or function that a
//     target only knows with a prefix: fit-content, sticky, image-set();
//   - property names in transition and will-change are prefixed in a rule for
//     browsers without the standard property;
//   - gradients get copies with the legacy syntax of directions;
//   - flexible boxes get the 2009 draft, for browsers without any other;
//   - @keyframes gets a prefixed copy, without other prefixes in it;
//   - a rule with ::placeholder or similar gets a rule for each form that a
//     target needs, because browsers drop a rule with an unknown selector;
//   - a prefixed copy that no target needs is removed, if the standard property
//     with the same value follows.
package prefix

import (
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/step/asis"
)

// Change is a change that the step made to one property, value, rule or
// selector.
type Change struct {
	Property string // with its prefix; of a value "property: value", of a rule "@name"
	Dropped  bool   // removed instead of added
	Feature  string // the feature in the browser data
	Prefix   string // of the feature
	Count    int
}

// Reason explains the change: which targets need the prefixed form, the newest
// version of each browser, or that none does.
func (c Change) Reason(targets browsers.Targets) string {
	if c.Dropped {
		return "no target needs it"
	}
	list := targets.Needing(c.Feature, c.Prefix)
	for i, v := range list {
		list[i] = strings.Replace(v, " ", " up to ", 1)
	}
	return "for " + strings.Join(list, ", ")
}

// Merge adds more to changes, and adds up the counts of equal ones.
func Merge(changes, more []Change) []Change {
	for _, c := range more {
		i := slices.IndexFunc(changes, func(have Change) bool {
			have.Count = c.Count
			return have == c
		})
		if i < 0 {
			changes = append(slices.Clip(changes), c)
		} else {
			changes = slices.Clone(changes)
			changes[i].Count += c.Count
		}
	}
	return changes
}

// Options configure the step.
type Options struct {
	Targets browsers.Targets
	// properties, functions and keywords by name, "@keyframes", and selectors with colons, that are not changed
	AsIs []string
}

// Prefixer prefixes sheets. It is safe for concurrent use.
type Prefixer struct {
	needs *needs
}

// New returns a prefixer. Determining which prefixes are needed takes longer
// than prefixing a small sheet, so a Prefixer should be reused.
func New(opts Options) *Prefixer { return &Prefixer{needsOf(opts)} }

// Nodes prefixes a single sheet; see [Prefixer.Nodes].
func Nodes(nodes []ast.Node, opts Options) ([]ast.Node, []Change) { return New(opts).Nodes(nodes) }

// Nodes returns prefixed nodes, and the changes in the order of their first
// occurrence. Nodes without changes are shared, not copied. It is idempotent.
func (f *Prefixer) Nodes(nodes []ast.Node) ([]ast.Node, []Change) {
	p := &prefixer{needs: f.needs, exempt: asis.Exempt(nodes, Name), index: make(map[Change]int)}
	p.siblings = nodes
	out, _ := ast.Map(nodes, p.rule)
	return out, p.changes
}

// needs are the prefixes that targets need, by lower-case name. A prefix that
// starts with '=' is a different name.
type needs struct {
	targets    browsers.Targets
	asIs       []string
	properties map[string][]string
	keywords   map[string]map[string][]string // by property
	functions  map[string][]string
	pseudos    map[string][]string // without colons
	keyframes  []string            // of @keyframes
	boxes      []string            // of the 2009 flexible boxes
	guards     bool                // all targets support @supports
}

// needsOf determines the needed prefixes.
func needsOf(opts Options) *needs {
	n := &needs{
		targets: opts.Targets, asIs: opts.AsIs, properties: make(map[string][]string),
		keywords:  make(map[string]map[string][]string),
		functions: make(map[string][]string), pseudos: make(map[string][]string),
	}
	all := opts.Targets.AllPrefixes()
	for feature, list := range all {
		if name, ok := strings.CutPrefix(feature, "css.properties."); ok {
			n.addProperty(name, list)
		} else if name, ok := strings.CutPrefix(feature, "css.selectors."); ok && !strings.Contains(name, ".") &&
			!otherMeaning[name] {
			n.pseudos[name] = n.wanted(list, ":"+name, "::"+name)
		}
	}
	for name, feature := range functionFeatures {
		if list := n.wanted(all[feature], name, name+"()"); list != nil {
			n.functions[name] = list
		}
	}
	n.guards = len(opts.Targets.Unsupported("css.at-rules.supports")) == 0
	n.keyframes = n.wanted(all["css.at-rules.keyframes"], "@keyframes")
	n.boxes = n.wanted(opts.Targets.InStead(browsers.Property("box-flex"), browsers.Property("display")+".flex"),
		"display", "flex")
	return n
}

// addProperty records the prefixes of a property, or of a keyword of one.
func (n *needs) addProperty(name string, list []string) {
	property, keyword, isKeyword := strings.Cut(name, ".")
	switch {
	case !isKeyword, keyword == "grid_context": // gap had another name in grids
		if list = n.wanted(list, property); list != nil {
			n.properties[property] = append(n.properties[property], list...)
		}
	case !strings.Contains(keyword, "."):
		if list = n.wanted(list, property, keyword); list != nil {
			if n.keywords[property] == nil {
				n.keywords[property] = make(map[string][]string)
			}
			n.keywords[property][keyword] = list
		}
	}
}

// wanted returns list, or nil if the options exclude one of the names.
func (n *needs) wanted(list []string, names ...string) []string {
	if slices.ContainsFunc(names, func(name string) bool { return slices.Contains(n.asIs, name) }) {
		return nil
	}
	return list
}

// prefixer is the state of prefixing one sheet.
type prefixer struct {
	*needs
	exempt   map[ast.Node]bool
	only     string     // in a prefixed rule: the only prefix that may be added
	siblings []ast.Node // of the current rule

	declared   map[string]*ast.Declaration // declarations of a long block, by lower-case name
	declaredIn *ast.Node                   // first node of this block

	names   map[string][3]string // of properties as written: in lower case, prefix and rest
	changes []Change
	index   map[Change]int // by change without its count
}

// rule prefixes a rule.
func (p *prefixer) rule(n ast.Node) ast.Edit {
	if p.exempt[n] {
		return ast.Keep
	}
	if r, ok := n.(*ast.AtRule); ok && token.EqualFold(r.Name, "keyframes") {
		return p.keyframes(r)
	} else if ok {
		if prefix, name := token.SplitVendor(token.Lower(r.Name)); prefix != "" && name == "keyframes" {
			p.only = prefix
			defer func() { p.only = "" }()
		}
	}
	var guards []ast.Node
	if r, ok := n.(*ast.StyleRule); ok && p.guards {
		guards = p.guarded(r)
	}
	edited, changed := p.block(n)
	if r, ok := edited.(*ast.StyleRule); ok {
		if list, ok := p.selectors(r); ok {
			return ast.Splice(append(list, guards...))
		}
	}
	if len(guards) > 0 {
		return ast.Splice(append([]ast.Node{edited}, guards...))
	}
	if changed {
		return ast.Replace(edited)
	}
	return ast.Keep
}

// block prefixes the declarations and rules in the block of n.
func (p *prefixer) block(n ast.Node) (ast.Node, bool) {
	body := ast.Body(n)
	if len(body) == 0 {
		return n, false
	}
	outer := p.siblings
	p.siblings = body
	defer func() { p.siblings = outer }()
	edited, changed := ast.Map(body, func(child ast.Node) ast.Edit {
		if d, ok := child.(*ast.Declaration); ok && !p.exempt[child] {
			return p.declaration(d, body)
		}
		return p.rule(child)
	})
	if !changed {
		return n, false
	}
	return ast.WithBody(n, edited), true
}

// keyframes returns an @keyframes rule after its prefixed copies.
func (p *prefixer) keyframes(r *ast.AtRule) ast.Edit {
	var out []ast.Node
	for _, prefix := range p.fitting(p.needs.keyframes) {
		twin := *r
		twin.Name = prefix + "keyframes"
		if p.hasRule(&twin) {
			continue // the author wrote it
		}
		inner := &prefixer{needs: p.needs, exempt: p.exempt, only: prefix, index: make(map[Change]int)}
		fitted, _ := inner.block(&twin)
		out = append(out, fitted)
		p.note(Change{Property: "@" + twin.Name, Feature: "css.at-rules.keyframes", Prefix: prefix})
	}
	edited, changed := p.block(r)
	if out == nil && !changed {
		return ast.Keep
	}
	return ast.Splice(append(out, edited))
}

// hasRule reports whether a sibling is an at-rule with the same name and
// prelude.
func (p *prefixer) hasRule(r *ast.AtRule) bool {
	return slices.ContainsFunc(p.siblings, func(n ast.Node) bool {
		o, ok := n.(*ast.AtRule)
		return ok && token.EqualFold(o.Name, r.Name) && print.CompactValues(o.Prelude) == print.CompactValues(r.Prelude)
	})
}

// declaration prefixes one declaration of a block.
func (p *prefixer) declaration(d *ast.Declaration, block []ast.Node) ast.Edit {
	if d.IsCustom() {
		return ast.Keep
	}
	name, prefix, standard := p.split(d.Name)
	if prefix != "" {
		if p.superfluous(d, prefix, standard, block) {
			p.note(Change{Property: name, Dropped: true, Feature: browsers.Property(standard), Prefix: prefix})
			return ast.Remove
		}
		return ast.Keep
	}
	listed, inList := d, false
	if !p.listsNames(d, name) {
		listed, inList = p.propertyNames(d, name)
	}
	out := p.box(d, name, block)
	for _, prefix := range p.fitting(p.properties[name]) {
		if p.find(block, renamed(prefix, name)) != nil || notTheSame[name+" "+prefix] {
			continue // the author wrote it, possibly with another value
		}
		twin := *listed
		twin.Name = renamed(prefix, name)
		if twin.Name[0] != '-' { // a legacy name, with values like any other property
			out = append(out, p.values(&twin, twin.Name, block)...)
		}
		out = append(out, &twin)
		p.note(Change{Property: twin.Name, Feature: featureOfName(name, prefix), Prefix: prefix})
	}
	out = append(out, p.values(listed, name, block)...)
	switch {
	case out != nil:
		return ast.Splice(append(out, listed))
	case inList:
		return ast.Replace(listed)
	}
	return ast.Keep
}

// fitting returns the prefixes in list that may be added here.
func (p *prefixer) fitting(list []string) []string {
	if p.only == "" || list == nil {
		return list
	}
	return slices.DeleteFunc(slices.Clone(list),
		func(prefix string) bool { return !strings.HasPrefix(strings.TrimLeft(prefix, "=:"), p.only) })
}

// featureOfName returns the feature of a property with a prefix.
func featureOfName(name, prefix string) string {
	if strings.HasPrefix(prefix, "=grid-") { // gap had another name in grids only
		return browsers.Property(name) + ".grid_context"
	}
	return browsers.Property(name)
}

// superfluous reports whether no target needs d, a prefixed property: all
// support the standard property, which follows in the block with the same
// value.
func (p *prefixer) superfluous(d *ast.Declaration, prefix, standard string, block []ast.Node) bool {
	if slices.Contains(p.asIs, standard) || slices.Contains(p.asIs, prefix+standard) {
		return false
	}
	feature := browsers.Property(standard)
	if !browsers.Known(feature) || len(p.targets.Unsupported(feature)) > 0 {
		return false
	}
	after := false
	for _, n := range block {
		o, ok := n.(*ast.Declaration)
		switch {
		case !ok:
		case o == d:
			after = true
		case after && token.EqualFold(o.Name, standard):
			return o.Important == d.Important && ast.EqualValues(o.Value, d.Value)
		}
	}
	return false
}

// split returns the name of a property in lower case, its vendor prefix, and
// the rest.
func (p *prefixer) split(written string) (name, prefix, standard string) {
	parts, ok := p.names[written]
	if !ok {
		parts[0] = token.Lower(written)
		parts[1], parts[2] = token.SplitVendor(parts[0])
		if p.names == nil {
			p.names = make(map[string][3]string)
		}
		p.names[written] = parts
	}
	return parts[0], parts[1], parts[2]
}

// find returns the first declaration of a property in a block.
func (p *prefixer) find(block []ast.Node, name string) *ast.Declaration {
	const few = 32 // short blocks are searched linearly
	if len(block) > few {
		if p.declared == nil || &block[0] != p.declaredIn {
			p.declared, p.declaredIn = make(map[string]*ast.Declaration), &block[0]
			for _, n := range slices.Backward(block) {
				if d, ok := n.(*ast.Declaration); ok {
					p.declared[token.Lower(d.Name)] = d
				}
			}
		}
		return p.declared[token.Lower(name)]
	}
	for _, n := range block {
		if d, ok := n.(*ast.Declaration); ok && token.EqualFold(d.Name, name) {
			return d
		}
	}
	return nil
}

// note records a change.
func (p *prefixer) note(c Change) {
	i, ok := p.index[c]
	if !ok {
		i = len(p.changes)
		p.index[c] = i
		p.changes = append(p.changes, c)
	}
	p.changes[i].Count++
}
