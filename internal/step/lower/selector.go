package lower

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
)

// This file rewrites selectors as others that match the same elements with the
// same specificity. Selectors without such an equivalent are not changed:
// :not() with a list has a lower specificity than one :not() for each argument.

// The features of these selectors.
const (
	isClass      = "css.selectors.is"
	anyLinkClass = "css.selectors.any-link"
	dirClass     = "css.selectors.dir"
)

// selectorFeatures are the features that this rewrite is for.
var selectorFeatures = []string{isClass, anyLinkClass, dirClass}

// selectors rewrites the selectors of rules.
func (l *lowering) selectors(nodes []ast.Node) []ast.Node {
	r := &selectorRewriter{
		is: l.needed(isClass), anyLink: l.needed(anyLinkClass) && len(l.Targets.Missing(anyLinkClass)) > 0,
		dir: l.needed(dirClass) && l.Direction != AnyDirection, direction: string(l.Direction),
	}
	if !r.is && !r.anyLink && !r.dir {
		return nodes
	}
	return l.rules(nodes, func(n ast.Node) (with ast.Node, changed bool) {
		rule, ok := n.(*ast.StyleRule)
		if !ok {
			return n, false
		}
		list, ok := r.list(rule.Selectors)
		switch {
		case !ok:
			return n, false
		case len(list) == 0:
			return nil, true
		}
		copied := *rule
		copied.Selectors = list
		return &copied, true
	})
}

// selectorRewriter is the rewrite for the targets.
type selectorRewriter struct {
	is, anyLink, dir bool
	direction        string
}

// list rewrites the selectors of a rule: the result is empty if no element can
// match. ok is false if they are unchanged.
func (r *selectorRewriter) list(list []ast.Selector) (out []ast.Selector, ok bool) {
	for _, s := range list {
		if s.IsBad() || !slices.ContainsFunc(s, r.concerns) {
			out = append(out, s)
			continue
		}
		if r.dir {
			var matches bool
			if s, matches = r.decided(s); !matches {
				ok = true
				continue
			}
		}
		if r.anyLink {
			s = linked(s)
		}
		written := []ast.Selector{s}
		if r.is && alternatives(s) <= maxProduct {
			written = expanded(s)
		}
		ok = ok || len(written) != 1 || !ast.EqualSelectors(written, []ast.Selector{s}) ||
			!slices.ContainsFunc(list, func(o ast.Selector) bool { return &o[0] == &s[0] })
		out = append(out, written...)
	}
	return out, ok && len(out) <= max(maxProduct, len(list))
}

// concerns reports whether a simple selector may have to be rewritten.
func (r *selectorRewriter) concerns(p ast.Simple) bool {
	if p.Kind != ast.PseudoClass {
		return false
	}
	return r.is && token.EqualFold(p.Name, "is") || r.anyLink && token.EqualFold(p.Name, "any-link") || r.dir &&
		token.EqualFold(p.Name, "dir")
}

// alternatives returns the number of selectors that s expands to without :is(),
// or a number above maxProduct.
func alternatives(s ast.Selector) int {
	product := 1
	for i := range s {
		if s[i].Kind != ast.PseudoClass || s[i].Args == nil || !token.EqualFold(s[i].Name, "is") {
			continue
		}
		sum := 0
		for _, arg := range s[i].Args.Selectors {
			if sum += alternatives(arg); sum > maxProduct {
				return sum
			}
		}
		if product *= max(1, sum); product > maxProduct {
			return product
		}
	}
	return product
}

