// Package lower rewrites syntax that a target lacks, and only then:
//
//   - light-dark() gets the light colour before it, and where the sheet gives the
//     page both schemes, the dark one in @media (CSS Color 5);
//   - clamp() is written with max() and min(), hwb(), rgb() and hsl() without
//     commas and colours with four or eight digits in the forms from before CSS
//     Color 4, colour stops with two places as two stops, system-ui with the names
//     that older systems have for it;
//   - inset, place-*, overflow and display with two keywords are written as the
//     properties or keywords that they stand for, and properties of the flow as
//     those of the sides, if the direction of the pages is known (CSS Logical 1);
//   - a known colour in lab(), lch(), oklab(), oklch(), color() or color-mix(),
//     or relative to another, gets one in sRGB before it, and where a browser would
//     not skip it, a guard (CSS Color 4);
//   - media features in the range form are written with min- and max- (Media
//     Queries 4);
//   - nested style rules become rules of their own (CSS Nesting 1), where a target reads nested
//     rules as well if declarations stand behind them, which early readers read before them;
//   - :is() is written out where that keeps the specificity, :any-link as
//     [href], and :dir() is decided if the direction is known (Selectors 4).
package lower

import (
	"slices"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/step/asis"
)

// Direction is the direction of the text on all pages, if that is known. All of
// it then runs in lines from side to side.
type Direction string

// The directions.
const (
	AnyDirection Direction = ""
	LeftToRight  Direction = "ltr"
	RightToLeft  Direction = "rtl"
)

// Options say what is lowered.
type Options struct {
	Targets   browsers.Targets
	Direction Direction
	AsIs      map[string]bool       // features that are left as they are
	Report    func(diag.Diagnostic) // what cannot be written out; nil if nobody asks
}

// declared are the rewrites of declarations in the order in which they are
// applied, each with the features that it is for. One is applied if a target lacks
// any of them. A later one sees what an earlier one writes.
var declared = []struct {
	features []string
	calls    bool // only declarations with functions are concerned
	start    func(*lowering) func(*ast.Declaration, site) []ast.Node
}{
	{[]string{lightDark}, true, (*lowering).schemes},
	{valueFeatures, false, (*lowering).values},
	{propertyFeatures, false, (*lowering).properties},
	{colorFeatures, true, (*lowering).colors},
}

// passes are the rewrites of rules, in order, behind those of declarations.
var passes = []struct {
	features []string
	run      func(*lowering, []ast.Node) []ast.Node
}{
	{[]string{rangeSyntax}, (*lowering).ranges},
	{[]string{browsers.Nesting}, (*lowering).nesting},
	{selectorFeatures, (*lowering).selectors},
}

// Nodes returns nodes with all rewritten that a target lacks, as far as it can
// be without changing what a page looks like; the rest is left as it is. Nodes
// that need nothing are shared, not copied.
func Nodes(nodes []ast.Node, opts Options) []ast.Node {
	return newLowering(opts).run(nodes)
}

// newLowering returns a run of the step that may begin.
func newLowering(opts Options) *lowering {
	l := &lowering{Options: opts, lacking: make(map[string]bool)}
	for _, d := range declared {
		if slices.ContainsFunc(d.features, l.lacks) {
			l.rewrites = append(l.rewrites, rewrite{d.calls, d.start(l)})
		}
	}
	return l
}

// reset makes a run that is over ready to begin anew. It holds on to nothing of the nodes of before.
func (l *lowering) reset() {
	l.Report, l.sheet, l.left, l.written, l.tooMany, l.scheme = nil, nil, nil, 0, false, nil
}

// followsScheme reports whether the sheet follows the colour scheme of the user.
func (l *lowering) followsScheme() bool {
	if l.scheme == nil {
		follows := followsScheme(l.sheet)
		l.scheme = &follows
	}
	return *l.scheme
}

// run lowers nodes.
func (l *lowering) run(nodes []ast.Node) []ast.Node {
	l.sheet, l.left = nodes, asis.Left(nodes, Name)
	if len(l.rewrites) > 0 {
		nodes, _ = l.declarations(nodes, site{mayGuard: true}, 0)
	}
	if !l.lacks(browsers.Nesting) && !l.AsIs[browsers.Nesting] && l.Targets.Hoist() {
		nodes = l.inOrder(nodes)
	}
	for _, p := range passes {
		if slices.ContainsFunc(p.features, l.lacks) {
			nodes = p.run(l, nodes)
		}
	}
	return nodes
}

// lowering is one run of the step.
type lowering struct {
	Options
	sheet    []ast.Node      // as it was given; nil before the run begins
	lacking  map[string]bool // whether a target lacks a feature, as far as it was asked
	left     map[ast.Node]bool
	rewrites []rewrite
	written  int   // simple selectors that nested rules were written out with
	tooMany  bool  // there were too many, as was reported
	scheme   *bool // see followsScheme; nil until it is asked
}

// rewrite is a rewrite of declarations. apply returns what stands for one; nil
// if it stays.
type rewrite struct {
	calls bool
	apply func(*ast.Declaration, site) []ast.Node
}

// lacks reports whether a target lacks a feature that is to be lowered.
func (l *lowering) lacks(feature string) bool {
	lacking, found := l.lacking[feature]
	if !found {
		lacking = !l.AsIs[feature] && len(l.Targets.Lacking(feature)) > 0
		l.lacking[feature] = lacking
	}
	return lacking
}

// site is where a declaration stands.
type site struct {
	before   ast.Node    // the node before it in its block
	mayGuard bool        // a rule may stand beside it
	tested   []ast.Value // what the @supports around it asks for, if there is one
	// descriptors says that what is declared are descriptors of an at-rule, such as @font-face.
	descriptors bool
}

