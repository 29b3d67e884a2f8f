package graph

import (
	"strings"

	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/markup"
)

// This file finds the URLs in style attributes (CSS Style Attributes, section
// 3).

// styleAttribute records the URLs of a style attribute. Other text in it may
// mention files as well.
func (r *pageReader) styleAttribute(a *markup.Attribute) {
	raw := r.page.File.Text[a.At.Start:a.At.End]
	if a.Value != raw || r.inert > 0 || IsTemplate(raw) { // offsets differ, or it is not final
		r.mention(a.Value, a.At, false)
		return
	}
	rest := []byte(raw)
	inURL := false // after url(
	for s := scan.New(raw); ; {
		t := s.Next()
		if t.Kind == token.EOF {
			break
		}
		text := t.Text(raw)
		var at Span
		switch {
		case t.Kind == token.Whitespace:
			continue
		case t.Kind == token.URL:
			body := strings.TrimSuffix(text[strings.IndexByte(text, '(')+1:], ")")
			lead := strings.TrimLeft(body, " \t\r\n\f")
			at.Start = int(t.Start) + strings.Index(text, body) + len(body) - len(lead)
			at.End = at.Start + len(strings.TrimRight(lead, " \t\r\n\f"))
		case t.Kind == token.String && inURL && len(text) > 1 && text[len(text)-1] == text[0]:
			at = Span{Start: int(t.Start) + 1, End: int(t.End) - 1}
		}
		inURL = t.Kind == token.Function && token.EqualFold(strings.TrimSuffix(text, "("), "url")
		// A URL with escapes or special characters is not rewritten.
		if address := raw[at.Start:at.End]; address != "" && token.PlainURL(address) {
			place := Span{Start: a.At.Start + at.Start, End: a.At.Start + at.End}
			r.page.Refs = append(r.page.Refs, Ref{Address: address, At: place})
			for i := at.Start; i < at.End; i++ {
				rest[i] = ' '
			}
		}
	}
	r.mention(string(rest), a.At, false)
}
