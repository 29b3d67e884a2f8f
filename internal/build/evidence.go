package build

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step"
	"rinzel/internal/step/purge"
)

// supported reports whether all targets support a selector.
func (b *builder) supported(s ast.Selector) bool { return len(b.checker.Lacking(s)) == 0 }

// keptEvidence is all evidence of a build, with what was found when it was read.
type keptEvidence struct {
	all   *purge.Evidence
	kinds map[string]int // how many files of each ending were read
	diags []diag.Diagnostic
}

// gatherEvidence reads the names in use from the pages, from every script of
// the source folder, and from the files that settings and options name. It
// does nothing in a profile that does not purge.
func (b *builder) gatherEvidence(ctx context.Context, pages []*graph.Page) error {
	if !b.purges() {
		return nil
	}
	if b.memory.evidence == nil {
		files := make(map[source.Path]bool)
		for _, page := range pages {
			files[page.File.Path] = true
		}
		b.walk(func(p source.Path) {
			if isScript(p.Name) || b.isTemplateFile(p) || isData(p.Name) && b.mentions(path.Base(p.Name)) {
				files[p] = true
			}
		})
		kept := &keptEvidence{diags: b.matchEvidence(files)}
		if len(files) == 0 {
			kept.diags = append(kept.diags, noEvidence())
		}
		kept.diags = append(kept.diags, b.pagesBeside(files, pages)...)
		if err := b.readEvidence(ctx, files, kept); err != nil {
			return err
		}
		for _, page := range pages {
			scripts, found := b.unreadScripts(page)
			kept.diags = append(kept.diags, found...)
			for _, at := range scripts {
				kept.unread(b, at)
			}
		}
		b.memory.evidence = kept
		b.memory.judgeBy(kept.all)
	}
	b.evidence = b.memory.evidence.all
	b.report(b.memory.evidence.diags...)
	return nil
}

// templateKinds are the endings of files that pages are made of elsewhere: server pages, components,
// and text with marks that becomes markup.
var templateKinds = strings.Fields(`.php .phtml .inc .asp .aspx .ascx .master .cshtml .vbhtml .razor .jsp .jspx .jspf .tag .cfm .erb .rhtml .haml .slim
	.ejs .eta .hbs .handlebars .mustache .njk .nunjucks .liquid .twig .jinja .jinja2 .j2 .tpl .tmpl .gohtml .tera .mako .dust .ftl .ftlh .vm .xsl .xslt .pug .jade
	.eex .heex .leex .jsx .tsx .ts .mts .cts .elm .md .mdx .markdown .rst .adoc .textile .org`)

// dataKinds are the endings of files that scripts and pages take text or markup from.
var dataKinds = []string{".json", ".svg", ".vtt", ".xml", ".txt", ".yml", ".yaml", ".csv"}

// isTemplateFile reports whether pages are made from a file: by its ending, or, if that says nothing,
// because it starts with markup, as components do.
func (b *builder) isTemplateFile(p source.Path) bool {
	ending := strings.ToLower(path.Ext(p.Name))
	if slices.Contains(templateKinds, ending) {
		return true
	}
	if mediaTypes[ending] != "" || ending == "" || isData(p.Name) || isPage(p.Name) || isSheet(p.Name) {
		return false
	}
	const most = 256 // bytes in which markup must start
	head := bytes.TrimLeft(b.project.Tree.Head(p, most), " \t\r\n\uFEFF")
	return len(head) > 1 && head[0] == '<' && (head[1] == '!' || 'a' <= head[1]|0x20 && head[1]|0x20 <= 'z')
}

func isData(name string) bool { return slices.Contains(dataKinds, strings.ToLower(path.Ext(name))) }

// unread notes a script that cannot be read, if the settings have purging heed it.
func (k *keptEvidence) unread(b *builder, at source.Pos) {
	if b.project.Settings.Purge.Unread == project.KeepRelated {
		k.all.AddUnread(at)
	}
}

// noEvidence words that there is nothing to judge by what is in use.
func noEvidence() diag.Diagnostic {
	return diag.Diagnostic{Code: code.NoEvidence, Severity: diag.Error,
		Message: "no file that could be evidence was found, so purging would remove everything",
		Mend:    "name pages, templates or scripts with --evidence or in [purge] evidence, relative to the source folder"}
}

