// Package purge removes unused rules.
//
// A selector is kept if each of its parts may match something: a page has the
// class, ID, element or attribute, or a script or another file contains a word
// that may become one. States (:hover) and everything that cannot be decided by
// name count as possible. Of a selector list, the selectors that cannot match
// are removed; a rule is removed with its last selector, and an at-rule with
// its last rule. Then definitions that only removed rules used are removed:
// @keyframes, @font-face, @counter-style, and @property of a name that is not
// used elsewhere.
//
// [Evidence] is collected by AddHTML, AddScript and AddText. [Nodes] purges a
// sheet with it; [UsesOf] collects the uses of definitions first. Every verdict
// has its reasons ([Verdict]).
package purge

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Result has statistics of a purge.
type Result struct {
	Rules        int // number of style rules examined
	RemovedRules int
	RemovedNamed int // removed definitions, such as @keyframes, and custom properties
	// MatchedKeeps has a bit for each keep pattern, in order, that matched a
	// selector; the last one is shared by all from the 64th on.
	MatchedKeeps uint64
	RemovedBytes int // source bytes of the removed rules, without white space around declarations
}

// Verdict is the decision on one selector, or on a definition by name.
type Verdict struct {
	Selector ast.Selector // nil for a definition
	Name     string       // of a definition: "@keyframes drift"
	At       source.Span
	Kept     bool
	// Why has, for a kept selector, the evidence for each of its parts; for a
	// removed one, its unused parts.
	Why []Reason
}

// Reason is the reason for one part of a selector: a class, ID, element or
// attribute.
type Reason struct {
	Part string // as written; empty if it concerns the whole selector
	Use  Use    // the zero Use if it is unused
}

// Options configure a purge.
type Options struct {
	Evidence   *Evidence
	Uses       *Uses         // uses of definitions on the whole site; nil keeps all definitions
	Record     func(Verdict) // receives every verdict in order; may be nil
	Properties bool          // also remove unused custom properties; needs Uses
	// Supported reports whether all targets support a selector; nil means
	// always.
	Supported func(ast.Selector) bool
	// Exempt are nodes that comments exclude from this step.
	Exempt map[ast.Node]bool

	// Options of the step that [Nodes] ignores:

	Verdicts bool // note all verdicts
	// KeepSheet returns a bit for each keep pattern that keeps all rules of a
	// sheet, see [Result]; nil for none.
	KeepSheet func(source.Path) uint64
}

// Nodes returns nodes without unused rules. Unchanged nodes are shared, not
// copied.
func Nodes(nodes []ast.Node, opts Options) ([]ast.Node, Result) {
	p := &purger{Options: opts}
	out, _ := ast.Map(nodes, p.node)
	return out, p.result
}

// purger is the state of one purge.
type purger struct {
	Options
	result Result
}

// node purges one node.
func (p *purger) node(n ast.Node) ast.Edit {
	if p.Exempt[n] {
		p.leave(n)
		return ast.Keep
	}
	switch n := n.(type) {
	case *ast.StyleRule:
		return p.rule(n)
	case *ast.Declaration:
		return p.property(n)
	case *ast.AtRule:
		if edit, ok := p.definition(n); ok {
			return edit
		}
		if n.Block == nil || !known.HoldsStyleRules(token.Lower(n.Name)) {
			return ast.Keep
		}
		edited, changed := ast.MapBody(n, p.node)
		if !changed {
			return ast.Keep
		}
		if len(ast.Body(edited)) > 0 || token.EqualFold(n.Name, "layer") { // an empty layer still determines the layer order
			return ast.Replace(edited)
		}
		return ast.Remove
	}
	return ast.Keep
}

// leave records the rules in an exempt node as kept.
func (p *purger) leave(n ast.Node) {
	ast.Walk([]ast.Node{n}, func(n ast.Node) bool {
		if r, ok := n.(*ast.StyleRule); ok {
			p.result.Rules++
			for _, s := range r.Selectors {
				p.record(s, true, []Reason{{Use: Use{Kind: ByComment}}})
			}
		}
		return true
	})
}

// rule purges a style rule.
func (p *purger) rule(r *ast.StyleRule) ast.Edit {
	p.result.Rules++
	kept := make([]ast.Selector, 0, len(r.Selectors))
	for _, s := range r.Selectors {
		if p.decide(s) {
			kept = append(kept, s)
		}
	}
	if len(kept) == 0 {
		p.result.RemovedRules++
		p.result.RemovedBytes += length(r)
		p.nested(r.Nodes)
		return ast.Remove
	}
	body, changed := ast.MapBody(r, p.node) // nested rules
	edited := r
	if changed {
		edited = body.(*ast.StyleRule)
		if isEmpty(edited) && !isEmpty(r) {
			return ast.Remove // it had no other contents
		}
	}
	if len(kept) < len(r.Selectors) && p.mayDrop(r, kept) {
		copied := *edited
		copied.Selectors = kept
		edited, changed = &copied, true
	}
	if !changed {
		return ast.Keep
	}
	return ast.Replace(edited)
}

