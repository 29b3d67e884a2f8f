package selector

import (
	"strings"

	"rinzel/internal/css/token"
)

// Pattern is a user-defined pattern for selectors or parts of them: a selector
// in which "*" matches any characters, or none.
type Pattern struct {
	Text  string   // as written
	parts []string // the parts between the stars, without escapes
}

// NewPattern returns the pattern for text. Every text is valid.
func NewPattern(text string) Pattern {
	p := Pattern{Text: text}
	for _, part := range strings.Split(text, "*") {
		p.parts = append(p.parts, token.Unescape(part))
	}
	return p
}

// Start returns the common prefix of all matching texts.
func (p *Pattern) Start() string { return p.parts[0] }

// Match reports whether the pattern matches a text without escapes.
func (p *Pattern) Match(text string) bool {
	if len(p.parts) == 1 {
		return text == p.parts[0]
	}
	rest, ok := strings.CutPrefix(text, p.parts[0])
	if !ok {
		return false
	}
	last := len(p.parts) - 1
	for _, part := range p.parts[1:last] {
		i := strings.Index(rest, part)
		if i < 0 {
			return false
		}
		rest = rest[i+len(part):]
	}
	return strings.HasSuffix(rest, p.parts[last])
}