// matchEvidence adds the files that the evidence globs match, and returns what is
// to be said of those that match none.
func (b *builder) matchEvidence(files map[source.Path]bool) (found []diag.Diagnostic) {
	settings := b.project.Settings.Purge.Evidence
	globs := slices.Concat(settings, b.opts.Evidence)
	matched := make([]bool, len(globs))
	seen := func(p source.Path) {
		for i, glob := range globs {
			root, glob := project.SplitRoot(glob)
			if ok, _ := doublestar.Match(glob, p.Name); ok && root == p.Root {
				files[p] = true
				matched[i] = true
			}
		}
	}
	b.walk(seen)
	for i, glob := range globs {
		if root, _ := project.SplitRoot(glob); root != "" {
			b.project.Tree.Walk(root, func(string) bool { return true }, seen, func(source.Path, error) {})
		}
		if !matched[i] {
			where, at, severity := "--evidence", source.Span{}, diag.Warning
			if b.profile.Release {
				severity = diag.Error
			}
			if i < len(settings) {
				where, at = "[purge]", b.project.Settings.Purge.EvidenceAt[i]
			}
			found = append(found, diag.Diagnostic{Code: code.NoEvidence, Severity: severity, Span: at,
				Message: fmt.Sprintf("the evidence %q in %s matches no file in the source folder %q", glob, where, b.project.Settings.Source),
				Mend:    cmp.Or(b.nearGlob(glob), "paths are relative to the source folder; ** stands for any folders")})
		}
	}
	return found
}

// nearGlob proposes a glob near to one that matches nothing: in a folder that there is,
// or for files of a kind that there are.
func (b *builder) nearGlob(glob string) string {
	root, pattern := project.SplitRoot(glob)
	folders, kinds := make(map[string]bool), make(map[string]bool)
	b.walkRoot(root, func(p source.Path) {
		kinds[strings.ToLower(path.Ext(p.Name))] = true
		for dir := path.Dir(p.Name); dir != "."; dir = path.Dir(dir) {
			folders[dir] = true
		}
	})
	prefix := ""
	if root != "" {
		prefix = root + ":"
	}
	base, rest := doublestar.SplitPattern(pattern)
	if base != "." && !folders[base] {
		if near := diag.Nearest(base, slices.Sorted(maps.Keys(folders))); near != "" {
			return fmt.Sprintf("did you mean %q?", prefix+path.Join(near, rest))
		}
	}
	if ext := path.Ext(pattern); ext != "" && !kinds[strings.ToLower(ext)] && !strings.ContainsAny(ext, "*?[{") {
		if near := diag.Nearest(ext, slices.Sorted(maps.Keys(kinds))); near != "" {
			return fmt.Sprintf("did you mean %q?", prefix+strings.TrimSuffix(pattern, ext)+near)
		}
		return fmt.Sprintf("no file of the folder ends in %q", ext)
	}
	return ""
}

// pagesBeside notes the pages among the evidence that are not built: what they use is
// kept, and they load none of the bundles.
func (b *builder) pagesBeside(files map[source.Path]bool, pages []*graph.Page) (found []diag.Diagnostic) {
	built := make(map[source.Path]bool)
	for _, p := range pages {
		built[p.File.Path] = true
	}
	var names []string
	for f := range files {
		if isPage(f.Name) && !built[f] {
			names = append(names, b.project.Tree.Show(f))
		}
	}
	if len(names) == 0 {
		return nil
	}
	slices.Sort(names)
	others := ""
	if n := len(names) - 1; n > 0 {
		others = " and " + diag.Count(n, "other page")
	}
	are, they, lie := "is", "it", "lies"
	if others != "" {
		are, they, lie = "are", "they", "lie"
	}
	return []diag.Diagnostic{{Code: code.PageBeside, Severity: diag.Note,
		Message: fmt.Sprintf("%q%s %s evidence of what is in use, and not built: %s %s outside of the source folder", names[0], others, are, they, lie),
		Mend:    "rules that nothing else uses stay for them, and they link none of the bundles"}}
}

// unreadScripts returns the scripts that a page loads and that cannot be read, since they lie
// elsewhere, and what is to be said of them.
func (b *builder) unreadScripts(page *graph.Page) (scripts []source.Pos, found []diag.Diagnostic) {
	for _, s := range page.Scripts {
		if s.Address != "" && b.resolveAt(page, s.Ref).Kind == graph.External {
			scripts = append(scripts, page.File.Pos(s.At.Start))
			found = append(found, b.unread(refSpan(page, s.Ref), s.Address, "lies elsewhere and cannot be read for names in use"))
		}
	}
	return scripts, found
}

// unread words that a script cannot be read, and what that means.
func (b *builder) unread(at source.Span, cause, problem string) diag.Diagnostic {
	d := diag.Diagnostic{Code: code.UnreadScript, Severity: diag.Note, Span: at, Cause: cause,
		Message: "this script " + problem + "; selectors stay that are related to what the pages use",
		Mend:    "name a copy of it in [purge] evidence and set unread = \"ignore\", or list in keep what else it uses"}
	if b.project.Settings.Purge.Unread == project.IgnoreUnread {
		d.Message = "this script " + problem
		d.Mend = "name a copy of it in [purge] evidence, or list in keep what only it uses"
	}
	return d
}

