package graph

import (
	"net/url"
	"slices"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/markup"
	"rinzel/internal/source"
)

// Page is an HTML file with its references. Offsets are bytes of File.Text.
type Page struct {
	File   *source.File
	Base   string // href of its base element; empty if it has none
	BaseAt int    // end of that element: earlier URLs ignore it
	// Rooted is set if the URLs of its style links and scripts start with a slash, except for
	// those of other hosts. Such a page may be served at any path, as one for missing pages is.
	Rooted bool
	// Policies are its content security policies from meta elements.
	Policies []Policy
	Groups   []Group
	// ModulePreloads are links that preload a module.
	ModulePreloads []Ref
	// Preloads are links that preload a sheet, or that a script turns into
	// style links.
	Preloads []Link
	Styles   []Span // texts of its style elements
	Refs     []Ref
	Unsized  []Ref    // sources of images without a size in their attributes
	Scripts  []Script // classic scripts and modules, in order
	Maps     []Span   // texts of its import maps
	// Mentions are texts that may contain file names and are not rewritten:
	// attributes, data, and texts of templates.
	Mentions []Mention
	// Inert are links that look like style links, but load nothing.
	Inert []InertLink
	// Unclosed is a tag that is not closed before the file ends: browsers
	// ignore it.
	Unclosed Span
	// LastGroupEndsCascade is set if nothing that styles the page comes after
	// the last group.
	LastGroupEndsCascade bool

	head   int  // end of its head
	body   int  // start of the contents of its body; 0 without a body tag
	styles Span // the last thing that styles it
}

// Script is a script of a page.
type Script struct {
	Ref         // URL of its file; empty for an inline script
	Text   Span // inline text; empty for a script with a file
	Module bool
	// Integrity is the position of its integrity hash; empty if it has none.
	Integrity Span
	Charset   string // charset attribute; empty if there is none
	CORS      bool   // it has a crossorigin attribute
}

// Group is a run of style links that can become one link: nothing else that
// styles the page comes between them.
type Group struct {
	Links []Link
}

// Link is a <link rel="stylesheet">.
type Link struct {
	Tag   Span   // from < to >
	Href  Ref    // the URL
	Media string // as written; empty for all media
	attrs []markup.Attribute
	plain bool // it only has a URL and media
	// alone is set if the link is in the body: removing it could change which
	// elements structural selectors match.
	alone bool
}

// InertLink is a link that looks like a style link, but loads no sheet.
type InertLink struct {
	At  Span   // the value of rel, or the tag
	Rel string // as written; "" if missing
	Src string // URL in src instead of href; "" if the link has href
}

// Span is a range of bytes of a page.
type Span = markup.Span

// Ref is a URL in a page with its position.
type Ref struct {
	Address string
	At      Span // the value, or a part of it, without quotes
	// Fixed is set if the URL must not be changed: people link to it, scripts
	// rely on it, or it contains character references.
	Fixed bool
}

// Position returns the span of a URL in the file of its page.
func (p *Page) Position(r Ref) source.Span { return p.SpanOf(r.At) }

// SpanOf returns a part of the page as a span of its file.
func (p *Page) SpanOf(part Span) source.Span {
	return p.File.Pos(part.Start).To(uint32(part.End))
}

// templateMarks are the starts of template marks. In a sheet they only occur in
// strings and comments.
var templateMarks = []string{"{{", "{%", "<%", "<?", "${", "[["}

// IsTemplate reports whether a text contains template marks.
func IsTemplate(text string) bool {
	return slices.ContainsFunc(templateMarks, func(mark string) bool { return strings.Contains(text, mark) })
}

// IsWhole reports whether the text of an HTML file is a complete page, and no template or
// part of one: it has an html element or a document type, and no template marks before its
// first script. Scripts have braces of their own.
func IsWhole(text string) bool {
	lower := strings.ToLower(text)
	before, _, _ := strings.Cut(lower, "<script")
	before = strings.ReplaceAll(before, "<?xml", "") // instructions of XHTML
	return (strings.Contains(lower, "<html") || strings.Contains(lower, "<!doctype")) && !IsTemplate(before)
}

