// Package minify rewrites a sheet so that it becomes smaller and means the same.
// Together with compact printing, which drops white space, comments and the
// last semicolons, it
//
//   - shortens numbers, colours, strings, URLs and keywords (tokens.go,
//     values.go);
//   - shortens selectors and conditions (selectors.go, conditions.go,
//     factor.go);
//   - removes declarations that always lose, and writes longhands as shorthands
//     where that is shorter (declarations.go, combine.go, overridden.go);
//   - merges rules with equal selectors or equal blocks, and blocks with equal
//     conditions, also if others are between them that do not compete
//     (rules.go, share.go, order.go).
//
// It does not touch custom properties, which scripts can read, unknown
// functions, and numbers whose type would change. It is idempotent.
//
// Package cascade proves that the result means the same; see [Step].
package minify

import (
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/intern"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Size is the size that counts.
type Size string

// The sizes. The zero Size is Compressed.
const (
	Compressed   Size = "compressed"   // of what is sent, with brotli or gzip
	Uncompressed Size = "uncompressed" // of the file
)

// Options configure minifying. The zero Options assume nothing about browsers.
type Options struct {
	// Targets are the browsers that the result must work in.
	Targets browsers.Targets
	// Size is the size that counts where both cannot be small.
	Size Size
	// Frozen are the positions of rules and declarations that must stay as they
	// are, apart from their tokens.
	Frozen map[source.Pos]bool
	// Still is set if rules must keep their places: only values, declarations
	// and selectors are minified.
	Still bool
}

// maxPasses limits how often the rules of a block are merged: each pass may
// make others equal.
const maxPasses = 50

// Nodes returns minified nodes. Nodes that cannot be shortened are shared, not
// copied.
func Nodes(nodes []ast.Node, opts Options) []ast.Node {
	browsers := accept.Of(opts.Targets)
	m := &minifier{size: opts.Size, accept: browsers, pool: newPool(browsers), frozen: opts.Frozen, written: intern.NewDeclarations(),
		orders: make(map[string][]string), claimed: make(map[*ast.StyleRule][]claim),
		authors: make(map[uint64][]ast.Selector)}
	m.namespaces = slices.ContainsFunc(nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		return ok && token.EqualFold(r.Name, "namespace")
	})
	if !opts.Still {
		m.maxEffort = effortFor(nodes)
	}
	return m.finish(m.block(nodes, inSheet))
}

// effortFor returns the number of comparisons that nodes are worth.
func effortFor(nodes []ast.Node) int {
	count := 0
	ast.Walk(nodes, func(ast.Node) bool {
		count++
		return true
	})
	return 10_000_000 + 500*count
}

// minifier has what all parts of the work share.
type minifier struct {
	size       Size
	accept     *accept.Browsers
	pool       *pool
	frozen     map[source.Pos]bool
	namespaces bool // the sheet declares namespaces
	written    *intern.Declarations
	minimal    []bool              // whether those that were written cannot be shortened
	orders     map[string][]string // the order of properties, by their sorted names; see [minifier.align]
	effort     int                 // comparisons of rules so far
	maxEffort  int                 // from which on rules keep their places, which keeps the time linear
	blocks     int                 // looked through so far
	seenIn     []int               // the last of these blocks that had a selector
	// authors are the lists with :is() of the source, by the hash of the lists that
	// they stand for; see listHash.
	authors map[uint64][]ast.Selector
	apart   int // number of the selectors that they stand for

	// last are the declarations of the last block, if it has nothing else, and
	// claimed those of minified rules.
	last    []claim
	claimed map[*ast.StyleRule][]claim

	buf    []byte
	parts  []part       // memory of the parts of items
	claims []claim      // memory of the claims of parts
	ids    []selectorID // memory of the selectors of parts
}

// blockKind is what a block contains.
type blockKind uint8

// The kinds of blocks.
const (
	inSheet blockKind = iota // rules
	inRule                   // declarations and nested rules
	inOther                  // descriptors, keyframes and others
)

// isFrozen reports whether a node must stay as it is.
func (m *minifier) isFrozen(n ast.Node) bool { return m.frozen[n.Pos()] }

// block minifies the nodes of a block or of the sheet.
func (m *minifier) block(nodes []ast.Node, kind blockKind) []ast.Node {
	nodes, _ = ast.Map(nodes, func(n ast.Node) ast.Edit { return m.node(n, kind) })
	switch kind {
	case inSheet:
		return m.mergeAll(m.dropRepeated(nodes))
	case inRule:
		return m.declarations(nodes)
	}
	return nodes
}

// mergeAll merges blocks and rules, the nodes of which are minified, as often as
// that makes others equal.
func (m *minifier) mergeAll(nodes []ast.Node) []ast.Node {
	if !mayMerge(nodes) {
		return nodes
	}
	items := m.items(nodes)
	changed, fresh := false, true
	for range maxPasses {
		if fresh = m.pass(&items, fresh); !fresh {
			break
		}
		changed = true
	}
	if !changed {
		return nodes
	}
	out := make([]ast.Node, len(items))
	for i, it := range items {
		out[i] = it.node
	}
	return out
}

