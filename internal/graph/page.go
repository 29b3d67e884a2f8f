package graph

import (
	"slices"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/markup"
	"rinzel/internal/source"
)

// Page is an HTML file and what it names. Offsets are bytes of File.Text.
type Page struct {
	File   *source.File
	Base   string // the href of its base element; empty if it has none
	BaseAt int    // where that element ends: what is loaded before it does not heed it
	// Policies are the content security policies that it states, as its attributes have them.
	Policies []Policy
	Groups   []Group
	// Preloads are the links that have a sheet loaded early, or by a script that makes
	// style links of them.
	Preloads []Link
	Styles   []Span // the texts of its style elements
	Refs     []Ref
	Scripts  []Script // classic scripts and modules, in order
	Maps     []Span   // the texts of its import maps
	// Mentions are texts that may name files and are not rewritten: attributes of all kinds,
	// styles of elements, data, and the text of templates.
	Mentions []Mention
	// Inert are the links that look as if they styled the page, and that browsers take for nothing.
	Inert []InertLink
	// Unclosed is a tag that the file ends in, since a quote or a bracket is not closed: browsers read nothing of it.
	Unclosed Span
	// Open tells that nothing that styles the page stands behind the last group.
	Open bool

	head   int  // where its head ends
	body   int  // where the content of its body starts; 0 if it has no such tag
	styles Span // the last thing that styles it
}

// Script is a script of a page.
type Script struct {
	Ref         // the address of its file; empty if it stands in the page
	Text   Span // what stands in the page; empty if it has a file
	Module bool
	// Integrity is where the hash stands that its file must have; empty if none does.
	Integrity Span
	Charset   string // the attribute that names the encoding of its file; empty if there is none
}

// Group is a run of style links that can become one: nothing else that styles
// the page stands between them.
type Group struct {
	Links []Link
}

// Link is a <link rel="stylesheet">.
type Link struct {
	Tag   Span   // from < to >
	Href  Ref    // the address
	Media string // as written; empty for all media
	attrs []markup.Attribute
	plain bool // nothing but the address and the media distinguish it
	// alone says that it stands in the body, where it is an element among others: selectors that
	// count elements would match others without it.
	alone bool
}

// InertLink is a link that loads no sheet, though it seems to be meant to.
type InertLink struct {
	At  Span   // of the value of rel, or of the tag
	Rel string // as written; "" if there is none
	Src string // the address in src, where href belongs; "" if the link has href
}

// Span is a range of bytes of a page.
type Span = markup.Span

// Ref is an address in a page and where it stands.
type Ref struct {
	Address string
	At      Span // of the value, or the part of it, without quotes
	// Fixed tells that the address is not to be changed: people link to it, or
	// scripts count on it, or it is not written as it reads.
	Fixed bool
}

// Place returns where an address stands in the file of its page.
func (p *Page) Place(r Ref) source.Span { return p.SpanOf(r.At) }

// SpanOf returns a part of the page as a span of its file.
func (p *Page) SpanOf(part Span) source.Span {
	return p.File.Pos(part.Start).To(uint32(part.End))
}

// templateMarks start what programs put text in the place of. No sheet has them
// but in strings and comments.
var templateMarks = []string{"{{", "{%", "<%", "<?", "${", "[["}

// IsTemplate reports whether a program is to put something into a text before a browser reads it.
func IsTemplate(text string) bool {
	return slices.ContainsFunc(templateMarks, func(mark string) bool { return strings.Contains(text, mark) })
}

// ReadPage finds the style links, scripts and other addresses of a page.
func ReadPage(f *source.File) *Page {
	r := pageReader{page: &Page{File: f, Open: true, head: -1}}
	r.read(Span{Start: 0, End: len(f.Text)}, true)
	if r.page.head < 0 {
		r.page.head = len(f.Text)
	}
	return r.page
}

// read reads a part of the page. whole is false within the element for browsers without
// scripts, where the tokenizer reads no markup of its own accord.
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
			// Processing instructions, and what only old browsers read.
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