// ReadPage finds the style links, scripts and other URLs of a page.
func ReadPage(f *source.File) *Page {
	r := pageReader{page: &Page{File: f, LastGroupEndsCascade: true, head: -1}}
	r.read(Span{Start: 0, End: len(f.Text)}, true)
	if r.page.head < 0 {
		r.page.head = len(f.Text)
	}
	r.page.Rooted = r.page.isRooted()
	return r.page
}

// isRooted returns whether the page is [Page.Rooted].
func (p *Page) isRooted() bool {
	rooted := false
	for _, address := range p.loads() {
		if u, err := url.Parse(address); err == nil && u.Host == "" && u.Scheme == "" && address != "" {
			if !IsRooted(address) {
				return false
			}
			rooted = true
		}
	}
	return rooted
}

// loads returns the URLs of the style links and scripts.
func (p *Page) loads() (out []string) {
	for _, g := range p.Groups {
		for _, l := range g.Links {
			out = append(out, l.Href.Address)
		}
	}
	for _, s := range p.Scripts {
		out = append(out, s.Address)
	}
	return out
}

// IsRooted reports whether a URL starts at the root of its host: with one slash.
func IsRooted(address string) bool {
	return strings.HasPrefix(address, "/") && !strings.HasPrefix(address, "//")
}

// read reads a part of the page. whole is false in a noscript element, whose
// markup the tokenizer does not read on its own.
func (r *pageReader) read(part Span, whole bool) {
	for t := range markup.Tokens(r.page.File.Text, part) {
		text := r.page.File.Text[t.At.Start:t.At.End]
		switch t.Kind {
		case markup.Rest:
			if whole && len(text) > 1 && text[0] == '<' && token.IsName(text[1]) {
				r.page.Unclosed = t.At
			}
		case markup.Text:
			r.text(text, t.At, whole)
		case markup.Comment:
			// Processing instructions, and conditional comments of legacy
			// browsers.
			if strings.HasPrefix(text, "<?") || strings.HasPrefix(text, "<!--[if") {
				r.mention(text, t.At, false)
			}
		case markup.StartTag:
			r.start(markup.Name(r.page.File.Text, t.At), t.At)
		case markup.EndTag:
			r.end(markup.Name(r.page.File.Text, t.At), t.At)
		}
	}
}

// text records the text of an element.
func (r *pageReader) text(text string, at Span, whole bool) {
	switch {
	case r.style:
		r.page.Styles = append(r.page.Styles, at)
	case r.script != nil:
		r.script(at)
	case r.data:
		r.mention(text, at, false)
	case r.noscript && whole:
		r.read(at, false)
	}
	r.style, r.script, r.data = false, nil, false
}

// pageReader reads one page.
type pageReader struct {
	page *Page
	// inert is the number of open elements whose contents are not part of the
	// page.
	inert int
	// noscript is set inside a noscript element.
	noscript bool
	// style is set if the next text is a sheet.
	style bool
	// script receives the next text, that of a script or import map.
	script func(text Span)
	// data is set if the next text is data or markup that may contain file
	// names.
	data bool
}

// inHead are the elements that a head may contain, and those around it.
var inHead = []string{"html", "head", "meta", "link", "base", "title", "style", "script", "noscript", "template"}

// start records the references of a start tag.
func (r *pageReader) start(name string, tag Span) {
	attrs := markup.Attributes(r.page.File.Text, tag)
	if r.page.head < 0 && r.inert == 0 && !r.noscript && !slices.Contains(inHead, name) {
		r.page.head = tag.Start
	}
	switch name {
	case "template":
		r.inert++
	case "noscript":
		r.noscript = true
	case "body":
		if r.page.body == 0 && r.inert == 0 {
			r.page.body = tag.End
		}
	case "base":
		if href := markup.Find(attrs, "href"); href != nil && r.page.Base == "" {
			r.page.Base, r.page.BaseAt = strings.TrimSpace(href.Value), tag.End
		}
		return
	case "meta":
		if r.policy(attrs) {
			return
		}
	case "img":
		r.image(attrs)
	case "style":
		r.styleTag(attrs)
	case "link":
		r.link(tag, attrs)
		return
	case "script":
		r.scriptTag(attrs)
	case "textarea", "xmp", "iframe", "noembed":
		r.data = true
	}
	r.addresses(name, attrs)
}