// pass merges the blocks of items, and their rules if some are fresh: not
// compared with the others so far. It reports whether some are now.
func (m *minifier) pass(items *[]*item, fresh bool) bool {
	joined := m.joinBlocks(items)
	if !joined && !fresh {
		return false
	}
	merged := m.mergeRules(items)
	dropped := m.dropOverridden(items)
	shared := m.size == Uncompressed && !merged && !dropped && m.shareDeclarations(items)
	return joined || merged || dropped || shared
}

// mayMerge reports whether there are two rules or two at-rules among nodes.
func mayMerge(nodes []ast.Node) bool {
	rules, atRules := 0, 0
	for _, n := range nodes {
		switch n.(type) {
		case *ast.StyleRule:
			rules++
		case *ast.AtRule:
			atRules++
		}
	}
	return rules > 1 || atRules > 1
}

// node minifies one node of a block.
func (m *minifier) node(n ast.Node, in blockKind) ast.Edit {
	switch n := n.(type) {
	case *ast.Declaration:
		return m.declaration(n)
	case *ast.BadDeclaration, *ast.BadRule:
		return ast.Remove // every browser skips it (CSS Syntax Level 3, section 5)
	case *ast.Comment:
		if !isKept(n) {
			return ast.Remove
		}
	case *ast.StyleRule:
		return m.styleRule(n)
	case *ast.QualifiedRule:
		return m.qualified(n)
	case *ast.AtRule:
		return m.atRule(n, in)
	}
	return ast.Keep
}

// withBody returns a node with the nodes of its block minified.
func (m *minifier) withBody(n ast.Node, kind blockKind) (with ast.Node, changed bool) {
	body := ast.Body(n)
	if len(body) == 0 {
		return n, false
	}
	minified := m.block(body, kind)
	if len(minified) == len(body) && &minified[0] == &body[0] {
		return n, false
	}
	return ast.WithBody(n, minified), true
}

// styleRule minifies a style rule.
func (m *minifier) styleRule(r *ast.StyleRule) ast.Edit {
	edited, changed := m.withBody(r, inRule)
	claims := m.last
	r = edited.(*ast.StyleRule)
	if empty(r.Nodes) {
		return ast.Remove
	}
	if list, ok := m.selectors(r.Selectors); ok {
		copied := *r
		copied.Selectors = list
		r, changed = &copied, true
	}
	if claims != nil {
		m.claimed[r] = claims
	}
	if changed {
		return ast.Replace(r)
	}
	return ast.Keep
}

// qualified minifies a keyframe.
func (m *minifier) qualified(r *ast.QualifiedRule) ast.Edit {
	edited, changed := m.withBody(r, inOther)
	r = edited.(*ast.QualifiedRule)
	list, shorter := values(r.Prelude, valueContext{})
	list, renamed := keyframe(list)
	if shorter || renamed {
		copied := *r
		copied.Prelude = list
		return ast.Replace(&copied)
	}
	if changed {
		return ast.Replace(r)
	}
	return ast.Keep
}

// atRule minifies an at-rule in a block of a kind.
func (m *minifier) atRule(r *ast.AtRule, in blockKind) ast.Edit {
	name := token.Lower(r.Name)
	if verbatim[name] {
		return ast.Keep
	}
	kind := inOther
	if known.HoldsStyleRules(name) {
		kind = in
	}
	edited, changed := m.withBody(r, kind)
	r = edited.(*ast.AtRule)
	if r.Block != nil && isRemovable(name) && empty(r.Block.Nodes) {
		return ast.Remove
	}
	if list, ok := m.prelude(name, r.Prelude); ok {
		copied := *r
		copied.Prelude = list
		r, changed = &copied, true
	}
	if name == "media" && isNever(r.Prelude) {
		return ast.Remove
	}
	if changed {
		return ast.Replace(r)
	}
	return ast.Keep
}

// isRemovable reports whether an empty at-rule has no effect. An empty @layer
// still orders layers, and empty @keyframes hide others with the same name.
func isRemovable(atRule string) bool { return known.HoldsStyleRules(atRule) && atRule != "layer" }

// verbatim are the at-rules whose blocks are not changed: names in
// @font-feature-values are case-sensitive, and scripts read the initial value
// of a registered property as it is written.
var verbatim = words("font-feature-values property")

// empty reports whether compact printing of a block yields nothing.
func empty(nodes []ast.Node) bool {
	return !slices.ContainsFunc(nodes, func(n ast.Node) bool {
		c, ok := n.(*ast.Comment)
		return !ok || isKept(c)
	})
}

// isKept reports whether compact printing keeps a comment.
func isKept(c *ast.Comment) bool { return strings.HasPrefix(c.Text, "/*!") }
