// Package replace implements replace() in an import, which substitutes values
// in sheets that are not prepared for it:
//
//	#2b6cb0: teal                          every use of a colour, in any notation
//	#2b6cb0, #245a94: oklch(from old l c 190)   old is the replaced value
//	4px, 6px: calc(old * 2)
//	property("*radius") 4px: 0             in properties that match a glob
//	feature("*width") 768px: 800px         in the conditions of @media and @container
//	{43, 108, 176}: 0, 128, 128            a list with commas, in braces as in CSS Values 5
//
// A replacement for an opaque colour also replaces that colour with another
// alpha, which is preserved. A replacement for the translucent colour has
// precedence. Replaced values are not replaced again by the same Set.
//
// [Read] parses the replacements; [Set.Nodes] applies them. [Counter] finds
// values that are worth replacing.
package replace

import (
	"errors"
	"path"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
	"rinzel/internal/source"
)

// Pattern is a value, or several in a row, that a [Set] replaces.
type Pattern struct {
	Values []ast.Value
	At     source.Span
	rule   *rule
	keys   []string
	hits   int
}

// rule is a replacement: patterns, and the new values.
type rule struct {
	with     []ast.Value
	usesOld  bool
	property string // glob; "" for all
	feature  string // glob for media and container features; the rule then only applies to conditions
}

// Error is a syntax error in a replacement.
type Error struct {
	At      source.Span
	Message string
}

// Error returns the message.
func (e *Error) Error() string { return e.Message }

// Set is the replacements of one import. It is not safe for concurrent use.
type Set struct {
	// Limit is the maximum number of inserted values; 0 for no limit. See
	// [Set.Exceeded].
	Limit int

	patterns []*Pattern
	byKey    map[string][]*Pattern // by their first value, in the order in which they are tried
	features bool                  // some apply to conditions
	seen     map[string]seen       // values seen so far, for suggestions
	replaced int
	inserted int // number of inserted values
}

// seen is a value that was seen.
type seen struct {
	value ast.Value
	kind  Kind
}

// Read parses the arguments of replace(). The error is an [*Error].
func Read(values []ast.Value) (*Set, error) {
	s := &Set{byKey: make(map[string][]*Pattern), seen: make(map[string]seen)}
	for _, part := range ast.SplitAt(values, token.Semicolon) {
		if len(part) == 0 {
			continue
		}
		if err := s.read(part); err != nil {
			return nil, err
		}
	}
	if len(s.patterns) == 0 {
		return nil, errors.New("it is empty")
	}
	for key, list := range s.byKey {
		// Longer patterns have precedence, then those with a property; of equal
		// ones, the last.
		slices.Reverse(list)
		slices.SortStableFunc(list, func(a, b *Pattern) int { return b.weight() - a.weight() })
		s.byKey[key] = list
	}
	return s, nil
}

// weight orders patterns by precedence.
func (p *Pattern) weight() int {
	w := 2 * len(p.keys)
	if p.rule.property != "" {
		w++
	}
	return w
}

// read parses one replacement.
func (s *Set) read(part []ast.Value) error {
	colon := slices.IndexFunc(part, func(v ast.Value) bool { return v.Kind == token.Colon })
	if colon < 0 {
		return &Error{ast.SpanOf(part), "expected ':' between the value and its replacement"}
	}
	if colon == 0 || colon == len(part)-1 {
		return &Error{ast.SpanOf(part), "expected a value on both sides of ':'"}
	}
	old, with := part[:colon], slices.Clone(part[colon+1:])
	if len(with) == 1 && with[0].Kind == token.LBrace && len(with[0].Values()) > 0 {
		with = slices.Clone(with[0].Values())
	}
	with[0].Space = false
	r := &rule{with: with, usesOld: mentionsOld(with)}
	if glob, ok := limit(&old[0], "property"); ok {
		r.property, old = glob, old[1:]
	} else if glob, ok := limit(&old[0], "feature"); ok {
		r.feature, old = glob, old[1:]
		s.features = true
	}
	for _, values := range ast.SplitAt(old, token.Comma) {
		if len(values) == 1 && values[0].Kind == token.LBrace {
			values = values[0].Values()
		}
		if len(values) == 0 {
			return &Error{ast.SpanOf(part[:colon+1]), "expected a value before ':' and between commas"}
		}
		s.add(values, r)
	}
	return nil
}

// limit parses property("glob") or feature("glob").
func limit(v *ast.Value, name string) (glob string, ok bool) {
	args := v.Values()
	if !v.IsFunction(name) || len(args) != 1 || args[0].Kind != token.String {
		return "", false
	}
	return strings.ToLower(token.StringValue(args[0].Text)), true
}

