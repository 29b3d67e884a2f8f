package picture

import (
	"regexp"
	"slices"
	"strings"
)

// numeric are the attributes of SVG that are numbers, lengths or lists of them.
var numeric = strings.Fields(`x y x1 y1 x2 y2 cx cy r rx ry fx fy dx dy width height offset opacity fill-opacity stroke-opacity
	stop-opacity stroke-width stroke-miterlimit stroke-dasharray stroke-dashoffset points viewBox stdDeviation
	refX refY markerWidth markerHeight`)

// shortAttribute returns the value of an attribute with shorter numbers.
func shortAttribute(element string, a attribute) string {
	value := strings.Trim(a.value, " \t\r\n")
	switch {
	case a.name == "d" && (element == "path" || element == "glyph"):
		if short, ok := shortPath(value); ok && len(short) < len(a.value) {
			return short
		}
	case a.name == "transform" || a.name == "gradientTransform" || a.name == "patternTransform":
		if short, ok := shortTransform(value); ok && len(short) < len(a.value) {
			return short
		}
	case slices.Contains(numeric, a.name):
		if short, ok := shortList(value); ok && len(short) < len(a.value) {
			return short
		}
	}
	return a.value
}

// number matches a number (SVG 2, section 4.2; CSS Values 4, section 5.3).
var number = regexp.MustCompile(`^[-+]?([0-9]*\.[0-9]+|[0-9]+)([eE][-+]?[0-9]+)?`)

// scanNumber returns the length of the number at the start of a text, or 0. After
// an integer, a dot without digits is no part of it.
func scanNumber(text string) int {
	const longest = 64
	n := len(number.FindString(text[:min(len(text), longest)]))
	if n == longest || n > 0 && n < len(text) && text[n] == '.' && !strings.ContainsAny(text[:n], ".eE") {
		return 0
	}
	return n
}

// shortNumber returns the shortest form of a number with the same digits.
func shortNumber(n string) string {
	n = strings.TrimPrefix(n, "+")
	exponent := ""
	if i := strings.IndexAny(n, "eE"); i >= 0 {
		n, exponent = n[:i], "e"+strings.TrimPrefix(n[i+1:], "+")
	}
	sign := ""
	if n[0] == '-' {
		sign, n = "-", n[1:]
	}
	n = strings.TrimLeft(n, "0")
	if strings.Contains(n, ".") {
		n = strings.TrimRight(strings.TrimRight(n, "0"), ".")
	}
	if n == "" {
		return "0"
	}
	return sign + n + exponent
}

// writer writes numbers with as few separators as possible.
type writer struct {
	strings.Builder
	last string // the last number; empty after something else
}

// number writes a number.
func (w *writer) number(n string) {
	needs := w.last != "" && n[0] != '-' &&
		!(n[0] == '.' && strings.ContainsAny(w.last, ".") && !strings.Contains(w.last, "e"))
	if needs {
		w.WriteByte(' ')
	}
	w.WriteString(n)
	w.last = n
}

// shortPath returns path data with shorter numbers (SVG 2, section 9.3). ok is
// false if it has a mistake, from which on browsers ignore the rest.
func shortPath(d string) (short string, ok bool) {
	const separators = " \t\r\n\f,"
	p := pathData{}
	for i := 0; i < len(d); {
		if strings.IndexByte(separators, d[i]) >= 0 {
			i++
			continue
		}
		n := p.next(d[i:])
		if n == 0 {
			return "", false
		}
		i += n
	}
	return p.String(), p.command != 0 && p.complete()
}

// pathData is path data that is being written.
type pathData struct {
	writer
	command byte
	count   int // arguments of the command so far
}

// complete reports whether the command has all its arguments.
func (p *pathData) complete() bool {
	n := arguments(p.command)
	return n == 0 && p.count == 0 || n > 0 && p.count > 0 && p.count%n == 0
}

// next writes the command or the number at the start of a text, and returns its
// length; 0 for a mistake.
func (p *pathData) next(text string) int {
	c := text[0]
	if strings.IndexByte("MmLlHhVvCcSsQqTtAaZz", c) >= 0 {
		if p.command == 0 && c != 'M' && c != 'm' || p.command != 0 && !p.complete() {
			return 0
		}
		p.WriteByte(c)
		p.last, p.command, p.count = "", c, 0
		return 1
	}
	if arguments(p.command) == 0 {
		return 0
	}
	if at := p.count % 7; p.command|0x20 == 'a' && (at == 3 || at == 4) { // a flag is one digit
		if c != '0' && c != '1' {
			return 0
		}
		p.number(string(c))
		p.count++
		return 1
	}
	n := scanNumber(text)
	if n > 0 {
		p.number(shortNumber(text[:n]))
		p.count++
	}
	return n
}

// arguments returns the number of arguments of a command.
func arguments(command byte) int {
	switch command | 0x20 {
	case 'h', 'v':
		return 1
	case 'm', 'l', 't':
		return 2
	case 's', 'q':
		return 4
	case 'c':
		return 6
	case 'a':
		return 7
	}
	return 0
}

// shortList returns a list of numbers with units, separated by white space or
// commas.
func shortList(value string) (short string, ok bool) {
	var w writer
	comma := true // no further one may follow
	for i := 0; i < len(value); {
		c := value[i]
		switch n := scanNumber(value[i:]); {
		case strings.IndexByte(" \t\r\n", c) >= 0:
			i++
		case c == ',' && !comma:
			comma = true
			i++
		case n > 0:
			unit := i + n
			for unit < len(value) && (value[unit] == '%' || value[unit]|0x20 >= 'a' && value[unit]|0x20 <= 'z') {
				unit++
			}
			short := shortNumber(value[i : i+n])
			if w.last != "" || w.Len() > 0 {
				w.WriteByte(' ')
			}
			w.last = ""
			w.number(short + value[i+n:unit])
			if unit < len(value) && strings.IndexByte(" \t\r\n,", value[unit]) < 0 {
				return "", false
			}
			comma = false
			i = unit
		default:
			return "", false
		}
	}
	return w.String(), w.Len() > 0 && !comma
}

// shortTransform returns a list of transforms with shorter numbers.
func shortTransform(value string) (short string, ok bool) {
	var out strings.Builder
	for rest := value; ; {
		rest = strings.TrimLeft(rest, " \t\r\n,")
		if rest == "" {
			return out.String(), out.Len() > 0
		}
		name, after, found := strings.Cut(rest, "(")
		list, next, closed := strings.Cut(after, ")")
		name = strings.TrimRight(name, " \t\r\n")
		args, valid := shortList(list)
		if !found || !closed || !valid || !slices.Contains([]string{"matrix", "translate", "scale", "rotate", "skewX", "skewY"}, name) {
			return "", false
		}
		out.WriteString(name + "(" + args + ")")
		rest = next
	}
}