// text notes the text of an element.
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

type pageReader struct {
	page *Page
	// inert counts the open elements whose content is no part of the page.
	inert int
	// noscript tells that an element for browsers without scripts is open.
	noscript bool
	// style tells that the text that follows is a sheet.
	style bool
	// script takes the text that follows, which is that of a script or import map.
	script func(text Span)
	// data tells that the text that follows is data or markup that may name files.
	data bool
}

// inHead are the elements that a head may hold, and those around it.
var inHead = []string{"html", "head", "meta", "link", "base", "title", "style", "script", "noscript", "template"}

// start notes what a start tag names.
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

// policy notes the policy that a meta element says, and reports whether it says one.
func (r *pageReader) policy(attrs []markup.Attribute) bool {
	equiv, content := markup.Find(attrs, "http-equiv"), markup.Find(attrs, "content")
	if r.inert > 0 || equiv == nil || content == nil || !strings.EqualFold(strings.TrimSpace(equiv.Value), "content-security-policy") {
		return false
	}
	r.page.Policies = append(r.page.Policies, Policy{content.Value, content.At})
	return true
}

// styleTag notes what the text of a style element is.
func (r *pageReader) styleTag(attrs []markup.Attribute) {
	r.page.Open = false
	r.data = r.data || r.inert > 0
	t := markup.Find(attrs, "type")
	r.style = r.inert == 0 && !r.noscript && (t == nil || t.Value == "" || strings.EqualFold(strings.TrimSpace(t.Value), "text/css"))
}

// addresses notes what the attributes of an element name.
func (r *pageReader) addresses(name string, attrs []markup.Attribute) {
	for i := range attrs {
		a := &attrs[i]
		switch {
		case a.Name == "srcset" || a.Name == "imagesrcset":
			r.sources(a)
		case strings.HasPrefix(a.Name, "on") || a.Name == "style" || a.Name == "srcdoc" || a.Name == "content":
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

// scriptTypes are the types of classic scripts (HTML, section 4.12.1; MIME Sniffing, section 4.4).
var scriptTypes = []string{"", "text/javascript", "application/javascript", "application/ecmascript", "application/x-javascript", "text/ecmascript", "text/x-javascript"}

// scriptTag notes what a script element runs. One of another type is data, and one in
// a template or for browsers without scripts does not run.
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
			r.page.Scripts = append(r.page.Scripts, s)
			return // browsers do not run what stands in it
		}
		r.script = func(text Span) {
			s.Text = text
			r.page.Scripts = append(r.page.Scripts, s)
		}
	default:
		r.data = true
	}
}

// styled notes something that styles the page.
func (r *pageReader) styled(tag Span) {
	if r.inert == 0 && tag.End > r.page.styles.End {
		r.page.styles = tag
	}
}

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

// addressAttr reports whether an attribute of an element is an address of
// something that a page needs to be whole.
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

// fixedElements are those whose addresses people see, or that load what names
// other files by itself.
var fixedElements = []string{"a", "area", "object", "iframe", "embed", "script", "frame"}

// ref returns the address that an attribute holds. One with character
// references is not to be changed.
func (r *pageReader) ref(a *markup.Attribute) Ref {
	return Ref{a.Value, a.At, a.Value != r.page.File.Text[a.At.Start:a.At.End]}
}

