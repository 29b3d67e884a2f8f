package picture

import (
	"bytes"
	"errors"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// Namespaces that browsers show.
const (
	svgSpace   = "http://www.w3.org/2000/svg"
	xlinkSpace = "http://www.w3.org/1999/xlink"
	xmlSpace   = "http://www.w3.org/XML/1998/namespace"
	xmlnsSpace = "http://www.w3.org/2000/xmlns/"
	htmlSpace  = "http://www.w3.org/1999/xhtml"
	mathSpace  = "http://www.w3.org/1998/Math/MathML"
)

var errSVG = errors.New("not a picture in SVG")

// Limits of a picture: of nested elements, and of declarations of namespaces.
const (
	maxSVGDepth = 1000
	maxSpaces   = 200
)

// ShrinkSVG returns a smaller SVG file that shows the same, or nil: without
// comments, metadata, data of editors in namespaces of their own, and white space
// that is not shown, and with shorter numbers. Identifiers, classes and elements
// stay, because scripts and sheets may name them. style returns a smaller style
// sheet for one in the picture.
func ShrinkSVG(data []byte, style func(css string) string) []byte {
	s := svg{src: string(bytes.TrimPrefix(data, []byte("\uFEFF"))), style: style}
	if !utf8.ValidString(s.src) || s.read() != nil || s.out.Len() >= len(data) {
		return nil
	}
	return []byte(s.out.String())
}

// svg is an SVG file that is being written again.
type svg struct {
	src      string
	style    func(css string) string
	out      strings.Builder
	i        int
	open     []element
	rooted   bool
	declared int  // namespaces
	encoded  bool // it declares another encoding than UTF-8
	// scripted is set if scripts, or selectors about the order of elements, may look
	// at any element.
	scripted bool
	skipped  int // number of open elements that are left out, from the outermost one on
}

// element is an open element.
type element struct {
	name    string            // as written
	spaces  map[string]string // namespaces by their prefixes, also those of its ancestors
	text    bool              // white space in it is shown
	isStyle bool
}

// top returns the innermost open element, or nil.
func (s *svg) top() *element {
	if len(s.open) == 0 {
		return nil
	}
	return &s.open[len(s.open)-1]
}

// keep writes a text, unless it is in an element that is left out.
func (s *svg) keep(text string) {
	if s.skipped == 0 {
		s.out.WriteString(text)
	}
}

// read reads the file.
func (s *svg) read() error {
	s.scripted = strings.Contains(s.src, "<script") || strings.Contains(s.src, ":script")
	if _, after, ok := strings.Cut(s.src, "<style"); ok && strings.ContainsAny(after, "+~:") {
		s.scripted = s.scripted || structural.MatchString(after)
	}
	for s.i < len(s.src) {
		rest := s.src[s.i:]
		var err error
		switch {
		case strings.HasPrefix(rest, "<!--"):
			err = s.comment()
		case strings.HasPrefix(rest, "<![CDATA["):
			err = s.until("]]>", func(text string) { s.keep(text) })
		case strings.HasPrefix(rest, "<!"):
			err = s.doctype()
		case strings.HasPrefix(rest, "<?"):
			err = s.until("?>", s.instruction)
		case strings.HasPrefix(rest, "</"):
			err = s.endTag()
		case rest[0] == '<':
			err = s.startTag()
		default:
			s.text()
		}
		if err != nil {
			return err
		}
	}
	if len(s.open) > 0 || !s.rooted || s.encoded && strings.ContainsFunc(s.src, func(r rune) bool { return r >= 0x80 }) {
		return errSVG
	}
	return nil
}

// structural matches selectors that depend on which elements there are.
var structural = regexp.MustCompile(`:(first|last|only|nth|empty|has)|[+~]`)

// until passes on the text up to and including an end.
func (s *svg) until(end string, pass func(text string)) error {
	n := strings.Index(s.src[s.i:], end)
	if n < 0 {
		return errSVG
	}
	pass(s.src[s.i : s.i+n+len(end)])
	s.i += n + len(end)
	return nil
}

// comment leaves out a comment, unless it must stay. Two texts around one that is
// left out become one, so it stays in text.
func (s *svg) comment() error {
	return s.until("-->", func(text string) {
		if in := s.top(); strings.HasPrefix(text, "<!--!") || in != nil && in.text {
			s.keep(text)
		}
	})
}

// doctype leaves out a document type declaration. One that defines entities is not
// understood.
func (s *svg) doctype() error {
	if n := strings.IndexAny(s.src[s.i:], "[>"); n < 0 || s.src[s.i+n] == '[' {
		return errSVG
	}
	return s.until(">", func(string) {})
}

// instruction writes a processing instruction, without the declaration of XML.
func (s *svg) instruction(text string) {
	lower := strings.ToLower(text)
	if strings.HasPrefix(lower, "<?xml ") {
		s.encoded = strings.Contains(lower, "encoding") && !strings.Contains(lower, "utf-8")
		return
	}
	s.keep(text)
}

// text writes text.
func (s *svg) text() {
	n := strings.IndexByte(s.src[s.i:], '<')
	if n < 0 {
		n = len(s.src) - s.i
	}
	before, text := s.src[:s.i], s.src[s.i:s.i+n]
	s.i += n
	in := s.top()
	whole := strings.HasPrefix(s.src[s.i:], "</") && !strings.HasSuffix(before, "-->") && !strings.HasSuffix(before, "]]>")
	switch {
	case in == nil || !in.text && strings.Trim(text, " \t\r\n") == "":
	case in.isStyle && s.style != nil && whole && !strings.Contains(text, "&"):
		s.keep(s.style(text))
	default:
		s.keep(text)
	}
}

// endTag writes an end tag.
func (s *svg) endTag() error {
	in := s.top()
	if in == nil {
		return errSVG
	}
	return s.until(">", func(text string) {
		if strings.Trim(text[2:len(text)-1], " \t\r\n") != in.name {
			s.i = len(s.src) // the next token is an error
			s.open = append(s.open, element{})
			return
		}
		s.keep("</" + in.name + ">")
		s.open = s.open[:len(s.open)-1]
		if s.skipped > 0 {
			s.skipped--
		}
	})
}

// attribute is an attribute of a tag.
type attribute struct{ name, value string } // the value as written, without quotes

// readTag reads a start tag.
func (s *svg) readTag() (name string, attrs []attribute, empty bool, err error) {
	i := s.i + 1
	word := func(stop string) string {
		start := i
		for i < len(s.src) && !strings.ContainsRune(stop, rune(s.src[i])) {
			i++
		}
		return s.src[start:i]
	}
	space := func() {
		for i < len(s.src) && strings.IndexByte(" \t\r\n", s.src[i]) >= 0 {
			i++
		}
	}
	name = word(" \t\r\n/>")
	for {
		space()
		switch {
		case i >= len(s.src) || name == "":
			return name, nil, false, errSVG
		case s.src[i] == '>':
			s.i = i + 1
			return name, attrs, false, nil
		case strings.HasPrefix(s.src[i:], "/>"):
			s.i = i + 2
			return name, attrs, true, nil
		}
		a := attribute{name: word(" \t\r\n=/>")}
		space()
		if a.name == "" || i >= len(s.src) || s.src[i] != '=' {
			return name, nil, false, errSVG
		}
		i++
		space()
		if i >= len(s.src) || s.src[i] != '"' && s.src[i] != '\'' {
			return name, nil, false, errSVG
		}
		quote := s.src[i : i+1]
		i++
		a.value = word(quote)
		if i >= len(s.src) {
			return name, nil, false, errSVG
		}
		i++
		attrs = append(attrs, a)
	}
}

// startTag writes a start tag.
func (s *svg) startTag() error {
	name, attrs, empty, err := s.readTag()
	if err != nil || len(s.open) > maxSVGDepth || s.declared > maxSpaces {
		return errors.Join(err, errSVG)
	}
	e := element{name: name, spaces: s.spaces(attrs)}
	space, local := e.resolve(name, true)
	if err := s.root(space, local); err != nil {
		return err
	}
	if in := s.top(); in != nil {
		e.text = in.text
	}
	e.text = e.text || space == htmlSpace || slices.Contains(textElements, local)
	e.isStyle = space == svgSpace && local == "style"
	s.traits(&e, attrs)
	if s.leavesOut(space, local) {
		if !empty {
			s.skipped++
			s.open = append(s.open, e)
		}
		return nil
	}
	s.tag(&e, local, attrs, empty)
	if !empty {
		s.open = append(s.open, e)
	}
	return nil
}

// leavesOut reports whether an element is left out.
func (s *svg) leavesOut(space, local string) bool {
	return s.skipped > 0 || !s.scripted && (space == svgSpace && local == "metadata" || !shown(space))
}

// tag writes a start tag.
func (s *svg) tag(e *element, local string, attrs []attribute, empty bool) {
	s.keep("<" + e.name)
	for _, a := range attrs {
		if s.isKept(e, a) {
			s.keep(" " + a.name + "=" + quoted(shortAttribute(local, a)))
		}
	}
	if empty {
		s.keep("/")
	}
	s.keep(">")
}

// root returns an error if a start tag cannot be the first one, or comes after the
// end of the picture.
func (s *svg) root(space, local string) error {
	if s.rooted {
		if s.top() == nil {
			return errSVG
		}
		return nil
	}
	if space != svgSpace || local != "svg" {
		return errSVG
	}
	s.rooted = true
	return nil
}

// traits determines what attributes say about an element.
func (s *svg) traits(e *element, attrs []attribute) {
	for _, a := range attrs {
		switch {
		case a.name == "xml:space":
			e.text = e.text || a.value == "preserve"
		case strings.HasPrefix(a.name, "on"):
			s.scripted = true
		case a.name == "type" && e.isStyle && a.value != "text/css":
			e.isStyle = false
		}
	}
}

// textElements are those in which white space may be shown.
var textElements = []string{"text", "tspan", "textPath", "tref", "title", "desc", "style", "script", "foreignObject"}

// shown reports whether browsers show elements and attributes of a namespace.
func shown(space string) bool {
	return slices.Contains([]string{svgSpace, xlinkSpace, xmlSpace, xmlnsSpace, htmlSpace, mathSpace}, space)
}

// spaces returns the namespaces in an element.
func (s *svg) spaces(attrs []attribute) map[string]string {
	var out, own map[string]string
	if in := s.top(); in != nil {
		out = in.spaces
	} else {
		out = map[string]string{"xml": xmlSpace, "xmlns": xmlnsSpace}
	}
	for _, a := range attrs {
		prefix, ok := strings.CutPrefix(a.name, "xmlns")
		if !ok || prefix != "" && prefix[0] != ':' {
			continue
		}
		if own == nil {
			own = maps.Clone(out)
		}
		own[strings.TrimPrefix(prefix, ":")] = a.value
		s.declared++
	}
	if own != nil {
		return own
	}
	return out
}

// resolve returns the namespace of a name in an element, and its local part. Names
// of attributes without a prefix are in none, which counts as that of SVG.
func (e *element) resolve(name string, isElement bool) (space, local string) {
	prefix, local, ok := strings.Cut(name, ":")
	switch {
	case ok:
		return e.spaces[prefix], local
	case isElement:
		return e.spaces[""], name
	}
	return svgSpace, name
}

// isKept reports whether an attribute stays.
func (s *svg) isKept(e *element, a attribute) bool {
	if s.scripted {
		return true
	}
	if prefix, ok := strings.CutPrefix(a.name, "xmlns:"); ok {
		// One that is used only by what is left out is not needed.
		return shown(a.value) && strings.Contains(s.src, prefix+":")
	}
	space, _ := e.resolve(a.name, false)
	return shown(space)
}

// quoted returns the value of an attribute in quotes.
func quoted(value string) string {
	if strings.Contains(value, `"`) {
		return "'" + value + "'"
	}
	return `"` + value + `"`
}
