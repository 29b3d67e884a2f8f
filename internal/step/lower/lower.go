// Package lower rewrites syntax that a target does not support:
//
//   - light-dark() gets the light colour before it, and if the sheet supports
//     both schemes, the dark one in @media (CSS Color 5);
//   - clamp() becomes max() and min(); hwb(), rgb() and hsl() without commas
//     and colours with four or eight digits get the syntax from before CSS
//     Color 4; colour stops with two positions become two stops; system-ui gets
//     the font names of older systems;
//   - inset, place-*, overflow and display with two keywords become the
//     properties or keywords that they stand for, and logical properties become
//     physical ones, if the direction of the pages is known (CSS Logical 1);
//   - a known colour in lab(), lch(), oklab(), oklch(), color() or color-mix(),
//     or a relative one, gets an sRGB fallback before it, and a guard if
//     browsers would not skip it (CSS Color 4);
//   - media features in range syntax become min- and max- features (Media
//     Queries 4);
//   - nested style rules become separate rules (CSS Nesting 1), also for
//     targets with nesting if declarations follow them, because the first
//     implementations applied these before the nested rules;
//   - :is() is expanded if that keeps the specificity, :any-link becomes
//     [href], and :dir() is decided if the direction is known (Selectors 4).
//
// Features that all targets support are not touched. Rewrites of declarations
// are in the table declared, rewrites of rules in passes; a new lowering needs
// a file of its own and a row in one of them.
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

// Direction is the direction of the text on all pages, if known. The writing
// mode is horizontal then.
type Direction string

// The directions.
const (
	AnyDirection Direction = ""
	LeftToRight  Direction = "ltr"
	RightToLeft  Direction = "rtl"
)

// Options configure the step.
type Options struct {
	Targets   browsers.Targets
	Direction Direction
	AsIs      map[string]bool       // features that are not lowered
	Report    func(diag.Diagnostic) // receives what cannot be expanded; may be nil
}

// declared are the rewrites of declarations, in order, each with its features.
// A rewrite is applied if a target does not support one of them. Later ones see
// the output of earlier ones.
var declared = []struct {
	what     string
	features []string
	calls    bool // only declarations with functions are concerned
	start    func(*lowering) func(*ast.Declaration, site) []ast.Node
}{
	{whatSchemes, []string{lightDark}, true, (*lowering).schemes},
	{whatValues, valueFeatures, false, (*lowering).values},
	{whatProperties, propertyFeatures, false, (*lowering).properties},
	{whatColors, colorFeatures, true, (*lowering).colors},
}

// passes are the rewrites of rules, in order, after those of declarations.
var passes = []struct {
	what     string
	features []string
	run      func(*lowering, []ast.Node) []ast.Node
}{
	{whatRanges, []string{rangeSyntax}, (*lowering).ranges},
	{whatNesting, []string{browsers.Nesting}, (*lowering).nesting},
	{whatSelectors, selectorFeatures, (*lowering).selectors},
}

// Nodes returns lowered nodes. What cannot be rewritten without changing the
// look of a page is left unchanged. Nodes without changes are shared, not
// copied.
func Nodes(nodes []ast.Node, opts Options) []ast.Node {
	return newLowering(opts).run(nodes)
}

// newLowering returns a new run of the step.
func newLowering(opts Options) *lowering {
	l := &lowering{Options: opts, unsupported: make(map[string]bool)}
	for _, d := range declared {
		if slices.ContainsFunc(d.features, l.needed) {
			l.rewrites = append(l.rewrites, rewrite{d.what, d.calls, d.start(l)})
		}
	}
	return l
}

// reset prepares a finished run for reuse, without references to the previous
// nodes.
func (l *lowering) reset() {
	l.Report, l.sheet, l.exempt, l.written, l.tooMany, l.scheme, l.changes = nil, nil, nil, 0, false, nil, nil
}

// followsScheme reports whether the sheet follows the colour scheme of the
// user.
func (l *lowering) followsScheme() bool {
	if l.scheme == nil {
		follows := followsScheme(l.sheet)
		l.scheme = &follows
	}
	return *l.scheme
}

// run lowers nodes.
func (l *lowering) run(nodes []ast.Node) []ast.Node {
	l.sheet, l.exempt = nodes, asis.Exempt(nodes, Name)
	if len(l.rewrites) > 0 {
		nodes, _ = l.declarations(nodes, site{mayGuard: true}, 0)
	}
	if !l.needed(browsers.Nesting) && !l.AsIs[browsers.Nesting] && l.Targets.Hoist() {
		before := nodes
		nodes = l.inOrder(nodes)
		l.note(whatNesting, rewritten(before, nodes))
	}
	for _, p := range passes {
		if slices.ContainsFunc(p.features, l.needed) {
			before := nodes
			nodes = p.run(l, nodes)
			l.note(p.what, rewritten(before, nodes))
		}
	}
	return nodes
}