// readEvidence reads files, each kind in its own way. One that was read before is not
// read again.
func (b *builder) readEvidence(ctx context.Context, files map[source.Path]bool, kept *keptEvidence) error {
	list := make([]source.Path, 0, len(files))
	for p := range files {
		list = append(list, p)
	}
	slices.SortFunc(list, func(a, b source.Path) int { return strings.Compare(a.String(), b.String()) })
	read := make([]*source.File, 0, len(list))
	for _, p := range list {
		f, err := b.project.Tree.Text(p)
		if err != nil {
			d := b.unreadable(p, err, source.Span{})
			d.Message += "; it is evidence of what is in use, which cannot be judged without it"
			kept.diags = append(kept.diags, d)
			continue
		}
		read = append(read, f)
	}
	kept.kinds = make(map[string]int)
	for _, f := range read {
		kept.kinds[strings.ToLower(path.Ext(f.Path.Name))]++
	}
	found := make([]*purge.Evidence, len(read))
	for i, f := range read {
		found[i] = b.memory.findings[f]
	}
	if err := inParallel(ctx, len(read), func(i int) {
		if found[i] == nil {
			found[i] = b.evidenceOf(read[i])
		}
	}); err != nil {
		return err
	}
	kept.all = purge.NewEvidence(b.project.Settings.Purge.Keep)
	clear(b.memory.findings)
	for i, e := range found {
		b.memory.findings[read[i]] = e
		kept.all.Add(e)
		for _, at := range e.Unread() {
			kept.diags = append(kept.diags, b.unread(source.SpanOf(at, len("eval")), read[i].Name, "makes the code that it runs, which cannot be read for names in use"))
			kept.unread(b, at)
		}
	}
	return nil
}

func (b *builder) evidenceOf(f *source.File) *purge.Evidence {
	e := purge.NewEvidence(nil)
	switch {
	case isPage(f.Path.Name):
		e.AddHTML(f)
		if b.project.Settings.Purge.Structure {
			e.AddStructure(f)
		}
	case isScript(f.Path.Name):
		e.AddScript(f)
	default:
		e.AddText(f)
	}
	return e
}

// usesOf returns the names by which what stays of bundles and of style elements uses
// animations, fonts and the like.
func (b *builder) usesOf(ctx context.Context, bundles []*styles, pages []*graph.Page) (*purge.Uses, error) {
	var lists [][]piece
	for _, s := range bundles {
		lists = append(lists, s.pieces)
	}
	pieces, err := b.judge(ctx, lists)
	if err != nil {
		return nil, err
	}
	all := new(purge.Uses)
	for _, p := range pieces {
		all.Add(p.traits.uses)
	}
	for _, page := range pages {
		for _, at := range page.Styles {
			all.AddText(page.File.Text[at.Start:at.End])
		}
	}
	all.Close()
	if last := b.memory.uses; last != nil && last.Equal(all) {
		return last, nil // bundles that were made with it are as they would be
	}
	b.memory.uses = all
	return all, nil
}

// measure has the units say how large their sheets are once they are purged, so that what little
// stays of a large sheet is no bundle of its own.
func (b *builder) measure(ctx context.Context, units []*unit) error {
	var lists [][]piece
	for _, u := range units {
		lists = append(lists, u.pieces)
	}
	if _, err := b.judge(ctx, lists); err != nil {
		return err
	}
	for _, u := range units {
		size := func(i int) int {
			if u.pieces[i].external != nil {
				return u.items[i].Size
			}
			return u.pieces[i].traits.left
		}
		for i := range u.items {
			if u.items[i].Size != size(i) {
				u.items = slices.Clone(u.items) // others have this list
				for k := range u.items {
					u.items[k].Size = size(k)
				}
				break
			}
		}
	}
	return nil
}

// judge works out what stays of pieces, each once, and returns those that are no imports.
func (b *builder) judge(ctx context.Context, lists [][]piece) (pieces []piece, err error) {
	seen := make(map[*traits]bool)
	for _, list := range lists {
		for _, p := range list {
			if p.external == nil && !seen[p.traits] {
				seen[p.traits] = true
				pieces = append(pieces, p)
			}
		}
	}
	chain := b.newChain(pipeline.OnlySite(b.profile.Finish))
	err = b.inParallel(len(pieces), func(i int) {
		p := pieces[i]
		if p.traits.uses == nil || p.traits.evidence != b.evidence {
			u := &step.Unit{Kind: step.Bundle, Nodes: p.nodes, Parts: []step.Part{{File: p.file, Nodes: p.nodes}}, Composed: true}
			b.through(chain, u)
			kept := u.Nodes
			p.traits.uses, p.traits.evidence = purge.UsesOf(kept), b.evidence
			p.traits.left = len(print.Append(nil, kept, print.Options{Compact: true}))
			if p.traits.names == nil {
				p.traits.names = purge.Names(p.nodes)
			}
		}
	})
	return pieces, err
}
