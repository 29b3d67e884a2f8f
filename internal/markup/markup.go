// Package markup tokenizes HTML as browsers do, with the position of every
// part. The tokens cover the text without gaps, so that a page can be edited in
// place instead of being serialized again.
package markup

import (
	"iter"
	"strings"

	"golang.org/x/net/html"
)

// Span is a range of bytes of a text.
type Span struct{ Start, End int }

// Kind is the kind of a token.
type Kind uint8

// The kinds of tokens.
const (
	Text     Kind = iota // text between tags, or the contents of an element such as script
	StartTag             // with or without a slash at its end
	EndTag
	Comment // including what is parsed as a comment, such as processing instructions
	Doctype
	Rest // the last token: the rest of the text after an unclosed tag; usually empty
)

// Token is a part of a text.
type Token struct {
	Kind Kind
	At   Span
	Data string // contents of a document type; empty for other tokens
}

// kinds maps the token types of the tokenizer.
var kinds = map[html.TokenType]Kind{
	html.TextToken: Text, html.StartTagToken: StartTag, html.SelfClosingTagToken: StartTag, html.EndTagToken: EndTag,
	html.CommentToken: Comment, html.DoctypeToken: Doctype, html.ErrorToken: Rest,
}

// Tokens returns the tokens of a part of a text.
func Tokens(text string, part Span) iter.Seq[Token] {
	return func(yield func(Token) bool) {
		z := html.NewTokenizer(strings.NewReader(text[part.Start:part.End]))
		for at := part.Start; ; {
			t := Token{Kind: kinds[z.Next()]}
			t.At = Span{at, at + len(z.Raw())}
			at = t.At.End
			switch t.Kind {
			case Rest:
				t.At.End = part.End
			case Doctype:
				t.Data = string(z.Text())
			}
			if !yield(t) || t.Kind == Rest {
				return
			}
		}
	}
}

// Name returns the element name of a tag in lower case.
func Name(text string, tag Span) string {
	text = text[tag.Start:tag.End]
	i := 1
	if strings.HasPrefix(text, "</") {
		i = 2
	}
	start := i
	for i < len(text) && !IsSpace(text[i]) && text[i] != '/' && text[i] != '>' {
		i++
	}
	return lower(text[start:i])
}

// lower returns a name with ASCII letters in lower case.
func lower(name string) string {
	for i := range len(name) {
		if 'A' <= name[i] && name[i] <= 'Z' {
			bytes := []byte(name)
			for k := i; k < len(bytes); k++ {
				if 'A' <= bytes[k] && bytes[k] <= 'Z' {
					bytes[k] |= 0x20
				}
			}
			return string(bytes)
		}
	}
	return name
}

// Attribute is an attribute of a start tag.
type Attribute struct {
	Name  string // in lower case
	Value string // with character references decoded
	Whole Span   // from the name to the closing quote
	At    Span   // the value without quotes; empty, after the name, if there is no value
}

// Find returns the attribute with a name; nil if there is none.
func Find(attrs []Attribute, name string) *Attribute {
	for i := range attrs {
		if attrs[i].Name == name {
			return &attrs[i]
		}
	}
	return nil
}

// Attributes returns the attributes of a start tag with their positions (HTML,
// sections 13.2.5.32 and following). Of several with the same name the first
// counts.
func Attributes(text string, tag Span) []Attribute {
	var attrs []Attribute
	const few = 16 // up to this many are searched linearly
	var seen map[string]bool
	for a := range AllAttributes(text, tag) {
		switch {
		case len(attrs) < few:
			if Find(attrs, a.Name) != nil {
				continue
			}
		case seen == nil:
			seen = make(map[string]bool)
			for _, have := range attrs {
				seen[have.Name] = true
			}
			fallthrough
		default:
			if seen[a.Name] {
				continue
			}
			seen[a.Name] = true
		}
		attrs = append(attrs, a)
	}
	return attrs
}

// AllAttributes returns the attributes of a start tag as written: names may
// repeat, as in templates with alternatives.
func AllAttributes(text string, tag Span) iter.Seq[Attribute] {
	return func(yield func(Attribute) bool) {
		text := text[tag.Start:tag.End]
		i := 1
		for i < len(text) && !IsSpace(text[i]) && text[i] != '/' && text[i] != '>' {
			i++
		}
		for {
			for i < len(text) && (IsSpace(text[i]) || text[i] == '/') {
				i++
			}
			if i >= len(text) || text[i] == '>' {
				return
			}
			var a Attribute
			a, i = attribute(text, i)
			a.Whole = Span{a.Whole.Start + tag.Start, a.Whole.End + tag.Start}
			a.At = Span{a.At.Start + tag.Start, a.At.End + tag.Start}
			if !yield(a) {
				return
			}
		}
	}
}

// attribute reads the attribute at text[i:] and returns it and its end.
func attribute(text string, i int) (Attribute, int) {
	start := i
	for i++; i < len(text) && !IsSpace(text[i]) && text[i] != '/' && text[i] != '>' && text[i] != '='; i++ {
	}
	a := Attribute{Name: lower(text[start:i]), Whole: Span{start, i}, At: Span{i, i}}
	equals := i
	for equals < len(text) && IsSpace(text[equals]) {
		equals++
	}
	if equals >= len(text) || text[equals] != '=' {
		return a, i
	}
	i = equals + 1
	for i < len(text) && IsSpace(text[i]) {
		i++
	}
	a.At, i = valueAt(text, i)
	a.Whole.End = i
	a.Value = unescape(text[a.At.Start:a.At.End])
	return a, i
}

// valueAt returns the span of the attribute value at text[i:], without quotes,
// and its end including quotes.
func valueAt(text string, i int) (value Span, end int) {
	if i < len(text) && (text[i] == '"' || text[i] == '\'') {
		n := strings.IndexByte(text[i+1:], text[i])
		if n < 0 {
			n = len(text) - i - 1
		}
		return Span{i + 1, i + 1 + n}, min(i+n+2, len(text))
	}
	end = i
	for end < len(text) && !IsSpace(text[end]) && text[end] != '>' {
		end++
	}
	return Span{i, end}, end
}

// IsSpace reports whether a byte is white space in a tag.
func IsSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\f' || c == '\r' }