// expanded expands the first :is() at the top level of s, and so on until none
// is left. It returns s itself if one cannot be expanded with the same
// specificity.
func expanded(s ast.Selector) []ast.Selector {
	at := slices.IndexFunc(s, isIs)
	if at < 0 || s[at].Args == nil || !writable(s[at].Args.Selectors) {
		return []ast.Selector{s}
	}
	args := s[at].Args.Selectors
	marked := slices.Clone(s)
	marked[at] = ast.Simple{Kind: ast.NestingSelector, Name: "&", Pos: s[at].Pos}
	var out []ast.Selector
	for _, arg := range args {
		one, ok := marked, false
		if at == 0 && leads(marked) {
			one, ok = join(arg, marked[1:])
		}
		if !ok {
			one = replace(marked, []ast.Selector{arg})
		}
		if selector.Of(one) != selector.Of(s) {
			return []ast.Selector{s}
		}
		// What could not be joined is still an :is().
		if slices.ContainsFunc(one,
			func(p ast.Simple) bool { return isIs(p) && ast.EqualSelectors(p.Args.Selectors, []ast.Selector{arg}) }) {
			return []ast.Selector{s}
		}
		rest := expanded(one)
		if len(out)+len(rest) > maxProduct {
			return []ast.Selector{s}
		}
		out = append(out, rest...)
	}
	return out
}

// isIs reports whether a simple selector is :is().
func isIs(p ast.Simple) bool { return p.Kind == ast.PseudoClass && token.EqualFold(p.Name, "is") }

// writable reports whether the arguments of :is() can become separate
// selectors.
func writable(args []ast.Selector) bool {
	return len(args) > 0 && len(args) <= maxProduct && sameSpecificity(args) &&
		!slices.ContainsFunc(args, func(a ast.Selector) bool {
			return endsInElement(a) || a[0].Kind == ast.Combinator || !everywhere(a)
		})
}

// everywhere reports whether every browser supports the pseudo-classes of a
// selector: in a list, an unsupported one invalidates the others, in :is() it
// does not.
func everywhere(s ast.Selector) bool {
	return !slices.ContainsFunc(s, func(p ast.Simple) bool {
		if p.Kind != ast.PseudoClass || token.EqualFold(p.Name, "is") {
			return false
		}
		return !slices.Contains(oldPseudos, token.Lower(p.Name))
	})
}

// oldPseudos are the pseudo-classes of Selectors 3.
var oldPseudos = []string{
	"hover", "active", "focus", "link", "visited", "target", "lang", "enabled", "disabled", "checked",
	"indeterminate", "root", "first-child", "last-child", "only-child", "first-of-type", "last-of-type",
	"only-of-type", "nth-child", "nth-last-child", "nth-of-type", "nth-last-of-type", "empty", "not",
}

// linked returns s with :any-link replaced by [href], if it is on an element
// that is a link because of it (HTML, section 4.16.3). The specificity is the
// same.
func linked(s ast.Selector) ast.Selector {
	for i := range s {
		if s[i].Kind != ast.PseudoClass || !token.EqualFold(s[i].Name, "any-link") {
			continue
		}
		first := i
		for first > 0 && s[first-1].Kind != ast.Combinator {
			first--
		}
		if s[first].Kind == ast.TypeSelector &&
			(token.EqualFold(s[first].Name, "a") || token.EqualFold(s[first].Name, "area")) {
			out := slices.Clone(s)
			out[i] = ast.Simple{Kind: ast.AttributeSelector, Name: "href", Pos: s[i].Pos, Args: &ast.Args{}}
			return linked(out)
		}
	}
	return s
}

// decided returns s with :dir() of the direction of the pages replaced by a
// selector of the same specificity that every element matches. matches is false
// for the other direction.
func (r *selectorRewriter) decided(s ast.Selector) (with ast.Selector, matches bool) {
	with = s
	for i := range s {
		p := &s[i]
		if p.Kind != ast.PseudoClass || !token.EqualFold(p.Name, "dir") || p.Args == nil || len(p.Args.Values) != 1 {
			continue
		}
		asked := token.Lower(p.Args.Values[0].Text)
		other := map[string]string{"ltr": "rtl", "rtl": "ltr"}[asked]
		if other == "" || asked != r.direction {
			return nil, false
		}
		if &with[0] == &s[0] {
			with = slices.Clone(s)
		}
		wrong := ast.Simple{Kind: ast.AttributeSelector, Name: "dir", Pos: p.Pos,
			Args: &ast.Args{Matcher: "=", Value: ident(other, &p.Args.Values[0], false)}}
		with[i] = ast.Simple{Kind: ast.PseudoClass, Name: "not", Pos: p.Pos,
			Args: &ast.Args{Selectors: []ast.Selector{{wrong}}}}
	}
	return with, true
}
