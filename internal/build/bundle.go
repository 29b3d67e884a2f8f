package build

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// bundleJob is all that is known of a bundle before it is written.
type bundleJob struct {
	report  func(...diag.Diagnostic)
	at      source.Span // the link in the page; the zero Span for a sheet built alone
	pieces  []piece
	name    string                        // logical path in the output folder
	address func(v urlUse) (string, bool) // new address of an asset; false to leave it
	kind    step.Kind
	within  bool // it is written into a page: without a map, and without saying its encoding
	adopted bool // it is written into a script: without saying its encoding
	alone   bool // no page loads it beside others: if purging leaves nothing, that is an error
	// source gives the address of a source file relative to the map.
	source func(*source.File) string
}

// bundleResult is a bundle that was written.
type bundleResult struct {
	info     Bundle
	css      []byte             // without the comment that names the map
	compact  bool               // it is written without spaces that mean nothing
	mapped   []byte             // nil if the profile wants no map
	builder  *sourcemap.Builder // of the map, which names the file of the bundle
	empty    bool               // purging left nothing
	verdicts []purge.Verdict    // of purging it, if they are asked for
	holes    []string           // the files whose addresses in it a module works out
}

// bundle joins pieces in cascade order and finishes them as one.
func (b *builder) bundle(job bundleJob) bundleResult {
	pieces := slices.Clone(job.pieces)
	res := bundleResult{info: Bundle{Name: job.name, Path: job.name}}
	for _, p := range pieces {
		res.info.Prefix = prefix.Merge(res.info.Prefix, p.prefix)
	}
	seen := make(map[*source.File]bool)
	var parts []step.Part
	for i, p := range pieces {
		if p.file != nil && !seen[p.file] {
			seen[p.file] = true
			res.info.Sheets++
			res.info.Files = append(res.info.Files, p.file.Name)
			res.info.Sources += len(p.file.Text)
		}
		pieces[i].nodes = relocate(p.nodes, job.address)
		parts = append(parts, step.Part{File: p.file, Nodes: pieces[i].nodes})
	}
	checkExternal(pieces, job.report)
	u := &step.Unit{Kind: job.kind, Nodes: join(pieces, job.report), Parts: parts, Composed: true, Report: func(d diag.Diagnostic) { job.report(d) }}
	b.through(b.finish(), u)
	b.purged(job, u, &res)
	b.write(job, u, &res)
	return res
}

// keepSheet returns a bit for each pattern of the settings that keeps all rules of a
// sheet, as [purge.Result] has them.
func (b *builder) keepSheet(p source.Path) (bits uint64) {
	for i, pattern := range b.project.Settings.Purge.Keep {
		if root, _ := project.SplitRoot(pattern); root == "" && !strings.Contains(pattern, "/") && !strings.HasSuffix(strings.ToLower(pattern), ".css") {
			continue // it is about selectors
		}
		if (project.Glob{Pattern: pattern}).Matches(p) {
			bits |= 1 << min(i, 63)
		}
	}
	return bits
}

// purged notes and checks what purging left of a unit.
func (b *builder) purged(job bundleJob, u *step.Unit, res *bundleResult) {
	for _, verdicts := range step.Notes[[]purge.Verdict](u) {
		res.verdicts = append(res.verdicts, verdicts...)
	}
	for _, rules := range step.Notes[purge.Result](u) {
		res.info.Rules = rules
		b.checkShare(job, rules)
		b.checkMostly(job, rules)
		res.empty = rules.Rules > 0 && rules.RemovedRules == rules.Rules && !declaresMore(u.Nodes)
		if res.empty && job.alone {
			job.report(purgedEmpty(job.name, rules.Rules, job.at))
		}
	}
}

// checkShare reports a bundle of which purging removes more than the settings let it.
func (b *builder) checkShare(job bundleJob, r purge.Result) {
	most := b.project.Settings.Purge.Most
	if most == 0 || r.RemovedRules*100 <= most*r.Rules || r.RemovedRules == r.Rules {
		return
	}
	job.report(diag.Diagnostic{Code: code.PurgedMost, Severity: diag.Error, Span: job.at,
		Message: fmt.Sprintf("purging removes %d of the %s of %q, and the settings let it remove %d%%", r.RemovedRules, diag.Count(r.Rules, "rule"), job.name, most),
		Mend:    "check what [purge] evidence names, or raise most in [purge]"})
}

// checkMostly warns of a bundle of which purging removes more than nine tenths, unless the settings
// say how much it may.
func (b *builder) checkMostly(job bundleJob, r purge.Result) {
	const few = 20 // rules, of which a tenth is no rule or two
	if b.project.Settings.Purge.Most > 0 || r.Rules < few || r.RemovedRules*10 <= 9*r.Rules || r.RemovedRules == r.Rules {
		return
	}
	read := "the evidence"
	if b.memory.evidence != nil {
		read = kindsOf(b.memory.evidence.kinds)
	}
	job.report(diag.Diagnostic{Code: code.PurgedMostly, Severity: diag.Warning, Span: job.at,
		Message: fmt.Sprintf("purging removes %d of the %s of %q; the names in use were read from %s", r.RemovedRules, diag.Count(r.Rules, "rule"), job.name, read),
		Mend:    "look at what stays with rinzel why; if it is right, write most = 100 in [purge]"})
}

