package grammar

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"sync"
)

// This file parses the value definition syntax (CSS Values 4, section 2).

// op is the kind of an expression.
type op uint8

// The kinds of expressions.
const (
	anything  op = iota // undefined in the data: one or more values
	keyword             // text, in lower case
	literal             // a delimiter, comma, colon or semicolon
	basic               // a basic type: text
	reference           // a named definition: text, with a range for numbers
	function            // text is its lower-case name, args[0] its arguments
	block               // text is its bracket, args[0] its contents
	sequence            // all args in order
	allOf               // && : all args in any order
	someOf              // || : one or more args in any order
	oneOf               // |
	repeat              // args[0] from least to most times
)

// expr is a parsed value definition. It is immutable.
type expr struct {
	op          op
	text        string
	args        []*expr
	least, most int
	commas      bool    // of repeat: separated by commas
	filled      bool    // must not be empty
	low, high   float64 // of basic and reference: the allowed range

	once   sync.Once
	target *expr           // of reference, once resolved; nil if the data does not define it
	words  map[string]bool // of oneOf: args that are keywords
	others []*expr         // of oneOf: the other args
}

// unbounded is the upper limit of * and +.
const unbounded = 1 << 20

// everything is the unlimited range.
var everything = [2]float64{math.Inf(-1), math.Inf(1)}

// parser parses one definition.
type parser struct {
	rest string
}

// parseSyntax parses a definition. The error says what it could not parse.
func parseSyntax(syntax string) (*expr, error) {
	p := &parser{strings.TrimSpace(syntax)}
	e, err := p.alternatives()
	if err == nil && p.rest != "" {
		err = fmt.Errorf("unexpected %q after the definition", p.rest)
	}
	return e, err
}

// alternatives parses the contents of brackets: the combinators from the
// loosest to the tightest.
func (p *parser) alternatives() (*expr, error) { return p.combination(0) }

// combinators in order of precedence, the loosest first.
var combinators = []struct {
	sign string
	op   op
}{{"|", oneOf}, {"||", someOf}, {"&&", allOf}}

// combination parses the combinators from level on.
func (p *parser) combination(level int) (*expr, error) {
	if level == len(combinators) {
		return p.juxtaposed()
	}
	c := combinators[level]
	var args []*expr
	for {
		arg, err := p.combination(level + 1)
		if err != nil {
			return nil, err
		}
		args = append(args, arg)
		if p.sign() != c.sign {
			break
		}
		p.skip(len(c.sign))
	}
	if len(args) == 1 {
		return args[0], nil
	}
	e := &expr{op: c.op, args: args}
	if c.op == oneOf {
		e.sort()
	}
	return e, nil
}

// sort separates alternatives into keywords, which are looked up, and others.
func (e *expr) sort() {
	for _, arg := range e.args {
		if arg.op != keyword {
			e.others = append(e.others, arg)
			continue
		}
		if e.words == nil {
			e.words = make(map[string]bool)
		}
		e.words[arg.text] = true
	}
}

// sign returns the next combinator, or "".
func (p *parser) sign() string {
	for _, sign := range []string{"||", "&&", "|"} {
		if strings.HasPrefix(p.rest, sign) {
			return sign
		}
	}
	return ""
}

// skip moves n bytes forward, and past white space.
func (p *parser) skip(n int) { p.rest = strings.TrimLeft(p.rest[n:], " ") }

// ends reports whether a list of terms ends here.
func (p *parser) ends() bool {
	return p.rest == "" || p.rest[0] == ']' || p.rest[0] == ')' || p.rest[0] == '}' || p.sign() != ""
}

// juxtaposed parses terms that follow each other.
func (p *parser) juxtaposed() (*expr, error) {
	var args []*expr
	for !p.ends() {
		arg, err := p.term()
		if err != nil {
			return nil, err
		}
		args = append(args, arg)
	}
	if len(args) == 1 {
		return args[0], nil
	}
	return &expr{op: sequence, args: args}, nil
}

// term parses one term and its multipliers.
func (p *parser) term() (*expr, error) {
	e, err := p.primary()
	for err == nil && p.rest != "" {
		switch p.rest[0] {
		case '*':
			e = &expr{op: repeat, args: []*expr{e}, most: unbounded}
		case '+':
			e = &expr{op: repeat, args: []*expr{e}, least: 1, most: unbounded}
		case '?':
			e = &expr{op: repeat, args: []*expr{e}, most: 1}
		case '!':
			e = &expr{op: sequence, args: []*expr{e}, filled: true}
		case '#':
			e = &expr{op: repeat, args: []*expr{e}, least: 1, most: unbounded, commas: true}
			if strings.HasPrefix(p.rest, "#{") {
				p.rest = p.rest[1:]
				err = p.times(e)
				continue
			}
		case '{':
			e = &expr{op: repeat, args: []*expr{e}}
			err = p.times(e)
			continue
		default:
			p.skip(0)
			return e, nil
		}
		p.rest = p.rest[1:]
	}
	p.skip(0)
	return e, err
}