// again reports whether the declaration before one is of the same property, and
// so stands in for it where a browser does not read it.
func (s site) again(d *ast.Declaration) bool {
	p, ok := s.before.(*ast.Declaration)
	return ok && token.EqualFold(p.Name, token.Lower(d.Name))
}

// declarations applies the rewrites, those before the one numbered from left
// out, to the declarations in nodes at every depth. Nodes of which none changes
// are returned as they are.
func (l *lowering) declarations(nodes []ast.Node, at site, from int) ([]ast.Node, bool) {
	var out []ast.Node
	changed := false
	for i, n := range nodes {
		one, many, edited := n, []ast.Node(nil), false
		if l.left == nil || !l.left[n] {
			if d, ok := n.(*ast.Declaration); ok {
				many = l.declaration(d, at, from)
				edited = many != nil
			} else {
				one, edited = l.within(n, at, from)
			}
		}
		at.before = n
		if edited && !changed {
			changed = true
			out = append(make([]ast.Node, 0, len(nodes)+len(many)), nodes[:i]...)
		}
		switch {
		case many != nil:
			out = append(out, many...)
		case changed:
			out = append(out, one)
		}
	}
	if !changed {
		return nodes, false
	}
	return out, true
}

// within applies rewrites to the declarations in the block of n.
func (l *lowering) within(n ast.Node, at site, from int) (ast.Node, bool) {
	body := ast.Body(n)
	if len(body) == 0 {
		return n, false
	}
	at.before = nil
	switch n := n.(type) {
	case *ast.QualifiedRule: // a keyframe
		at.mayGuard = false
	case *ast.StyleRule:
		at.mayGuard = true
	case *ast.AtRule:
		switch name := token.Lower(n.Name); name {
		case "supports":
			at.tested = slices.Concat(at.tested, n.Prelude)
		case "font-face", "font-palette-values", "font-feature-values", "counter-style", "property", "view-transition", "color-profile":
			at.descriptors = true
		}
	}
	edited, changed := l.declarations(body, at, from)
	if !changed {
		return n, false
	}
	return ast.WithBody(n, edited), true
}

// declaration returns what the rewrites make of a declaration; nil if it stays.
func (l *lowering) declaration(d *ast.Declaration, at site, from int) []ast.Node {
	calls := hasCalls(d.Value)
	for i := from; i < len(l.rewrites); i++ {
		if l.rewrites[i].calls && !calls {
			continue
		}
		written := l.rewrites[i].apply(d, at)
		if written == nil {
			continue
		}
		out, _ := l.declarations(written, at, i+1)
		return out
	}
	return nil
}

// rules applies edit to the rules in nodes, to those in a block before the one that
// has it. edit returns nil for a rule that is to go.
func (l *lowering) rules(nodes []ast.Node, edit func(ast.Node) (with ast.Node, changed bool)) []ast.Node {
	var visit func(ast.Node) ast.Edit
	visit = func(n ast.Node) ast.Edit {
		if l.left[n] {
			return ast.Keep
		}
		within, changedWithin := n, false
		if r, ok := n.(*ast.StyleRule); !ok || slices.ContainsFunc(r.Nodes, l.nests) {
			within, changedWithin = ast.MapBody(n, visit)
		}
		edited, changed := edit(within)
		switch {
		case edited == nil:
			return ast.Remove
		case changed || changedWithin:
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	nodes, _ = ast.Map(nodes, visit)
	return nodes
}

// hasCalls reports whether values hold a function, or anything else in brackets.
func hasCalls(values []ast.Value) bool {
	for i := range values {
		if values[i].Inner != nil {
			return true
		}
	}
	return false
}

// holdsFunction reports whether values hold a function that is wanted, at any depth.
func holdsFunction(values []ast.Value, wanted func(v *ast.Value) bool) bool {
	for i := range values {
		v := &values[i]
		if v.Inner != nil && (v.Kind == token.Function && wanted(v) || holdsFunction(v.Inner.Values, wanted)) {
			return true
		}
	}
	return false
}

// holdsVar reports whether values hold a function in whose place a browser
// puts tokens.
func holdsVar(values []ast.Value) bool {
	return holdsFunction(values, func(v *ast.Value) bool { return v.Kind == token.Function && known.Substitutes(token.Lower(v.Name())) })
}

// ident and call make values that stand where another stood.
func ident(text string, at *ast.Value, space bool) ast.Value {
	return ast.Value{Kind: token.Ident, Text: text, Pos: at.Pos, Space: space}
}

func call(name string, args []ast.Value, at *ast.Value) ast.Value {
	return ast.Value{Kind: token.Function, Text: name + "(", Pos: at.Pos, Space: at.Space, Inner: &ast.Inner{Values: args}}
}

// guard returns a declaration within @supports, or within @supports not, for a test
// of what a browser reads as the value of color.
func guard(test ast.Value, not bool, d *ast.Declaration) ast.Node {
	test.Space = true
	brackets := ast.Value{Kind: token.LParen, Text: "(", Pos: d.NamePos, Inner: &ast.Inner{Values: []ast.Value{
		{Kind: token.Ident, Text: "color", Pos: d.NamePos}, {Kind: token.Colon, Text: ":", Pos: d.NamePos}, test,
	}}}
	prelude := []ast.Value{brackets}
	if not {
		brackets.Space = true
		prelude = []ast.Value{{Kind: token.Ident, Text: "not", Pos: d.NamePos}, brackets}
	}
	return &ast.AtRule{At: d.NamePos, Name: "supports", Prelude: prelude, Block: &ast.Block{Nodes: []ast.Node{d}}}
}
