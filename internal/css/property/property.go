// Package property says which properties a declaration sets, and which
// declarations compete: shorthands set several longhands (CSS Cascade 5, section
// 7.1), logical and physical longhands set the same sides (CSS Logical 1,
// section 4), and a property with a prefix may be another name of the standard
// one.
package property

import (
	"slices"
	"strings"
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
)

// Property is a property: a longhand, a shorthand, a custom property, or one
// that no specification defines.
type Property struct {
	// Name is in lower case, except for a custom property. It has no escapes.
	Name string
	// Longhands are what it sets, including what it only resets; the property
	// itself if it is not a shorthand. The slice must not be modified.
	Longhands []*Property
	// Legacy is set if it may be another name of a standard property.
	Legacy bool
	// Standard is the name of the standard property that it is known to be
	// another name of; otherwise Name.
	Standard string

	kind    string // properties of different kinds never compete
	logical bool   // a browser maps it to a physical property
	kinds   uint64 // one bit for each kind of its longhands; kinds may share a bit
}

// resets are longhands that shorthands reset to their initial values without
// taking a value for them.
var resets = map[string][]string{
	"border": {"border-image-source", "border-image-slice", "border-image-width", "border-image-outset",
		"border-image-repeat"},
	"font": {"font-size-adjust", "font-kerning", "font-feature-settings", "font-language-override",
		"font-optical-sizing", "font-variation-settings", "font-palette"},
	"mask": {"mask-border-source", "mask-border-slice", "mask-border-width", "mask-border-outset",
		"mask-border-repeat", "mask-border-mode"},
	"animation":   {"animation-range-start", "animation-range-end", "animation-composition"},
	"white-space": {"white-space-trim"},
}

// cached are the properties that specifications define, by name as written.
var cached sync.Map

// Of returns the property with a name as written in a declaration.
func Of(written string) *Property {
	if p, ok := cached.Load(written); ok {
		return p.(*Property)
	}
	if ast.IsCustomName(written) {
		name := token.Unescape(written)
		return single(name, name)
	}
	name := token.Lower(token.Unescape(written))
	p := read(name)
	if _, ok := grammar.Property(name); ok && name == written {
		shared, _ := cached.LoadOrStore(written, p)
		return shared.(*Property)
	}
	return p
}

// single returns a property that sets only itself.
func single(name, kind string) *Property {
	p := &Property{Name: name, Standard: name, kind: kind, kinds: bit(kind)}
	p.Longhands = []*Property{p}
	return p
}

// read returns the property with a name in lower case.
func read(name string) *Property {
	longhands := grammar.Longhands(name)
	prefix, standard := token.SplitVendor(name)
	if len(longhands) == 0 && prefix != "" {
		longhands = grammar.Longhands(standard)
	}
	p := single(name, kindOf(name))
	current, alias := grammar.Standard(name)
	if alias {
		p.Standard = current
	}
	p.Legacy = alias || prefix != "" || strings.Contains(name, "-break-")
	p.logical = isLogical(name)
	if len(longhands) == 0 {
		return p
	}
	p.Longhands, p.kinds = nil, 0
	for _, l := range slices.Concat(longhands, resets[standard]) {
		part := Of(l)
		p.Longhands = append(p.Longhands, part)
		p.kinds |= part.kinds
	}
	return p
}

// isLogical reports whether a longhand is a logical one, such as
// margin-inline-start. It may be true for others, such as grid-row-start.
func isLogical(name string) bool {
	for _, part := range []string{"inline", "block", "-start", "-end"} {
		if strings.Contains(name, part) {
			return true
		}
	}
	return false
}

// bit returns the bit of a kind.
func bit(kind string) uint64 {
	hash := uint32(2166136261) // FNV-1a
	for i := 0; i < len(kind); i++ {
		hash = (hash ^ uint32(kind[i])) * 16777619
	}
	return 1 << (hash % 63)
}

// allBit is the bit of the property all, which competes with every kind.
const allBit = 1 << 63

// Kinds returns a set of bits: two properties without a common bit do not
// compete.
func (p *Property) Kinds() uint64 {
	if p.Name == all {
		return ^uint64(0)
	}
	return p.kinds | allBit
}

// all is the shorthand of all properties but custom ones (CSS Cascade 5, section
// 3.2).
const all = "all"

// Compete reports whether the order of declarations of two properties can
// matter.
func Compete(p, q *Property) bool {
	if p.Name == all || q.Name == all {
		return true
	}
	if p.kinds&q.kinds == 0 {
		return false
	}
	for _, a := range p.Longhands {
		for _, b := range q.Longhands {
			if a.kind == b.kind && (a.Standard == b.Standard || a.logical != b.logical || a.isUnclear() || b.isUnclear()) {
				return true
			}
		}
	}
	return false
}

// isUnclear reports whether a longhand may be another name of any property of
// its kind.
func (p *Property) isUnclear() bool { return p.Legacy && p.Standard == p.Name }

// Covers reports whether p sets everything that q sets.
func (p *Property) Covers(q *Property) bool {
	if p.Name == q.Name {
		return true
	}
	if p.Legacy || q.Legacy || p.kinds&q.kinds == 0 {
		return false
	}
	for _, b := range q.Longhands {
		if !slices.ContainsFunc(p.Longhands, func(a *Property) bool { return a.Name == b.Name }) {
			return false
		}
	}
	return true
}

// starts are the starts of the names of properties that form one kind.
var starts = []string{"margin", "padding", "scroll-margin", "scroll-padding", "overscroll-behavior", "overflow",
	"contain-intrinsic", "border", "mask", "font", "text", "box", "flex", "grid", "column-rule"}

// kindOf returns the kind of a property in lower case.
func kindOf(name string) string {
	if standard, ok := grammar.Standard(name); ok {
		name = standard
	}
	_, name = token.SplitVendor(name)
	switch {
	case name == "top" || name == "right" || name == "bottom" || name == "left" || strings.HasPrefix(name, "inset"):
		return "inset"
	case strings.Contains(name, "break-"): // page-break-before is another name of break-before
		return "break"
	case strings.HasSuffix(name, "width") && !strings.HasPrefix(name, "border") || strings.HasSuffix(name, "height") ||
		strings.HasSuffix(name, "inline-size") || strings.HasSuffix(name, "block-size"):
		return "size"
	}
	for _, start := range starts {
		if strings.HasPrefix(name, start) {
			return start
		}
	}
	return name
}