// policy records the policy of a meta element, and reports whether it has one.
func (r *pageReader) policy(attrs []markup.Attribute) bool {
	equiv, content := markup.Find(attrs, "http-equiv"), markup.Find(attrs, "content")
	if r.inert > 0 || equiv == nil || content == nil ||
		!strings.EqualFold(strings.TrimSpace(equiv.Value), "content-security-policy") {
		return false
	}
	r.page.Policies = append(r.page.Policies, Policy{content.Value, content.At})
	return true
}

// image records an image without a size: browsers only know its proportions, and how
// much room it needs, once it is loaded (HTML, section 15.4.3).
func (r *pageReader) image(attrs []markup.Attribute) {
	src, style := markup.Find(attrs, "src"), markup.Find(attrs, "style")
	sized := markup.Find(attrs, "width") != nil && markup.Find(attrs, "height") != nil
	if src == nil || sized || r.inert > 0 || r.noscript ||
		style != nil && (strings.Contains(style.Value, "aspect-ratio") || strings.Contains(style.Value, "width:") &&
			strings.Contains(style.Value, "height:")) {
		return
	}
	r.page.Unsized = append(r.page.Unsized, ref(src))
}

// styleTag determines what the text of a style element is.
func (r *pageReader) styleTag(attrs []markup.Attribute) {
	r.page.LastGroupEndsCascade = false
	r.data = r.data || r.inert > 0
	t := markup.Find(attrs, "type")
	r.style = r.inert == 0 && !r.noscript &&
		(t == nil || t.Value == "" || strings.EqualFold(strings.TrimSpace(t.Value), "text/css"))
}

// addresses records the references in the attributes of an element.
func (r *pageReader) addresses(name string, attrs []markup.Attribute) {
	for i := range attrs {
		a := &attrs[i]
		switch {
		case a.Name == "srcset" || a.Name == "imagesrcset":
			r.sources(a)
		case a.Name == "style":
			r.styleAttribute(a)
		case strings.HasPrefix(a.Name, "on") || a.Name == "srcdoc" || a.Name == "content":
			r.mention(a.Value, a.At, a.Name == "content")
		case a.Name == "class" || a.Name == "id" || a.Name == "alt" || a.Name == "title":
		case addressAttr(name, a.Name):
			to := r.ref(a)
			to.Fixed = to.Fixed || slices.Contains(fixedElements, name) || r.inert > 0
			r.page.Refs = append(r.page.Refs, to)
		default:
			r.mention(a.Value, a.At, true)
		}
	}
}

// scriptTypes are the types of classic scripts (HTML, section 4.12.1; MIME
// Sniffing, section 4.4).
var scriptTypes = []string{"", "text/javascript", "application/javascript", "application/ecmascript",
	"application/x-javascript", "text/ecmascript", "text/x-javascript"}

// scriptTag records a script element. A script of another type is data, and one
// in a template or noscript element does not run.
func (r *pageReader) scriptTag(attrs []markup.Attribute) {
	kind := ""
	if t := markup.Find(attrs, "type"); t != nil {
		kind = strings.ToLower(strings.TrimSpace(t.Value))
	}
	switch {
	case r.inert > 0 || r.noscript:
		r.data = true
	case kind == "importmap":
		r.script = func(text Span) { r.page.Maps = append(r.page.Maps, text) }
	case kind == "module" || slices.Contains(scriptTypes, kind):
		s := Script{Module: kind == "module"}
		if src := markup.Find(attrs, "src"); src != nil {
			s.Ref = ref(src)
			if label := markup.Find(attrs, "charset"); label != nil {
				s.Charset = label.Value
			}
			if hash := markup.Find(attrs, "integrity"); hash != nil {
				s.Integrity = hash.At
			}
			s.CORS = markup.Find(attrs, "crossorigin") != nil
			r.page.Scripts = append(r.page.Scripts, s)
			return // browsers ignore its text
		}
		r.script = func(text Span) {
			s.Text = text
			r.page.Scripts = append(r.page.Scripts, s)
		}
	default:
		r.data = true
	}
}

// styled records something that styles the page.
func (r *pageReader) styled(tag Span) {
	if r.inert == 0 && tag.End > r.page.styles.End {
		r.page.styles = tag
	}
}

