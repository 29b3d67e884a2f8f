package site

import (
	"encoding/base64"
	"fmt"
	"path"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"rinzel/internal/bundle"
	"rinzel/internal/cache"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/modules"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file names the assets that are copied next to the pages. An asset gets a
// content hash in its name if bundles do, unless something refers to it by its
// plain name in a text that cannot be rewritten.

// assetNames maps assets to their names in the output folder.
type assetNames struct {
	folders map[string]bool      // folders in which scripts build file names
	plain   map[source.Path]bool // assets referred to in texts that are not rewritten
	names   sync.Map             // names already computed: source.Path to string
}

// collect records which assets must keep their plain names, because scripts
// name them or build their names.
func (a *assetNames) collect(programs []*modules.Program) {
	a.folders, a.plain = make(map[string]bool), make(map[source.Path]bool)
	for _, p := range programs {
		for _, f := range p.Files {
			a.plain[f.Path] = true
		}
		for _, f := range p.Plain {
			a.plain[f] = true
		}
		for _, f := range p.Folders {
			a.folders[f.Name] = true
		}
	}
}

// keepsName reports whether an asset must keep its plain name: it is named in a
// text that is not rewritten, or a script may build its name at run time.
func (a *assetNames) keepsName(p source.Path) bool {
	if a.plain[p] {
		return true
	}
	for dir := path.Dir(p.Name); p.Root == "" && dir != "."; dir = path.Dir(dir) {
		if a.folders[dir] {
			return true
		}
	}
	return false
}

// assetName returns the output path of an asset, for references that are
// rewritten.
func (b *builder) assetName(p source.Path) string {
	if name, ok := b.assets.names.Load(p); ok {
		return name.(string)
	}
	name := emit.PlainName(p)
	if b.profile.Names == project.HashedNames && !b.files.Mentioned().Has(path.Base(p.Name)) && !b.assets.keepsName(p) {
		if f := b.finished(b.files.Reader, p); f != nil {
			name = emit.HashedName(name, f.sum)
		} else if file, err := b.files.Copy(p); err == nil {
			name = emit.HashedName(name, file.Sum)
		}
	}
	b.assets.names.Store(p, name)
	return name
}

// filesOf returns the script files of a program and the files that they name,
// as assets to copy.
func (b *builder) filesOf(p *modules.Program) []emit.Asset {
	out := make([]emit.Asset, len(p.Files))
	for i, f := range p.Files {
		out[i] = emit.Asset{Path: f.Path, Name: b.fileName(f.Path), At: f.At}
	}
	return out
}

// references are the files that the URLs in a bundle refer to.
type references struct {
	assets []emit.Asset
	diags  []diag.Diagnostic
	// The values of the build that they were computed with, besides the files:
	bases  map[string][]source.Path // of custom properties
	noData [2]bool                  // whether some page forbids data URLs: for images, and for fonts
}

// areCurrent reports whether the URLs of a cached bundle would be written the
// same way now.
func (b *builder) areCurrent(r *references) bool {
	for custom, bases := range r.bases {
		if !slices.Equal(b.customBases[custom], bases) {
			return false
		}
	}
	return r.noData == b.dataURLsForbidden() &&
		!slices.ContainsFunc(r.assets, func(a emit.Asset) bool { return b.assetName(a.Path) != a.Name })
}

// urlRewriter returns a function that rewrites the URLs in a bundle, and
// records the files they refer to in refs. seen returns the URL of an output
// file relative to the bundle.
func (b *builder) urlRewriter(r *cache.Reads, refs *references,
	seen func(name string) string) func(bundle.URL) (string, bool) {
	files := b.files.Through(r)
	refs.noData, refs.bases = b.dataURLsForbidden(), make(map[string][]source.Path)
	return func(u bundle.URL) (string, bool) {
		if u.Custom != "" {
			refs.bases[u.Custom] = b.customBases[u.Custom]
		}
		to, found, ok := b.assetOf(files, u)
		refs.diags = append(refs.diags, found...)
		if !ok {
			return "", false
		}
		if text, ok := b.inlined(files, to); ok {
			return text, true
		}
		name := b.assetName(to.Path)
		refs.assets = append(refs.assets, emit.Asset{Path: to.Path, Name: name, At: u.At})
		return seen(name) + to.Tail, true
	}
}

// assetOf returns the file that a URL in a sheet refers to, if it belongs to
// the project, or a finding if it does not exist. URLs are relative to the
// sheet in which they are written.
func (b *builder) assetOf(files *inventory.Inventory, u bundle.URL) (t graph.Target, found []diag.Diagnostic, ok bool) {
	f := b.project.Tree.Set.File(u.At.Start.File)
	if f == nil {
		return graph.Target{}, nil, false
	}
	from, found := b.baseOfAddress(u, f.Path)
	t = files.Resolve(from, u.Address)
	if t.Kind != graph.Local {
		return t, found, false
	}
	if !files.Exists(t.Path) {
		found = append(found, diag.Diagnostic{Code: code.MissingAsset, Severity: diag.Warning, Span: u.At,
			Message: fmt.Sprintf("no such file: %q; the URL is left unchanged", files.Show(t.Path)),
			Fix:     files.Near(t.Path), Cause: t.Path.String()})
		return t, found, false
	}
	return t, found, true
}

// inlined returns a file as a data URL (RFC 2397) if it is small enough and of
// a suitable type. A URL with a fragment refers to a part of a file and is not
// inlined.
func (b *builder) inlined(files *inventory.Inventory, to graph.Target) (string, bool) {
	kind := inventory.MediaType(to.Path.Name)
	if b.project.Settings.Inline == 0 || kind == "" || to.Tail != "" {
		return "", false
	}
	if no := b.dataURLsForbidden(); !strings.HasPrefix(kind, "font/") && no[0] || strings.HasPrefix(kind, "font/") &&
		no[1] {
		return "", false
	}
	data, ok := b.smallFile(files, to.Path, b.project.Settings.Inline)
	if !ok {
		return "", false
	}
	if strings.HasPrefix(kind, "image/svg") && utf8.Valid(data) {
		return "data:" + kind + "," + escapedText(string(data)), true
	}
	return "data:" + kind + ";base64," + base64.StdEncoding.EncodeToString(data), true
}

// dataURLsForbidden reports whether the content security policy of some page
// forbids data URLs: for images, and for fonts.
func (b *builder) dataURLsForbidden() (no [2]bool) {
	b.noDataOnce.Do(func() {
		for i := range b.forbidden {
			b.forbidden[i] = slices.ContainsFunc(b.pages, func(p *graph.Page) bool { return !p.AllowsData(i == 1) })
		}
	})
	return b.forbidden
}

// escapedText returns text percent-encoded for a data URL in a sheet. For text
// this is smaller than base64, and compresses better.
func escapedText(text string) string {
	const hex = "0123456789ABCDEF"
	var out strings.Builder
	for i := 0; i < len(text); i++ {
		c := text[i]
		if c < ' ' || c >= 0x7f || strings.IndexByte("\"#%<>\\^`{|}", c) >= 0 {
			out.Write([]byte{'%', hex[c>>4], hex[c&15]})
		} else {
			out.WriteByte(c)
		}
	}
	return out.String()
}

// checkRef warns about a file that a page shows and that does not exist. Link
// targets and optional files are not checked: they are often created elsewhere.
func (b *builder) checkRef(p *graph.Page, r graph.Ref, t graph.Target) {
	if t.Kind != graph.Local || r.Fixed || b.files.Exists(t.Path) || graph.IsTemplate(r.Address) ||
		strings.HasSuffix(r.Address, "/") {
		return
	}
	d := diag.Diagnostic{Code: code.MissingAsset, Severity: diag.Warning, Span: p.Position(r),
		Message: fmt.Sprintf("no such file: %q", b.files.Show(t.Path)), Fix: b.files.Near(t.Path), Cause: t.Path.String()}
	inventory.RewordUnclosed(&d, r.Address)
	b.report(d)
}

// published returns the URL, under the base of the settings, of a file that is
// given relative to the top of the source folder. ok is false if there is no
// such file.
func (b *builder) published(t graph.Target, address string) (to string, ok bool) {
	base := b.project.Settings.Base
	if base == "/" || !strings.HasPrefix(address, "/") || strings.HasPrefix(address, "//") ||
		strings.HasPrefix(address, base) {
		return "", false
	}
	index := source.Path{Root: t.Path.Root, Name: path.Join(t.Path.Name, "index.html")}
	if !b.files.IsFile(t.Path) && !b.files.IsFile(index) {
		return "", false
	}
	return base + address[1:], true
}

// rewriteAssetRefs records the files that a page refers to, and returns the
// edits for their new URLs.
func (b *builder) rewriteAssetRefs(res *pageResult) []graph.Edit {
	var edits []graph.Edit
	p := res.page
	for _, r := range p.Refs {
		t := b.files.ResolveIn(p, r)
		if to, ok := b.published(t, r.Address); ok && t.Kind == graph.Local {
			edits = append(edits, r.Move(to))
			r.Fixed = true
		}
		if t.Kind != graph.Local || !b.files.IsCopied(t.Path) {
			b.checkRef(p, r, t)
			continue
		}
		a := emit.Asset{Path: t.Path, Name: emit.PlainName(t.Path), At: p.Position(r)}
		if name := b.assetName(t.Path); !r.Fixed && name != a.Name {
			a.Name = name
			to := b.addressOf(p, name)
			if graph.IsRooted(r.Address) {
				to = b.addressFromRoot(name)
			}
			edits = append(edits, r.Move(to+t.Tail))
		}
		res.assets = append(res.assets, a)
	}
	return edits
}