// add adds a pattern.
func (s *Set) add(values []ast.Value, r *rule) {
	p := &Pattern{Values: values, At: ast.SpanOf(values), rule: r}
	for i := range values {
		key, _ := Key(&values[i], "")
		p.keys = append(p.keys, key)
	}
	s.patterns = append(s.patterns, p)
	s.byKey[p.keys[0]] = append(s.byKey[p.keys[0]], p)
	if v := &values[0]; r.property != "" { // in animation, tan is a name
		if key, _ := Key(v, "font"); key != p.keys[0] {
			s.byKey[key] = append(s.byKey[key], p)
		}
	}
}

// mentionsOld reports whether values use the word old.
func mentionsOld(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool { return v.IsIdent("old") || mentionsOld(v.Values()) })
}

// Replaced returns the number of replaced values so far.
func (s *Set) Replaced() int { return s.replaced }

// At returns the position of the first pattern.
func (s *Set) At() source.Span { return s.patterns[0].At }

// Exceeded reports whether the limit was reached. Further values are not
// replaced then.
func (s *Set) Exceeded() bool { return s.Limit > 0 && s.inserted > s.Limit }

// Unmatched calls report for each pattern without a match, with the most
// similar value that was seen, or "".
func (s *Set) Unmatched(report func(p *Pattern, near string)) {
	for _, p := range s.patterns {
		if p.hits == 0 {
			report(p, s.near(p))
		}
	}
}

// Nodes returns nodes with values replaced. Nodes without replacements are
// shared.
func (s *Set) Nodes(nodes []ast.Node) []ast.Node {
	out, _ := ast.Map(nodes, s.node)
	return out
}