// kindsOf lists how many files of each ending were read.
func kindsOf(kinds map[string]int) string {
	var list []string
	for _, ending := range slices.Sorted(maps.Keys(kinds)) {
		list = append(list, fmt.Sprintf("%d %s", kinds[ending], ending))
	}
	return strings.Join(list, ", ")
}

// purgedEmpty words that purging left nothing of what a page links.
func purgedEmpty(name string, rules int, at source.Span) diag.Diagnostic {
	return diag.Diagnostic{Code: code.PurgedEmpty, Severity: diag.Error, Span: at,
		Message: fmt.Sprintf("purging leaves nothing of %q: no name in its %s was found in use", name, diag.Count(rules, "rule")),
		Mend:    "check what [purge] evidence names, or list in keep what must stay"}
}

// declaresMore reports whether anything but comments and empty layers is left.
func declaresMore(nodes []ast.Node) bool {
	return slices.ContainsFunc(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.Comment:
			return false
		case *ast.AtRule:
			return !token.EqualFold(n.Name, "layer") || declaresMore(ast.Body(n))
		}
		return true
	})
}

// write prints the bundle and its map.
func (b *builder) write(job bundleJob, u *step.Unit, res *bundleResult) {
	opts := print.Options{Compact: u.Compact}
	var builder *sourcemap.Builder
	if b.profile.Maps != project.NoMaps && !job.within {
		builder = sourcemap.NewBuilder(b.project.Tree.Set)
		opts.Maps = builder
	}
	size := res.info.Sources
	if job.within { // its file is the page, which is longer
		size = int(job.at.End - job.at.Start.Off)
	}
	if opts.Compact {
		size -= size / 8
	}
	css := print.Append(make([]byte, 0, size+size/16+256), u.Nodes, opts)
	if !isASCII(css) && !job.within && !job.adopted {
		// A page or server may say another encoding, so the sheet says its own.
		css = slices.Insert(css, 0, []byte(charsetRule)...)
		if builder != nil {
			builder.SkipLine()
		}
	}
	res.css, res.compact = css, u.Compact
	res.info.Size = len(css)
	if builder != nil {
		res.builder, res.mapped = builder, builder.JSON(path.Base(job.name), job.source)
	}
}

// charsetRule says the encoding of a sheet that is a file.
const charsetRule = "@charset \"utf-8\";\n"

func isASCII(text []byte) bool {
	for _, c := range text {
		if c >= 0x80 {
			return false
		}
	}
	return true
}

// join makes one list of nodes of pieces, each within the conditions of its
// imports. Imports from elsewhere and namespaces come first, as they must.
func join(pieces []piece, report func(...diag.Diagnostic)) []ast.Node {
	var head, body []ast.Node
	namespaces := namespaceJoiner{report: report, alone: len(pieces) == 1}
	var plain []piece
	for _, p := range pieces {
		if p.external != nil {
			// Only layer statements precede it; see [checkExternal].
			head = append(head, wrap(plain)...)
			plain = nil
			head = append(head, p.external)
			continue
		}
		p.nodes = namespaces.take(p.nodes)
		plain = append(plain, p)
	}
	body = append(body, wrap(plain)...)
	return slices.Concat(head, namespaces.rules, body)
}

// wrap puts the nodes of pieces into blocks for their conditions. Pieces that
// share a condition share its block.
func wrap(pieces []piece) []ast.Node {
	var out []ast.Node
	for i := 0; i < len(pieces); {
		if len(pieces[i].conds) == 0 {
			out = append(out, pieces[i].nodes...)
			i++
			continue
		}
		first := pieces[i].conds[0]
		var inner []piece
		for i < len(pieces) && len(pieces[i].conds) > 0 && pieces[i].conds[0] == first {
			p := pieces[i]
			p.conds = p.conds[1:]
			inner = append(inner, p)
			i++
		}
		out = append(out, first.wrap(wrap(inner)))
	}
	return out
}

// wrap returns nodes within blocks that say what the condition says. What an
// import says of its layer is within what it says of support and media (CSS
// Cascade 5, section 6.4.3).
func (c *condition) wrap(nodes []ast.Node) ast.Node {
	// In a block, a browser would read some of what it skips at the top.
	nodes = slices.DeleteFunc(slices.Clone(nodes), func(n ast.Node) bool { _, ok := n.(*ast.BadRule); return ok })
	at := func(name string, prelude []ast.Value) {
		nodes = []ast.Node{&ast.AtRule{At: c.at, Name: name, Prelude: prelude, Block: &ast.Block{Nodes: nodes}}}
	}
	if c.hasLayer {
		at("layer", c.layer)
	}
	if len(c.supports) > 0 {
		at("supports", supportsCondition(c.supports))
	}
	if len(c.media) > 0 {
		at("media", c.media)
	}
	if len(nodes) != 1 {
		panic("build: a condition without conditions")
	}
	return nodes[0]
}