// sources notes the addresses of a list of images with their sizes.
func (r *pageReader) sources(a *markup.Attribute) {
	raw := r.page.File.Text[a.At.Start:a.At.End]
	if a.Value != raw { // its places are not those of what it reads as
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

func ref(a *markup.Attribute) Ref { return Ref{Address: a.Value, At: a.At} }

// plainAttrs are the attributes of a style link that do not make it special.
// An integrity hash is that of the unbuilt sheet, and goes with it.
var plainAttrs = []string{"rel", "href", "media", "type", "crossorigin", "integrity", "referrerpolicy", "charset"}

// isSheetType reports whether the type of a link is that of a sheet, or is not given.
func isSheetType(t *markup.Attribute) bool {
	if t == nil || t.Value == "" {
		return true
	}
	kind, _, _ := strings.Cut(t.Value, ";") // parameters say nothing of the kind (MIME Sniffing, section 4.4)
	return strings.EqualFold(strings.TrimSpace(kind), "text/css")
}

// otherLink notes a link element that loads no sheet, by the words of its rel.
func (r *pageReader) otherLink(tag Span, attrs []markup.Attribute, words []string, href *markup.Attribute) {
	has := func(is func(string) bool) bool { return slices.ContainsFunc(words, is) }
	if as := markup.Find(attrs, "as"); as != nil && strings.EqualFold(as.Value, "style") {
		if r.inert == 0 && has(func(w string) bool { return w == "preload" || w == "prefetch" }) {
			r.page.Preloads = append(r.page.Preloads, Link{Tag: tag, Href: ref(href), attrs: attrs})
		}
		return
	}
	if !has(func(w string) bool { return remoteRels[w] }) {
		to := r.ref(href)
		to.Fixed = to.Fixed || !has(func(w string) bool { return slices.Contains(imageRels, w) }) || isScript(attrs)
		r.page.Refs = append(r.page.Refs, to)
	}
}

// link notes a link element.
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
	// Of an element that is inert, scripts or browsers make elements: with the address as it is.
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
	if last := len(r.page.Groups) - 1; last >= 0 && r.page.Open && l.plain && !l.alone {
		r.page.Groups[last].Links = append(r.page.Groups[last].Links, l)
		return
	}
	r.page.Groups = append(r.page.Groups, Group{Links: []Link{l}})
	r.page.Open = l.plain
}

// noteInert notes a link that loads no sheet since its rel is misspelt or missing, or its address is in src.
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

// isStyleAddress reports whether an address ends like that of a sheet.
func isStyleAddress(address string) bool {
	if i := strings.IndexAny(address, "?#"); i >= 0 {
		address = address[:i]
	}
	return strings.HasSuffix(strings.ToLower(address), ".css")
}

// IsPlain reports whether nothing but its address and media tells a link from others,
// so that browsers heed it in any case.
func (l Link) IsPlain() bool { return l.plain }

// Charset returns the attribute that names the encoding of the sheet; empty if there is none.
func (l Link) Charset() string {
	if a := markup.Find(l.attrs, "charset"); a != nil {
		return a.Value
	}
	return ""
}

// remoteRels are the relations that lead to no file which belongs to the page.
var remoteRels = map[string]bool{
	"canonical": true, "dns-prefetch": true, "preconnect": true, "next": true, "prev": true, "search": true,
}

// imageRels are the relations of images and fonts, whose addresses nobody counts on.
var imageRels = []string{"icon", "apple-touch-icon", "mask-icon", "preload", "prefetch"}

// isScript reports whether a link preloads a script, or something that is not told.
func isScript(attrs []markup.Attribute) bool {
	rel, as := markup.Find(attrs, "rel"), markup.Find(attrs, "as")
	preloads := strings.Contains(strings.ToLower(rel.Value), "load") || strings.Contains(strings.ToLower(rel.Value), "fetch")
	return preloads && (as == nil || !strings.EqualFold(as.Value, "font") && !strings.EqualFold(as.Value, "image"))
}

// Joins reports whether a link may become one with the links of a group.
func (p *Page) Joins(l Link, g Group) bool {
	if len(g.Links) == 0 {
		return true
	}
	last := g.Links[len(g.Links)-1]
	return l.plain && last.plain && !l.alone && !last.alone
}

// SharedMedia returns the media of the group's links if all have the same.
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

// IsXML reports whether the page is read as XML.
func (p *Page) IsXML() bool { return strings.HasSuffix(strings.ToLower(p.File.Path.Name), ".xhtml") }