// node replaces values in a node.
func (s *Set) node(n ast.Node) ast.Edit {
	switch n := n.(type) {
	case *ast.Declaration:
		property := token.Lower(n.Name)
		if with, ok := s.values(n.Value,
			usage{name: property, place: value.ContextOf(property), verbatim: n.IsCustom()}); ok {
			copied := *n
			copied.Value = with
			return ast.Replace(&copied)
		}
		return ast.Keep
	case *ast.AtRule:
		var head ast.Node = n
		if with, ok := s.condition(n); ok {
			copied := *n
			copied.Prelude = with
			head = &copied
		}
		if edited, ok := ast.MapBody(head, s.node); ok || head != ast.Node(n) {
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	if edited, ok := ast.MapBody(n, s.node); ok {
		return ast.Replace(edited)
	}
	return ast.Keep
}

// condition returns the condition of an at-rule with values replaced.
func (s *Set) condition(r *ast.AtRule) ([]ast.Value, bool) {
	switch token.Lower(r.Name) {
	case "media", "container", "custom-media":
		return s.media(r.Prelude)
	}
	return nil, false
}

// Media returns the media conditions of an import with values replaced.
func (s *Set) Media(values []ast.Value) []ast.Value {
	out, _ := s.media(values)
	return out
}

// media replaces values in media conditions, and reports whether anything
// changed.
func (s *Set) media(values []ast.Value) ([]ast.Value, bool) {
	if !s.features {
		return values, false
	}
	return ast.MapList(values, func(_ int, v *ast.Value) (with ast.Value, changed bool) {
		inner := v.Values()
		if v.Kind != token.LParen && !v.IsFunction("media") && !v.IsFunction("not") {
			return *v, false
		}
		out, changed := s.media(inner)
		for _, name := range features(inner) {
			if changed {
				break
			}
			out, changed = s.values(inner, usage{name: name, feature: true, place: value.Anywhere})
		}
		with = *v
		with.Inner = &ast.Inner{Values: out, Close: v.Inner.Close}
		return with, changed
	})
}

// features returns the names in a feature test, one of which is its feature:
// (min-width: 3px), (3px < width).
func features(values []ast.Value) []string {
	var out []string
	for i := range values {
		if values[i].Kind == token.Ident {
			out = append(out, token.Lower(values[i].Text))
		}
	}
	return out
}

// usage is where values occur.
type usage struct {
	name     string // of the property or feature, in lower case
	feature  bool
	verbatim bool // in a custom property
	place    value.Context
}

// fits reports whether the pattern applies in a context.
func (p *Pattern) fits(at usage) bool {
	if (p.rule.feature != "") != at.feature {
		return false
	}
	glob := p.rule.property
	if at.feature {
		glob = p.rule.feature
	}
	if glob == "" {
		return true
	}
	ok, _ := path.Match(glob, at.name)
	return ok
}

// values returns values with all matches replaced, at every depth.
func (s *Set) values(values []ast.Value, at usage) (out []ast.Value, changed bool) {
	for i := 0; i < len(values); i++ {
		v := &values[i]
		with, took := s.replacement(values[i:], at)
		if took == 0 {
			if inner, ok := s.inner(v, at); ok {
				with, took = []ast.Value{inner}, 1
			}
		}
		if took > 0 && !changed {
			changed = true
			out = append(make([]ast.Value, 0, len(values)+len(with)), values[:i]...)
		}
		switch {
		case took > 0:
			out = append(out, with...)
			i += took - 1
		case changed:
			out = append(out, *v)
		}
	}
	if !changed {
		return values, false
	}
	return out, true
}

// inner replaces values inside a function, a block or an embedded picture.
func (s *Set) inner(v *ast.Value, at usage) (with ast.Value, changed bool) {
	if with, ok := s.picture(v, at); ok {
		return with, true
	}
	if v.Inner == nil {
		return *v, false
	}
	at.place = at.place.Inside(v.Name())
	inner, ok := s.values(v.Inner.Values, at)
	if !ok {
		return *v, false
	}
	with = *v
	with.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
	return with, true
}

// replacement returns the replacement of the values at the start of a list, and
// how many values it replaces; 0 if no pattern matches.
func (s *Set) replacement(values []ast.Value, at usage) (with []ast.Value, took int) {
	v := &values[0]
	key, kind := Key(v, at.name)
	if key == "" || s.Exceeded() {
		return nil, 0
	}
	if kind != Other {
		s.seen[key] = seen{bare(v), kind}
	}
	for _, p := range s.byKey[key] {
		if n := p.match(values, at); n > 0 {
			return s.put(p, values[:n], at, 1), n
		}
	}
	if kind == Color {
		return s.translucent(v, at)
	}
	return nil, 0
}

// match returns how many values at the start of a list the pattern matches; 0
// if it does not match. The list starts with the first key of the pattern.
// White space and comments between values are ignored.
func (p *Pattern) match(values []ast.Value, at usage) int {
	if !p.fits(at) {
		return 0
	}
	next := 1
	for i := 1; i < len(values) && next < len(p.keys); i++ {
		key, _ := Key(&values[i], "")
		if key == "" {
			continue
		}
		if key != p.keys[next] {
			return 0
		}
		if next++; next == len(p.keys) {
			return i + 1
		}
	}
	if next == len(p.keys) {
		return 1
	}
	return 0
}

// translucent replaces a translucent colour by a pattern for the opaque colour.
func (s *Set) translucent(v *ast.Value, at usage) (with []ast.Value, took int) {
	c, ok := value.ColorOf(v)
	if !ok || c.Alpha <= 0 || c.Alpha >= 1 {
		return nil, 0
	}
	alpha := c.Alpha
	c.Alpha = 1
	for _, p := range s.byKey[colorKey(c)] {
		if len(p.keys) == 1 && p.fits(at) {
			return s.put(p, []ast.Value{*v}, at, alpha), 1
		}
	}
	return nil, 0
}

// put returns the replacement of old, which a pattern matches. alpha is
// multiplied into a new colour.
func (s *Set) put(p *Pattern, old []ast.Value, at usage, alpha float64) []ast.Value {
	p.hits++
	s.replaced++
	s.inserted += len(p.rule.with) * len(old)
	with := p.rule.with
	if p.rule.usesOld {
		with = withOld(with, old)
	}
	with = finish(with, at.place)
	if !p.rule.usesOld && alpha < 1 && len(with) == 1 {
		with[0] = faded(&with[0], alpha)
	}
	if at.verbatim {
		return ast.Verbatim(with)
	}
	with[0].Space = old[0].Space
	return with
}

// withOld returns values with the word old replaced by old.
func withOld(values, old []ast.Value) []ast.Value {
	var out []ast.Value
	for _, v := range values {
		switch {
		case v.IsIdent("old"):
			put := slices.Clone(old)
			put[0].Space = v.Space
			out = append(out, put...)
			continue
		case v.Inner != nil:
			v.Inner = &ast.Inner{Values: withOld(v.Inner.Values, old), Close: v.Inner.Close}
		}
		out = append(out, v)
	}
	return out
}

// finish computes functions whose arguments are all known, the innermost first.
func finish(values []ast.Value, at value.Context) []ast.Value {
	out := slices.Clone(values)
	for i := range out {
		v := &out[i]
		if v.Inner == nil {
			continue
		}
		v.Inner = &ast.Inner{Values: finish(v.Inner.Values, at.Inside(v.Name())), Close: v.Inner.Close}
		if !value.IsComputable(v) {
			continue
		}
		space := v.Space
		if with, ok, err := value.Fold(v, at); ok && err == nil {
			*v = with
		} else if with, ok := value.FoldColor(v); ok {
			*v = with
		}
		v.Space = space
	}
	return out
}

// faded returns a colour with its alpha multiplied. A colour that only a
// browser knows is mixed with transparent.
func faded(v *ast.Value, alpha float64) ast.Value {
	if c, ok := value.ColorOf(v); ok {
		c.Alpha *= alpha
		return c.Value(v)
	}
	return value.Mixed(v, alpha)
}

// Text returns the pattern as text.
func (p *Pattern) Text() string { return print.CompactValues(p.Values) }

// IsLimited reports whether the pattern only applies to some properties or
// features.
func (p *Pattern) IsLimited() bool { return p.rule.property != "" || p.rule.feature != "" }