// times parses {2} or {1,4} and returns it as a repetition in e.
func (p *parser) times(e *expr) error {
	inner, rest, ok := strings.Cut(p.rest[1:], "}")
	low, high, ranged := strings.Cut(strings.TrimSpace(inner), ",")
	var err error
	if e.least, err = strconv.Atoi(strings.TrimSpace(low)); err != nil || !ok {
		return fmt.Errorf("expected a count, got %q", p.rest)
	}
	switch high = strings.TrimSpace(high); {
	case !ranged:
		e.most = e.least
	case high == "":
		e.most = unbounded
	default:
		e.most, err = strconv.Atoi(high)
	}
	p.rest = rest
	return err
}

// primary parses a term without multipliers.
func (p *parser) primary() (*expr, error) {
	switch c := p.rest[0]; {
	case c == '<':
		return p.reference()
	case c == '[' || c == '(' || c == '{':
		closer := map[byte]string{'[': "]", '(': ")", '{': "}"}[c]
		p.skip(1)
		e, err := p.alternatives()
		if err != nil {
			return nil, err
		}
		if !strings.HasPrefix(p.rest, closer) {
			return nil, fmt.Errorf("expected %q, got %q", closer, p.rest)
		}
		p.rest = p.rest[1:]
		if c != '[' {
			e = &expr{op: block, text: string(c), args: []*expr{e}}
		}
		return e, nil
	case c == '\'':
		return p.quoted()
	case c == ',' || c == '/' || c == ':' || c == ';' || c == '=':
		p.rest = p.rest[1:]
		return &expr{op: literal, text: string(c)}, nil
	}
	return p.word()
}

// quoted parses 'x': a delimiter that would otherwise have a meaning, or an
// opening bracket with its block.
func (p *parser) quoted() (*expr, error) {
	text, rest, ok := strings.Cut(p.rest[1:], "'")
	if !ok || text == "" {
		return nil, fmt.Errorf("expected a literal, got %q", p.rest)
	}
	p.rest = rest
	if text != "[" {
		return &expr{op: literal, text: text}, nil
	}
	p.skip(0)
	inner, rest, ok := strings.Cut(p.rest, "']'")
	if !ok {
		return nil, fmt.Errorf("unclosed bracket before %q", p.rest)
	}
	e, err := parseSyntax(inner)
	p.rest = rest
	return &expr{op: block, text: "[", args: []*expr{e}}, err
}

// word parses a keyword, or a function with its arguments.
func (p *parser) word() (*expr, error) {
	n := 0
	for n < len(p.rest) && (p.rest[n] == '-' || p.rest[n] == '_' || p.rest[n] == '@' || isWordByte(p.rest[n])) {
		n++
	}
	if n == 0 {
		return nil, fmt.Errorf("expected a term, got %q", p.rest)
	}
	text := strings.ToLower(p.rest[:n])
	p.rest = p.rest[n:]
	if !strings.HasPrefix(p.rest, "(") {
		return &expr{op: keyword, text: text}, nil
	}
	inner, err := p.primary()
	if err != nil {
		return nil, err
	}
	return &expr{op: function, text: text, args: inner.args}, nil
}

// isWordByte reports whether c can be part of a keyword.
func isWordByte(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
}

// reference parses <type>, <type [0,1]>, <'property'> or <function()>.
func (p *parser) reference() (*expr, error) {
	depth, n := 0, 0
	for ; n < len(p.rest); n++ {
		if p.rest[n] == '<' {
			depth++
		} else if p.rest[n] == '>' {
			if depth--; depth == 0 {
				break
			}
		}
	}
	if depth != 0 {
		return nil, fmt.Errorf("expected a type, got %q", p.rest)
	}
	inner := strings.TrimSpace(p.rest[1:n])
	p.rest = p.rest[n+1:]
	e := &expr{op: reference, text: inner, low: everything[0], high: everything[1]}
	name, bounds, ranged := strings.Cut(inner, "[")
	if !ranged {
		return e, nil
	}
	e.text = strings.TrimSpace(name)
	low, high, ok := strings.Cut(strings.TrimSuffix(bounds, "]"), ",")
	if !ok { // <boolean-expr[ … ]> does not occur in values
		return &expr{op: anything}, nil
	}
	var err error
	if e.low, err = bound(low, e.low); err != nil {
		return nil, err
	}
	e.high, err = bound(high, e.high)
	return e, err
}

// bound parses an end of a range: 0, -∞, 1s.
func bound(s string, infinite float64) (float64, error) {
	s = strings.TrimSpace(s)
	if strings.HasSuffix(s, "∞") {
		return infinite, nil
	}
	return strconv.ParseFloat(strings.TrimRight(s, "abcdefghijklmnopqrstuvwxyzHS%"), 64)
}
