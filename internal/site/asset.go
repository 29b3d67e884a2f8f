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

// This file names the files that are copied beside the pages: with a hash of
// their content where bundles have one and nothing can count on the plain name.

// assetNames are the names of assets in the output folder.
type assetNames struct {
	folders map[string]bool      // of which scripts name files that they work out
	plain   map[source.Path]bool // files that are named where nothing is rewritten
	names   sync.Map             // those that were worked out: source.Path to string
}

// collect notes which files keep their names, since programs name them or work out their names.
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

// workedOut reports whether a file is named where nothing is rewritten, or a script may work out its
// name as it runs.
func (a *assetNames) workedOut(p source.Path) bool {
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

// assetName returns where an asset is copied to for those who are told its address.
func (b *builder) assetName(p source.Path) string {
	if name, ok := b.assets.names.Load(p); ok {
		return name.(string)
	}
	name := emit.PlainName(p)
	if b.profile.Names == project.HashedNames && !b.files.Mentioned().Has(path.Base(p.Name)) && !b.assets.workedOut(p) {
		if file, err := b.files.Copy(p); err == nil {
			name = emit.HashedName(name, file.Sum)
		}
	}
	b.assets.names.Store(p, name)
	return name
}

// filesOf returns the files that programs are made of or name, as assets.
func filesOf(p *modules.Program) []emit.Asset {
	out := make([]emit.Asset, len(p.Files))
	for i, f := range p.Files {
		out[i] = emit.Asset{Path: f.Path, Name: emit.PlainName(f.Path), At: f.At}
	}
	return out
}

// references are what the addresses in a bundle lead to.
type references struct {
	assets []emit.Asset
	diags  []diag.Diagnostic
	// The answers of the build, beside those of the files, that they were worked out with.
	bases  map[string][]source.Path // of custom properties
	noData [2]bool                  // whether some page forbids data URLs: for images, and for fonts
}

// areCurrent reports whether addresses would be written now as they were then.
func (b *builder) areCurrent(r *references) bool {
	for custom, bases := range r.bases {
		if !slices.Equal(b.customBases[custom], bases) {
			return false
		}
	}
	return r.noData == b.noData() && !slices.ContainsFunc(r.assets, func(a emit.Asset) bool { return b.assetName(a.Path) != a.Name })
}

// urlRewriter returns what gives the addresses in a bundle as they are written, and notes
// the files that they lead to. seen gives the address of an output file as it is seen
// from the bundle.
func (b *builder) urlRewriter(r *cache.Reads, refs *references, seen func(name string) string) func(bundle.URL) (string, bool) {
	files := b.files.Through(r)
	refs.noData, refs.bases = b.noData(), make(map[string][]source.Path)
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

// assetOf returns the file that an address in a sheet leads to, if it is one
// of the project, or else a finding if it is missing. The address counts from the
// sheet in which it is written.
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

// inlined returns a file as a data URL (RFC 2397), if it is small enough and of a
// kind that can be one. An address with a fragment names a part of a file, which is left as it is.
func (b *builder) inlined(files *inventory.Inventory, to graph.Target) (string, bool) {
	kind := inventory.MediaType(to.Path.Name)
	if b.project.Settings.Inline == 0 || kind == "" || to.Tail != "" {
		return "", false
	}
	if no := b.noData(); !strings.HasPrefix(kind, "font/") && no[0] || strings.HasPrefix(kind, "font/") && no[1] {
		return "", false
	}
	file, err := files.Copy(to.Path)
	if err != nil || file.Size > int64(b.project.Settings.Inline) {
		return "", false
	}
	data, err := file.Read()
	if err != nil {
		return "", false
	}
	if strings.HasPrefix(kind, "image/svg") && utf8.Valid(data) {
		return "data:" + kind + "," + escapedText(string(data)), true
	}
	return "data:" + kind + ";base64," + base64.StdEncoding.EncodeToString(data), true
}

// noData tells whether the policy of some page allows no data URLs: for images, and for fonts.
func (b *builder) noData() (no [2]bool) {
	b.noDataOnce.Do(func() {
		for i := range b.forbidden {
			b.forbidden[i] = slices.ContainsFunc(b.pages, func(p *graph.Page) bool { return !p.AllowsData(i == 1) })
		}
	})
	return b.forbidden
}

// escapedText returns text as it may stand in a data URL in a sheet: smaller than
// in base64, and smaller still when it is compressed.
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

// checkRef warns of a file that a page shows and that does not exist. What a page
// leads to, or only may load, is made elsewhere at times.
func (b *builder) checkRef(p *graph.Page, r graph.Ref, t graph.Target) {
	if t.Kind != graph.Local || r.Fixed || b.files.Exists(t.Path) || graph.IsTemplate(r.Address) || strings.HasSuffix(r.Address, "/") {
		return
	}
	d := diag.Diagnostic{Code: code.MissingAsset, Severity: diag.Warning, Span: p.Place(r),
		Message: fmt.Sprintf("no such file: %q", b.files.Show(t.Path)), Fix: b.files.Near(t.Path), Cause: t.Path.String()}
	inventory.RewordUnclosed(&d, r.Address)
	b.report(d)
}

// published returns the address under the base of the settings of what an address from the top of the
// source folder leads to, if there is such a file.
func (b *builder) published(t graph.Target, address string) (to string, ok bool) {
	base := b.project.Settings.Base
	if base == "/" || !strings.HasPrefix(address, "/") || strings.HasPrefix(address, "//") || strings.HasPrefix(address, base) {
		return "", false
	}
	index := source.Path{Root: t.Path.Root, Name: path.Join(t.Path.Name, "index.html")}
	if !b.files.IsFile(t.Path) && !b.files.IsFile(index) {
		return "", false
	}
	return base + address[1:], true
}

// moveAssets notes the files that a page names, and returns the edits that make
// it name them as they are written.
func (b *builder) moveAssets(res *pageResult) []graph.Edit {
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
		a := emit.Asset{Path: t.Path, Name: emit.PlainName(t.Path), At: p.Place(r)}
		if name := b.assetName(t.Path); !r.Fixed && name != a.Name {
			a.Name = name
			edits = append(edits, r.Move(b.addressOf(p, name)+t.Tail))
		}
		res.assets = append(res.assets, a)
	}
	return edits
}