// isEmpty reports whether a rule has no declarations and no rules.
func isEmpty(r *ast.StyleRule) bool {
	return !slices.ContainsFunc(r.Nodes, func(n ast.Node) bool { _, isComment := n.(*ast.Comment); return !isComment })
}

// property decides about a declaration: an unused custom property may be removed.
func (p *purger) property(d *ast.Declaration) ast.Edit {
	if !p.Properties || p.Uses == nil || !d.IsCustom() {
		return ast.Keep
	}
	name := token.Unescape(d.Name)
	kept := p.Uses.reads(name) || p.Evidence.mentions(name)
	if p.Record != nil {
		p.Record(Verdict{Name: "property " + name, At: d.Span(), Kept: kept})
	}
	if kept {
		return ast.Keep
	}
	p.result.RemovedNamed++
	if at := d.Span(); at.IsValid() {
		p.result.RemovedBytes += int(at.End - at.Start.Off)
	}
	return ast.Remove
}

// nested counts and records the rules in a removed rule.
func (p *purger) nested(nodes []ast.Node) {
	ast.Walk(nodes, func(n ast.Node) bool {
		if r, ok := n.(*ast.StyleRule); ok {
			p.result.Rules++
			p.result.RemovedRules++
			for _, s := range r.Selectors {
				if p.Record != nil {
					p.Record(Verdict{Selector: s, At: spanOf(s), Why: []Reason{{Use: Use{Kind: ByParent}}}})
				}
			}
		}
		return true
	})
}

// mayDrop reports whether the selectors of a rule that are not among kept may
// be removed. Browsers drop a rule with an unsupported selector, and would
// apply it without that selector; and nested rules have the highest specificity
// of their parents' selectors.
func (p *purger) mayDrop(r *ast.StyleRule, kept []ast.Selector) bool {
	if slices.ContainsFunc(r.Selectors,
		func(s ast.Selector) bool { return s.IsBad() || p.Supported != nil && !p.Supported(s) }) {
		return false
	}
	nests := slices.ContainsFunc(r.Nodes, func(n ast.Node) bool {
		_, isDeclaration := n.(*ast.Declaration)
		_, isComment := n.(*ast.Comment)
		return !isDeclaration && !isComment
	})
	return !nests || selector.Max(kept) == selector.Max(r.Selectors)
}

// length returns the source length of a rule.
func length(r *ast.StyleRule) int {
	n := len("{}")
	if at := r.Span(); at.IsValid() {
		n += int(at.End - at.Start.Off)
	}
	for _, child := range r.Nodes {
		if at := child.Span(); at.IsValid() {
			n += int(at.End-at.Start.Off) + len(";")
		}
	}
	return n
}

// decide reports whether a selector may match something, and records the
// verdict.
func (p *purger) decide(s ast.Selector) bool {
	if pattern, ok := p.Evidence.keeps(s); ok {
		p.result.MatchedKeeps |= 1 << min(pattern, 63)
		p.record(s, true, []Reason{{Part: p.Evidence.keep[pattern].Text, Use: Use{Kind: ByKeep}}})
		return true
	}
	j := decision{evidence: p.Evidence, explain: p.Record != nil}
	kept := j.possible(s)
	if kept && !p.Evidence.existsOnPage(s) {
		kept, j.missing = false, []Reason{{Use: Use{Kind: ByStructure}}}
	}
	if !kept {
		if use, ok := p.Evidence.relatedUse(s); ok {
			kept = true
			j.found = append(j.found, Reason{Use: use})
		}
	}
	if j.explain {
		why := j.found
		if !kept {
			why = j.missing
		}
		p.record(s, kept, why)
	}
	return kept
}

// IsUsed reports whether one of the selectors of a rule may match something, by
// some evidence.
func IsUsed(r *ast.StyleRule, e *Evidence) bool {
	p := &purger{Options: Options{Evidence: e}}
	return slices.ContainsFunc(r.Selectors, p.decide)
}

// Decide returns the verdict on one selector by some evidence.
func Decide(s ast.Selector, e *Evidence) (v Verdict) {
	p := &purger{Options: Options{Evidence: e, Record: func(found Verdict) { v = found }}}
	p.decide(s)
	return v
}