// end records an end tag.
func (r *pageReader) end(name string, tag Span) {
	r.style, r.script, r.data = false, nil, false
	switch name {
	case "head":
		if r.page.head < 0 {
			r.page.head = tag.Start
		}
	case "style":
		r.styled(tag)
	case "template":
		r.inert = max(0, r.inert-1)
	case "noscript":
		r.noscript = false
	}
}

// addressAttr reports whether an attribute of an element is the URL of
// something that the page displays or needs.
func addressAttr(element, attr string) bool {
	switch attr {
	case "src", "poster":
		return true
	case "href", "xlink:href":
		return element == "a" || element == "area" || element == "use" || element == "image"
	case "data":
		return element == "object"
	}
	return false
}

// fixedElements are those whose URLs are visible to people, or that load files
// with references of their own.
var fixedElements = []string{"a", "area", "object", "iframe", "embed", "script", "frame"}

// ref returns the URL of an attribute. It is fixed if it contains character
// references.
func (r *pageReader) ref(a *markup.Attribute) Ref {
	return Ref{a.Value, a.At, a.Value != r.page.File.Text[a.At.Start:a.At.End]}
}

// sources records the URLs of a list of image candidates.
func (r *pageReader) sources(a *markup.Attribute) {
	raw := r.page.File.Text[a.At.Start:a.At.End]
	if a.Value != raw { // offsets in the decoded value differ from those in the file
		r.mention(a.Value, a.At, false)
		srcsetURLs(a.Value, func(address string, _ int) {
			r.page.Refs = append(r.page.Refs, Ref{address, a.At, true})
		})
		return
	}
	srcsetURLs(raw, func(address string, offset int) {
		start := a.At.Start + offset
		r.page.Refs = append(r.page.Refs, Ref{address, Span{Start: start, End: start + len(address)}, r.inert > 0})
	})
}

// ref returns the URL of an attribute.
func ref(a *markup.Attribute) Ref { return Ref{Address: a.Value, At: a.At} }

// plainAttrs are the attributes of a style link that do not matter for merging.
// An integrity hash is for the original sheet, and is removed.
var plainAttrs = []string{"rel", "href", "media", "type", "crossorigin", "integrity", "referrerpolicy", "charset"}

// isSheetType reports whether the type of a link is that of a sheet, or
// missing.
func isSheetType(t *markup.Attribute) bool {
	if t == nil || t.Value == "" {
		return true
	}
	kind, _, _ := strings.Cut(t.Value, ";") // parameters are ignored (MIME Sniffing, section 4.4)
	return strings.EqualFold(strings.TrimSpace(kind), "text/css")
}

// otherLink records a link that loads no sheet, by the keywords of its rel.
func (r *pageReader) otherLink(tag Span, attrs []markup.Attribute, words []string, href *markup.Attribute) {
	has := func(is func(string) bool) bool { return slices.ContainsFunc(words, is) }
	if as := markup.Find(attrs, "as"); as != nil && strings.EqualFold(as.Value, "style") {
		if r.inert == 0 && has(func(w string) bool { return w == "preload" || w == "prefetch" }) {
			r.page.Preloads = append(r.page.Preloads, Link{Tag: tag, Href: ref(href), attrs: attrs})
		}
		return
	}
	if has(func(w string) bool { return w == "modulepreload" }) {
		r.page.ModulePreloads = append(r.page.ModulePreloads, ref(href))
	}
	if !has(func(w string) bool { return remoteRels[w] }) {
		to := r.ref(href)
		to.Fixed = to.Fixed || !has(func(w string) bool { return slices.Contains(imageRels, w) }) || isScript(attrs)
		r.page.Refs = append(r.page.Refs, to)
	}
}

