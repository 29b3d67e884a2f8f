package build

import (
	"encoding/base64"
	"fmt"
	"path"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file names the files that are copied beside the pages: with a hash of
// their content where bundles have one and nothing can count on the plain name.

// asset is a file that a page or sheet needs beside it.
type asset struct {
	path source.Path
	name string      // in the output folder
	at   source.Span // what names it
}

// assetNames are the names of assets, worked out when they are first asked for.
type assetNames struct {
	once      sync.Once
	mentioned map[string]bool      // names of files that text of the project mentions, in lower case
	folders   map[string]bool      // of which scripts name files that they work out
	plain     map[source.Path]bool // files that are named where nothing is rewritten
	names     sync.Map             // source.Path to string
}

func newAssetNames() *assetNames { return &assetNames{mentioned: make(map[string]bool)} }

// within notes the folders of which scripts name files that they work out.
func (a *assetNames) within(programs []*program) {
	folders, plain := make(map[string]bool), make(map[source.Path]bool)
	for _, p := range programs {
		for _, f := range p.files {
			plain[f.path] = true
		}
		for _, f := range p.plain {
			plain[f] = true
		}
		for _, f := range p.folders {
			folders[f.name] = true
		}
	}
	a.folders, a.plain = folders, plain
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

// plainAssetName returns where an asset is copied to if its name has no hash.
func plainAssetName(p source.Path) string {
	if p.Root != "" {
		return "_" + p.Root + "/" + p.Name
	}
	return p.Name
}

// assetName returns where an asset is copied to for those who are told its address.
func (b *builder) assetName(p source.Path) string {
	if name, ok := b.memory.assets.names.Load(p); ok {
		return name.(string)
	}
	name := plainAssetName(p)
	if b.profile.Names == project.HashedNames && !b.mentions(path.Base(p.Name)) && !b.memory.assets.workedOut(p) {
		if file, err := b.project.Tree.Copy(p); err == nil {
			name = hashedName(name, file.Sum)
		}
	}
	b.memory.assets.names.Store(p, name)
	return name
}

// mentioning are the extensions of files that may name others, by addresses
// that are not rewritten.
var mentioning = []string{".js", ".mjs", ".cjs", ".json", ".webmanifest", ".svg", ".xml", ".txt", ".md"}

func mayMention(p source.Path) bool {
	return isPage(p.Name) || slices.Contains(mentioning, strings.ToLower(path.Ext(p.Name)))
}

// mentions reports whether the text of a file of the source folder holds the
// name of a file: a script that makes an address of it, or an image with another
// in it, counts on that name.
func (b *builder) mentions(name string) bool {
	b.memory.assets.once.Do(func() {
		b.walk(func(p source.Path) {
			if !mayMention(p) {
				return
			}
			f, err := b.project.Tree.Text(p)
			if err != nil {
				return // it is copied as it is
			}
			text := f.Text
			if isPage(p.Name) {
				text = notRewritten(graph.ReadPage(f))
			}
			for _, word := range strings.FieldsFunc(text, endsFileName) {
				if strings.Contains(word, ".") {
					b.memory.assets.mentioned[strings.ToLower(word)] = true
				}
			}
		})
	})
	return b.memory.assets.mentioned[strings.ToLower(name)]
}

// notRewritten returns the text of a page without the addresses that are rewritten.
func notRewritten(p *graph.Page) string {
	var edits []graph.Edit
	cut := func(at graph.Span) { edits = append(edits, graph.Edit{At: at, With: " "}) }
	for _, r := range p.Refs {
		if !r.Fixed {
			cut(r.At)
		}
	}
	for _, g := range p.Groups {
		for _, l := range g.Links {
			cut(l.Href.At)
		}
	}
	for _, at := range p.Styles {
		cut(at)
	}
	return graph.Apply(p.File.Text, edits)
}

// endsFileName reports whether a character ends the name of a file in an address.
func endsFileName(c rune) bool {
	return c <= ' ' || strings.ContainsRune("/\\\"'`()<>[]{},;:=?#&|!*+$", c)
}

// namedFiles are the files that a bundle names.
type namedFiles struct {
	assets []asset
	deps   []source.Path // whether there or not
	diags  []diag.Diagnostic
}

// moved returns what gives the addresses in a bundle as they are written, and notes
// the files that they lead to. seen gives the address of an output file as it is seen
// from the bundle.
func (b *builder) moved(files *namedFiles, seen func(name string) string) func(urlUse) (string, bool) {
	return func(u urlUse) (string, bool) {
		to, missing, ok := b.assetOf(u)
		if to.Kind == graph.Local {
			files.deps = append(files.deps, to.Path)
		}
		files.diags = append(files.diags, missing...)
		if !ok {
			return "", false
		}
		if text, ok := b.inlined(to); ok {
			return text, true
		}
		name := b.assetName(to.Path)
		files.assets = append(files.assets, asset{to.Path, name, u.at})
		return seen(name) + to.Tail, true
	}
}

// mediaTypes are the types of files that may become part of a sheet, by extension.
var mediaTypes = map[string]string{
	".svg": "image/svg+xml", ".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif", ".webp": "image/webp", ".avif": "image/avif",
	".woff": "font/woff", ".woff2": "font/woff2",
}

// inlined returns a file as a data URL (RFC 2397), if it is small enough and of a
// kind that can be one. An address with a fragment names a part of a file, which is left as it is.
func (b *builder) inlined(to graph.Target) (string, bool) {
	kind := mediaTypes[strings.ToLower(path.Ext(to.Path.Name))]
	if b.project.Settings.Inline == 0 || kind == "" || to.Tail != "" {
		return "", false
	}
	if b.forbidsData(strings.HasPrefix(kind, "font/")) {
		return "", false
	}
	file, err := b.project.Tree.Copy(to.Path)
	if err != nil || file.Size > int64(b.project.Settings.Inline) {
		return "", false
	}
	data, err := file.Read()
	if err != nil {
		return "", false
	}
	if kind == mediaTypes[".svg"] && utf8.Valid(data) {
		return "data:" + kind + "," + escapedText(string(data)), true
	}
	return "data:" + kind + ";base64," + base64.StdEncoding.EncodeToString(data), true
}

// forbidsData reports whether the policy of some page allows no data URLs for pictures, or fonts.
func (b *builder) forbidsData(font bool) bool {
	return slices.ContainsFunc(b.pages, func(p *graph.Page) bool { return !p.AllowsData(font) })
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
	if t.Kind != graph.Local || r.Fixed || b.project.Tree.Exists(t.Path) || isTemplate(r.Address) || strings.HasSuffix(r.Address, "/") {
		return
	}
	d := diag.Diagnostic{Code: code.MissingAsset, Severity: diag.Warning, Span: refSpan(p, r),
		Message: fmt.Sprintf("there is no file %q", b.project.Tree.Show(t.Path)), Mend: b.nearFile(t.Path), Cause: t.Path.String()}
	unclosed(&d, r.Address)
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
	if !b.isThere(t.Path) && !b.isThere(index) {
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
		t := b.resolveAt(p, r)
		if to, ok := b.published(t, r.Address); ok && t.Kind == graph.Local {
			edits = append(edits, r.Move(to))
			r.Fixed = true
		}
		if t.Kind != graph.Local || !b.copyable(t.Path) {
			b.checkRef(p, r, t)
			continue
		}
		a := asset{t.Path, plainAssetName(t.Path), refSpan(p, r)}
		if name := b.assetName(t.Path); !r.Fixed && name != a.name {
			a.name = name
			edits = append(edits, r.Move(b.addressOf(p, name)+t.Tail))
		}
		res.assets = append(res.assets, a)
	}
	return edits
}