// supportsCondition returns what stands in supports() as the condition of an
// @supports rule: a declaration needs brackets of its own.
func supportsCondition(values []ast.Value) []ast.Value {
	isDeclaration := len(values) > 1 && values[0].Kind == token.Ident && values[1].Kind == token.Colon
	if !isDeclaration {
		return values
	}
	return []ast.Value{{Kind: token.LParen, Text: "(", Pos: values[0].Pos, Inner: &ast.Inner{Values: values}}}
}

// urlUse is an address in a sheet.
type urlUse struct {
	address string
	at      source.Span
	custom  string // the custom property whose value it is in; empty for any other
}

// relocate returns nodes with the addresses in them changed to fit the place
// of the bundle.
func relocate(nodes []ast.Node, address func(urlUse) (string, bool)) []ast.Node {
	r := relocator{address: address}
	out, _ := ast.Map(nodes, r.node)
	return out
}

type relocator struct {
	address func(urlUse) (string, bool)
	custom  string // the custom property whose value is looked at
}

func (r relocator) node(n ast.Node) ast.Edit {
	if d, ok := n.(*ast.Declaration); ok {
		if d.IsCustom() {
			r.custom = token.Unescape(d.Name)
		}
		values, changed := ast.MapValues(d.Value, r.value)
		if !changed {
			return ast.Keep
		}
		copied := *d
		copied.Value = values
		return ast.Replace(&copied)
	}
	if edited, changed := ast.MapBody(n, r.node); changed {
		return ast.Replace(edited)
	}
	return ast.Keep
}

// value changes the address in a value, if it holds one.
func (r relocator) value(v *ast.Value) (with ast.Value, changed bool) {
	if v.Kind != token.URL && v.Kind != token.Function {
		return with, false
	}
	if v.IsFunction("image-set") || v.IsFunction("-webkit-image-set") {
		return r.imageSet(v)
	}
	address, ok := graph.Address(v)
	if !ok {
		return with, false
	}
	to, ok := r.address(urlUse{address, v.Span(), r.custom})
	if !ok || to == address {
		return with, false
	}
	with = *v
	if v.Kind == token.URL && token.PlainURL(to) {
		with.Text = "url(" + to + ")"
		return with, true
	}
	if v.Kind == token.URL {
		with.Kind, with.Text = token.Function, "url("
	}
	with.Inner = &ast.Inner{Values: []ast.Value{{Kind: token.String, Text: token.Quote(to), Pos: v.Pos}}}
	return with, true
}

// imageSet changes the addresses in image-set(), where a string is one.
func (r relocator) imageSet(v *ast.Value) (with ast.Value, changed bool) {
	args := slices.Clone(v.Inner.Values)
	for i := range args {
		arg := &args[i]
		if arg.Kind != token.String { // the string in type() is none
			if moved, ok := r.value(arg); ok {
				*arg, changed = moved, true
			}
			continue
		}
		address := token.StringValue(arg.Text)
		if to, ok := r.address(urlUse{address, arg.Span(), r.custom}); ok && to != address {
			arg.Text, changed = token.Quote(to), true
		}
	}
	if !changed {
		return with, false
	}
	with = *v
	with.Inner = &ast.Inner{Values: args, Close: v.Inner.Close}
	return with, true
}

// mediaCondition reads the media attribute of a link, which stands at a place in the page, as
// browsers do (Media Queries 4, section 3.2): what is not closed is closed at its end, and a query
// that cannot be read never holds.
func mediaCondition(media string, at source.Pos) *condition {
	var queries []ast.Value
	for i, query := range mediaQueries(media) {
		if i > 0 {
			queries = append(queries, ast.Value{Kind: token.Comma, Text: ","})
		}
		queries = append(queries, query...)
	}
	if len(queries) == 0 {
		return nil
	}
	return &condition{at: at, media: unplaced(queries)}
}

// mediaQueries returns the queries of a media attribute, each of which may stand in a rule.
func mediaQueries(media string) [][]ast.Value {
	list, _ := parse.Values(new(source.Set).Add(source.Path{}, "media", media))
	if len(list) == 0 {
		return nil
	}
	never, _ := parse.Values(new(source.Set).Add(source.Path{}, "media", "not all"))
	queries := ast.SplitAt(list, token.Comma)
	for i, query := range queries {
		if len(query) == 0 || slices.ContainsFunc(query, func(v ast.Value) bool { return !mayStandInMedia(v) }) {
			queries[i] = never
		}
	}
	return queries
}

// mayStandInMedia reports whether a value can be part of a media query at all.
func mayStandInMedia(v ast.Value) bool {
	switch v.Kind {
	case token.Ident, token.LParen, token.Function, token.Number, token.Dimension, token.Percentage, token.Delim, token.Comment, token.Whitespace, token.Colon:
		return true
	}
	return false
}

// unplaced returns values without places, since those they have are in no
// file of the project.
func unplaced(values []ast.Value) []ast.Value {
	out := slices.Clone(values)
	for i := range out {
		out[i].Pos = source.NoPos
		if in := out[i].Inner; in != nil {
			out[i].Inner = &ast.Inner{Values: unplaced(in.Values)}
		}
	}
	return out
}