// link records a link element.
func (r *pageReader) link(tag Span, attrs []markup.Attribute) {
	rel, href := markup.Find(attrs, "rel"), markup.Find(attrs, "href")
	r.noteInert(tag, attrs)
	if rel == nil || href == nil {
		return
	}
	words := strings.Fields(strings.ToLower(rel.Value))
	if !slices.Contains(words, "stylesheet") {
		r.otherLink(tag, attrs, words, href)
		return
	}
	// Scripts or browsers turn an inert element into a link with its original
	// URL.
	if r.inert > 0 || !isSheetType(markup.Find(attrs, "type")) {
		r.mention(href.Value, href.At, true)
		return
	}
	r.styled(tag)
	l := Link{Tag: tag, Href: ref(href), attrs: attrs}
	l.plain = len(words) == 1 && !r.noscript && !slices.ContainsFunc(attrs, func(a markup.Attribute) bool {
		return !slices.Contains(plainAttrs, a.Name)
	})
	if m := markup.Find(attrs, "media"); m != nil && !strings.EqualFold(strings.TrimSpace(m.Value), "all") {
		l.Media = strings.TrimSpace(m.Value)
	}
	l.alone = r.page.head >= 0
	if last := len(r.page.Groups) - 1; last >= 0 && r.page.LastGroupEndsCascade && l.plain && !l.alone {
		r.page.Groups[last].Links = append(r.page.Groups[last].Links, l)
		return
	}
	r.page.Groups = append(r.page.Groups, Group{Links: []Link{l}})
	r.page.LastGroupEndsCascade = l.plain
}

// noteInert records a link that loads no sheet, because rel is misspelt or
// missing, or the URL is in src.
func (r *pageReader) noteInert(tag Span, attrs []markup.Attribute) {
	rel, href, src := markup.Find(attrs, "rel"), markup.Find(attrs, "href"), markup.Find(attrs, "src")
	if r.inert > 0 {
		return
	}
	if rel == nil {
		if href != nil && isStyleAddress(href.Value) {
			r.page.Inert = append(r.page.Inert, InertLink{At: tag})
		}
		return
	}
	words := strings.Fields(strings.ToLower(rel.Value))
	switch {
	case href == nil:
		if slices.Contains(words, "stylesheet") && src != nil {
			r.page.Inert = append(r.page.Inert, InertLink{At: src.Whole, Rel: rel.Value, Src: src.Value})
		}
	case len(words) == 1 && words[0] != "stylesheet" && diag.Nearest(words[0], []string{"stylesheet"}) != "",
		slices.Equal(words, []string{"style", "sheet"}):
		r.page.Inert = append(r.page.Inert, InertLink{At: rel.At, Rel: rel.Value})
	}
}

// isStyleAddress reports whether a URL ends like that of a sheet.
func isStyleAddress(address string) bool {
	if i := strings.IndexAny(address, "?#"); i >= 0 {
		address = address[:i]
	}
	return strings.HasSuffix(strings.ToLower(address), ".css")
}

// IsPlain reports whether a link only has a URL and media, so that browsers
// apply it unconditionally.
func (l Link) IsPlain() bool { return l.plain }

// Charset returns the charset attribute; empty if there is none.
func (l Link) Charset() string {
	if a := markup.Find(l.attrs, "charset"); a != nil {
		return a.Value
	}
	return ""
}

// remoteRels are the relations whose targets do not belong to the page.
var remoteRels = map[string]bool{
	"canonical": true, "dns-prefetch": true, "preconnect": true, "next": true, "prev": true, "search": true,
}

// imageRels are the relations of images and fonts, whose URLs may be changed.
var imageRels = []string{"icon", "apple-touch-icon", "mask-icon", "preload", "prefetch"}

// isScript reports whether a link preloads a script, or something unspecified.
func isScript(attrs []markup.Attribute) bool {
	rel, as := markup.Find(attrs, "rel"), markup.Find(attrs, "as")
	preloads := strings.Contains(strings.ToLower(rel.Value), "load") ||
		strings.Contains(strings.ToLower(rel.Value), "fetch")
	return preloads && (as == nil || !strings.EqualFold(as.Value, "font") && !strings.EqualFold(as.Value, "image"))
}

// Joins reports whether a link can be merged with the links of a group.
func (p *Page) Joins(l Link, g Group) bool {
	if len(g.Links) == 0 {
		return true
	}
	last := g.Links[len(g.Links)-1]
	return l.plain && last.plain && !l.alone && !last.alone
}

// SharedMedia returns the media of the links of a group if they are all the
// same.
func (g Group) SharedMedia() (media string, same bool) {
	if len(g.Links) == 0 {
		return "", true
	}
	media = g.Links[0].Media
	for _, l := range g.Links[1:] {
		if l.Media != media {
			return "", false
		}
	}
	return media, true
}

// IsXML reports whether the page is parsed as XML.
func (p *Page) IsXML() bool { return strings.HasSuffix(strings.ToLower(p.File.Path.Name), ".xhtml") }
