// Package prefix fits vendor prefixes to the targets:
//
//   - a property gets the prefixed twins that a target needs, before it;
//   - so does a declaration whose value holds a keyword or a function that a
//     target knows under a prefix: fit-content, sticky, image-set();
//   - the names of properties in transition and will-change get prefixed ones
//     in their place, in a rule for the browsers that lack the standard ones;
//   - gradients get twins with the directions as prefixed ones had them;
//   - flexible boxes get those of the draft of 2009, for browsers that have no other;
//   - @keyframes gets a prefixed twin, with no other prefixes in it;
//   - a rule with ::placeholder or the like gets a rule for each form of it that
//     a target needs, and its other selectors one of their own, since one
//     selector that a browser does not know kills the list;
//   - a prefixed twin that no target needs is dropped, where the standard
//     property with the same value stands behind it.
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

// Change is what the step did for one property, value, rule or selector.
type Change struct {
	Property string // with its prefix; of a value "property: value", of a rule "@name"
	Dropped  bool   // else added
	Feature  string // that it is a form of, as the data about browsers calls it
	Prefix   string // that the feature has in it
	Count    int
}

// Reason tells why the step did it: which of the targets it was given need the
// form, the newest of each browser, or that none does.
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

// Merge returns changes with others added to them, those that are alike as one.
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

// Options say what the step does.
type Options struct {
	Targets browsers.Targets
	AsIs    []string // properties, functions and keywords by name, "@keyframes", and selectors with their colons, that get and lose no prefix
}

// Fitter fits prefixes to sheets. It is safe for concurrent use.
type Fitter struct {
	needs *needs
}

// New returns what fits prefixes as options say. Working out what is needed takes
// longer than fitting a small sheet.
func New(opts Options) *Fitter { return &Fitter{needsOf(opts)} }

// Nodes fits prefixes to one sheet; see [Fitter.Nodes].
func Nodes(nodes []ast.Node, opts Options) ([]ast.Node, []Change) { return New(opts).Nodes(nodes) }

// Nodes returns nodes with fitting prefixes, and what was changed in the
// order in which it was first done. Nodes that need nothing are shared, not
// copied. Running it twice changes nothing the second time.
func (f *Fitter) Nodes(nodes []ast.Node) ([]ast.Node, []Change) {
	p := &prefixer{needs: f.needs, left: asis.Left(nodes, Name), index: make(map[Change]int)}
	p.siblings = nodes
	out, _ := ast.Map(nodes, p.rule)
	return out, p.changes
}

// needs are the prefixes that targets need, as lists of them by name in lower
// case. One that starts with '=' is another name.
type needs struct {
	targets    browsers.Targets
	asIs       []string
	properties map[string][]string
	keywords   map[string]map[string][]string // by property
	functions  map[string][]string
	pseudos    map[string][]string // without colons
	drawn      []string            // for @keyframes
	boxes      []string            // prefixes of the flexible boxes of 2009
	guards     bool                // all targets read @supports
}

func needsOf(opts Options) *needs {
	n := &needs{
		targets: opts.Targets, asIs: opts.AsIs, properties: make(map[string][]string), keywords: make(map[string]map[string][]string),
		functions: make(map[string][]string), pseudos: make(map[string][]string),
	}
	all := opts.Targets.AllPrefixes()
	for feature, list := range all {
		if name, ok := strings.CutPrefix(feature, "css.properties."); ok {
			n.addProperty(name, list)
		} else if name, ok := strings.CutPrefix(feature, "css.selectors."); ok && !strings.Contains(name, ".") && !otherMeaning[name] {
			n.pseudos[name] = n.wanted(list, ":"+name, "::"+name)
		}
	}
	for name, feature := range functionFeatures {
		if list := n.wanted(all[feature], name, name+"()"); list != nil {
			n.functions[name] = list
		}
	}
	n.guards = len(opts.Targets.Lacking("css.at-rules.supports")) == 0
	n.drawn = n.wanted(all["css.at-rules.keyframes"], "@keyframes")
	n.boxes = n.wanted(opts.Targets.InStead(browsers.Property("box-flex"), browsers.Property("display")+".flex"), "display", "flex")
	return n
}