// record records a verdict.
func (p *purger) record(s ast.Selector, kept bool, why []Reason) {
	if p.Record != nil {
		p.Record(Verdict{Selector: s, At: spanOf(s), Kept: kept, Why: why})
	}
}

// spanOf returns the position of a selector, as far as its parts have one. For
// an expanded nested rule, it is the position of the nested rule.
func spanOf(s ast.Selector) source.Span {
	const between = 8 // maximum number of bytes: white space, a combinator and signs
	first, end := len(s), uint32(0)
	for i := len(s) - 1; i >= 0; i-- {
		at := s[i].Pos
		if !at.IsValid() {
			continue
		}
		if first < len(s) {
			next := s[first].Pos
			if at.File != next.File || at.Off > next.Off || next.Off > at.Off+uint32(len(s[i].Name))+between {
				break
			}
		} else if end = at.Off + uint32(len(s[i].Name)); s[i].Kind == ast.ClassSelector || s[i].Kind == ast.IDSelector ||
			s[i].Kind == ast.PseudoClass {
			end++
		}
		first = i
	}
	if first == len(s) {
		return source.Span{}
	}
	return s[first].Pos.To(end)
}

// decision is the judgement of one selector. With explain, it collects reasons.
type decision struct {
	evidence *Evidence
	explain  bool
	found    []Reason
	missing  []Reason
}

// possible reports whether a selector may match something.
func (j *decision) possible(s ast.Selector) bool {
	all := true
	for i := range s {
		if !j.part(&s[i]) {
			if all = false; !j.explain {
				return false
			}
		}
	}
	return all
}

// part reports whether a simple selector can match.
func (j *decision) part(s *ast.Simple) bool {
	var use Use
	var ok bool
	text := s.Name
	switch s.Kind {
	case ast.ClassSelector:
		text = "." + s.Name
		use, ok = j.evidence.Class(token.Unescape(s.Name))
	case ast.IDSelector:
		text = "#" + s.Name
		use, ok = j.evidence.ID(token.Unescape(s.Name))
	case ast.TypeSelector:
		name := s.Name[strings.LastIndexByte(s.Name, '|')+1:]
		use, ok = j.evidence.Element(token.Unescape(name))
	case ast.AttributeSelector:
		text = attributeText(s)
		use, ok = j.evidence.Attribute(s)
	case ast.PseudoClass:
		return j.args(s)
	case ast.PseudoElement:
		return j.element(s)
	default: // a newer browser may support what is unknown here
		return true
	}
	return j.note(Reason{text, use}, ok)
}

// attributeText returns an attribute selector as text.
func attributeText(s *ast.Simple) string {
	text := "[" + s.Name
	if s.Args != nil && s.Args.Matcher != "" {
		text += s.Args.Matcher + s.Args.Value.Text
	}
	return text + "]"
}

// args reports whether a pseudo-class can match by its arguments: if it selects by
// them, one must be possible. :not() and unknown ones select by what they do
// not match.
func (j *decision) args(s *ast.Simple) bool {
	if s.Args == nil || len(s.Args.Selectors) == 0 {
		return true
	}
	name := token.Lower(s.Name)
	if takes, _ := known.TakesSelectors(name); name == "not" || !takes && !known.TakesOf(name) {
		return true
	}
	return j.any(s)
}

// element reports whether a pseudo-element can match by its arguments: selectors, as in ::slotted(),
// or names, as in ::part(), which are words of attributes or scripts.
func (j *decision) element(s *ast.Simple) bool {
	switch name := token.Lower(s.Name); {
	case s.Args == nil:
		return true
	case name == "part":
		all := true
		for _, v := range s.Args.Values {
			if v.Kind != token.Ident {
				continue
			}
			use, ok := j.evidence.word(token.Unescape(v.Text))
			all = j.note(Reason{"::part(" + v.Text + ")", use}, ok) && all
		}
		return all
	case name == "cue", name == "cue-region": // of the text of a track
		return true
	case len(s.Args.Selectors) > 0:
		return j.any(s)
	}
	return true
}

// note records the reason for a verdict on a part.
func (j *decision) note(r Reason, ok bool) bool {
	if j.explain {
		if ok {
			j.found = append(j.found, r)
		} else {
			j.missing = append(j.missing, r)
		}
	}
	return ok
}

// any reports whether one of the arguments of a pseudo may match something.
func (j *decision) any(s *ast.Simple) bool {
	missing := len(j.missing)
	any := false
	for _, arg := range s.Args.Selectors {
		if _, keep := j.evidence.keeps(arg); keep || j.possible(arg) {
			if any = true; !j.explain {
				return true
			}
		}
	}
	if any {
		j.missing = j.missing[:missing]
	}
	return any
}
