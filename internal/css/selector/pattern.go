package selector

import (
	"strings"

	"rinzel/internal/css/token"
)

// Pattern is a pattern for selectors or parts of them, as users write them: a selector in which "*" stands for any characters,
// or none.
type Pattern struct {
	Text  string   // as it is written
	parts []string // what stands between the stars, without escapes
}

// NewPattern reads a pattern. Every text is one.
func NewPattern(text string) Pattern {
	p := Pattern{Text: text}
	for _, part := range strings.Split(text, "*") {
		p.parts = append(p.parts, token.Unescape(part))
	}
	return p
}

// Start returns what all texts start with that the pattern matches.
func (p *Pattern) Start() string { return p.parts[0] }

// Match reports whether a text is as the pattern says. The text has no escapes.
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