// lowering is one run of the step.
type lowering struct {
	Options
	sheet       []ast.Node      // the input; nil before the run
	unsupported map[string]bool // features that some target does not support, as far as known
	exempt      map[ast.Node]bool
	rewrites    []rewrite
	written     int   // simple selectors written by expanding nested rules
	tooMany     bool  // the limit was exceeded and reported
	scheme      *bool // see followsScheme; nil until computed
	changes     []Change
}

// rewrite is a rewrite of declarations. apply returns the replacement of a
// declaration; nil if it is unchanged.
type rewrite struct {
	what  string
	calls bool
	apply func(*ast.Declaration, site) []ast.Node
}

// needed reports whether a target does not support a feature to be
// lowered.
func (l *lowering) needed(feature string) bool {
	lacking, found := l.unsupported[feature]
	if !found {
		lacking = !l.AsIs[feature] && len(l.Targets.Unsupported(feature)) > 0
		l.unsupported[feature] = lacking
	}
	return lacking
}

// site is the context of a declaration.
type site struct {
	before   ast.Node    // previous node in its block
	mayGuard bool        // a rule may be added next to it
	tested   []ast.Value // the condition of the @supports around it, if there is one
	// descriptors is set if the declarations are descriptors of an at-rule,
	// such as @font-face.
	descriptors bool
}

// again reports whether the previous declaration sets the same property, and so
// is a fallback.
func (s site) again(d *ast.Declaration) bool {
	p, ok := s.before.(*ast.Declaration)
	return ok && token.EqualFold(p.Name, token.Lower(d.Name))
}

// declarations applies the rewrites from the one numbered from on to the
// declarations in nodes, at every depth. Unchanged nodes are returned as they
// are.
func (l *lowering) declarations(nodes []ast.Node, at site, from int) ([]ast.Node, bool) {
	var out []ast.Node
	changed := false
	for i, n := range nodes {
		one, many, edited := n, []ast.Node(nil), false
		if l.exempt == nil || !l.exempt[n] {
			if d, ok := n.(*ast.Declaration); ok {
				many = l.declaration(d, at, from)
				edited = many != nil
			} else {
				one, edited = l.inside(n, at, from)
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

// inside applies rewrites to the declarations in the block of n.
func (l *lowering) inside(n ast.Node, at site, from int) (ast.Node, bool) {
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
		case "font-face", "font-palette-values", "font-feature-values", "counter-style", "property", "view-transition",
			"color-profile":
			at.descriptors = true
		}
	}
	edited, changed := l.declarations(body, at, from)
	if !changed {
		return n, false
	}
	return ast.WithBody(n, edited), true
}

// declaration applies the rewrites to a declaration; nil if it is unchanged.
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
		l.note(l.rewrites[i].what, 1)
		out, _ := l.declarations(written, at, i+1)
		return out
	}
	return nil
}

// rules applies edit to the rules in nodes, children first. edit returns nil to
// remove a rule.
func (l *lowering) rules(nodes []ast.Node, edit func(ast.Node) (with ast.Node, changed bool)) []ast.Node {
	var visit func(ast.Node) ast.Edit
	visit = func(n ast.Node) ast.Edit {
		if l.exempt[n] {
			return ast.Keep
		}
		inner, innerChanged := n, false
		if r, ok := n.(*ast.StyleRule); !ok || slices.ContainsFunc(r.Nodes, l.nests) {
			inner, innerChanged = ast.MapBody(n, visit)
		}
		edited, changed := edit(inner)
		switch {
		case edited == nil:
			return ast.Remove
		case changed || innerChanged:
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	nodes, _ = ast.Map(nodes, visit)
	return nodes
}

// hasCalls reports whether values contain a function or brackets.
func hasCalls(values []ast.Value) bool {
	for i := range values {
		if values[i].Inner != nil {
			return true
		}
	}
	return false
}

// holdsFunction reports whether values contain a wanted function, at any depth.
func holdsFunction(values []ast.Value, wanted func(v *ast.Value) bool) bool {
	for i := range values {
		v := &values[i]
		if v.Inner != nil && (v.Kind == token.Function && wanted(v) || holdsFunction(v.Inner.Values, wanted)) {
			return true
		}
	}
	return false
}

// holdsVar reports whether values contain a substitution function.
func holdsVar(values []ast.Value) bool {
	return holdsFunction(values,
		func(v *ast.Value) bool { return v.Kind == token.Function && known.Substitutes(token.Lower(v.Name())) })
}

// ident and call return values with the position of another one.
func ident(text string, at *ast.Value, space bool) ast.Value {
	return ast.Value{Kind: token.Ident, Text: text, Pos: at.Pos, Space: space}
}

// call returns a function.
func call(name string, args []ast.Value, at *ast.Value) ast.Value {
	return ast.Value{Kind: token.Function, Text: name + "(", Pos: at.Pos, Space: at.Space, Inner: &ast.Inner{Values: args}}
}

// guard returns a declaration in @supports, or in @supports not, testing a
// value of color.
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