// addProperty notes what is needed for a property, or for a keyword of one.
func (n *needs) addProperty(name string, list []string) {
	property, keyword, isKeyword := strings.Cut(name, ".")
	switch {
	case !isKeyword, keyword == "grid_context": // of gap, whose old names are for grids
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

// wanted returns list, or nil if one of the names is to be left as it is.
func (n *needs) wanted(list []string, names ...string) []string {
	if slices.ContainsFunc(names, func(name string) bool { return slices.Contains(n.asIs, name) }) {
		return nil
	}
	return list
}

type prefixer struct {
	*needs
	left     map[ast.Node]bool
	only     string     // within a prefixed rule: the one prefix that may be added
	siblings []ast.Node // of the rule in hand

	declared   map[string]*ast.Declaration // what a long block declares, by names in lower case
	declaredIn *ast.Node                   // the first node of that block

	names   map[string][3]string // of properties as written: in lower case, and its parts
	changes []Change
	index   map[Change]int // by change without its count
}

// rule returns what stands for a rule.
func (p *prefixer) rule(n ast.Node) ast.Edit {
	if p.left[n] {
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

// block fits the declarations and rules in the block of n.
func (p *prefixer) block(n ast.Node) (ast.Node, bool) {
	body := ast.Body(n)
	if len(body) == 0 {
		return n, false
	}
	outer := p.siblings
	p.siblings = body
	defer func() { p.siblings = outer }()
	edited, changed := ast.Map(body, func(child ast.Node) ast.Edit {
		if d, ok := child.(*ast.Declaration); ok && !p.left[child] {
			return p.declaration(d, body)
		}
		return p.rule(child)
	})
	if !changed {
		return n, false
	}
	return ast.WithBody(n, edited), true
}

// keyframes returns an @keyframes rule behind its prefixed twins.
func (p *prefixer) keyframes(r *ast.AtRule) ast.Edit {
	var out []ast.Node
	for _, prefix := range p.fitting(p.drawn) {
		twin := *r
		twin.Name = prefix + "keyframes"
		if p.hasRule(&twin) {
			continue // the author wrote it
		}
		inner := &prefixer{needs: p.needs, left: p.left, only: prefix, index: make(map[Change]int)}
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

// hasRule reports whether a sibling is an at-rule of the same name and prelude.
func (p *prefixer) hasRule(r *ast.AtRule) bool {
	return slices.ContainsFunc(p.siblings, func(n ast.Node) bool {
		o, ok := n.(*ast.AtRule)
		return ok && token.EqualFold(o.Name, r.Name) && print.CompactValues(o.Prelude) == print.CompactValues(r.Prelude)
	})
}

// declaration returns what stands for one declaration of a block.
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
			continue // the author wrote it, and may have meant another value
		}
		twin := *listed
		twin.Name = renamed(prefix, name)
		if twin.Name[0] != '-' { // an old name, whose values are as those of any other
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

// fitting returns those of the prefixes that may be added here.
func (p *prefixer) fitting(list []string) []string {
	if p.only == "" || list == nil {
		return list
	}
	return slices.DeleteFunc(slices.Clone(list), func(prefix string) bool { return !strings.HasPrefix(strings.TrimLeft(prefix, "=:"), p.only) })
}

// featureOfName returns the feature that a property has under a prefix.
func featureOfName(name, prefix string) string {
	if strings.HasPrefix(prefix, "=grid-") { // gap had another name in grids alone
		return browsers.Property(name) + ".grid_context"
	}
	return browsers.Property(name)
}

// superfluous reports whether no target needs d, which is the prefixed form
// of a property: all know the standard one, which stands behind it in the
// block and says the same.
func (p *prefixer) superfluous(d *ast.Declaration, prefix, standard string, block []ast.Node) bool {
	if slices.Contains(p.asIs, standard) || slices.Contains(p.asIs, prefix+standard) {
		return false
	}
	feature := browsers.Property(standard)
	if !browsers.Known(feature) || len(p.targets.Lacking(feature)) > 0 {
		return false
	}
	behind := false
	for _, n := range block {
		o, ok := n.(*ast.Declaration)
		switch {
		case !ok:
		case o == d:
			behind = true
		case behind && token.EqualFold(o.Name, standard):
			return o.Important == d.Important && ast.EqualValues(o.Value, d.Value)
		}
	}
	return false
}

// split returns the name of a property in lower case, its vendor prefix if it
// has one, and the rest.
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
	const few = 32 // nodes, which are looked through one by one
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

func (p *prefixer) note(c Change) {
	i, ok := p.index[c]
	if !ok {
		i = len(p.changes)
		p.index[c] = i
		p.changes = append(p.changes, c)
	}
	p.changes[i].Count++
}
