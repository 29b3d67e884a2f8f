package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// This file explains why a class is no member of a family although it looks like
// one.

// Near is why a class that looks like a member of a family is none.
type Near struct {
	Why string      // the end of a sentence about the class
	At  source.Span // the pattern of the family; the zero Span if it is about a mode
	Fix string
}

// Near explains a class. ok is false if it is a member, or looks like none.
func (f *Families) Near(class string) (n Near, ok bool) {
	all := f.collected
	if m := all.plan.member(class); m != nil {
		if !m.invalid {
			return n, false
		}
		fam := all.list[m.family]
		return Near{Why: fmt.Sprintf("its value is invalid for a declaration of the family %q", fam.pattern), At: fam.at}, true
	}
	modes, rest := all.withoutModes(class)
	if n, ok = all.nearKey(modes, rest); ok {
		return n, true
	}
	return all.nearStart(modes, rest)
}

// withoutModes splits the prefixes of modes from a class.
func (f *families) withoutModes(class string) (modes, rest string) {
	rest = class
	for found := true; found; {
		found = false
		for _, m := range f.modes {
			if r, ok := strings.CutPrefix(rest, m.prefix); ok && r != "" && !strings.Contains(modes, m.prefix) {
				rest, found = r, true
				modes = class[:len(class)-len(rest)]
			}
		}
	}
	return modes, rest
}

// shortest is the length from which on the start of a family says something: many
// classes begin with the same letter.
const shortest = 3

// nearKey explains a class that starts like the members of a family, the one with the
// longest start.
func (f *families) nearKey(modes, rest string) (n Near, ok bool) {
	var best *family
	for _, fam := range f.list {
		first := fam.pattern.literals[0]
		if len(fam.pattern.slots) == 0 || len(first) < shortest || !strings.HasPrefix(rest, first) || rest == first {
			continue
		}
		if best == nil || len(first) > len(best.pattern.literals[0]) {
			best = fam
		}
	}
	if best == nil {
		return n, false
	}
	p := best.pattern
	n.At = best.at
	key, single := strings.CutSuffix(rest[len(p.literals[0]):], p.literals[len(p.literals)-1])
	if !single || len(p.slots) > 1 {
		n.Why = fmt.Sprintf("it does not fit the family %q", p)
		return n, true
	}
	keys, takes := p.slots[0].accepted()
	n.Why = fmt.Sprintf("%q does not fill the slot of the family %q", key, p)
	n.Fix = "the slot accepts " + takes
	if near := diag.Nearest(key, keys); near != "" {
		n.Fix = fmt.Sprintf("did you mean %q?", modes+p.literals[0]+near+p.literals[1])
	}
	return n, true
}

// accepted returns the keys of the slot, with the keywords of its types, and what it
// accepts as text.
func (s *slot) accepted() (keys []string, text string) {
	const most = 8 // keys that are listed
	var parts []string
	for _, from := range s.sources {
		words := from.keys()
		keys = append(keys, words...)
		if from.fills == nil {
			parts = append(parts, from.free.String())
			continue
		}
		for i, key := range words {
			if i == most {
				parts = append(parts, fmt.Sprintf("%d more keys", len(words)-most))
				break
			}
			parts = append(parts, key)
		}
	}
	return keys, strings.Join(parts, ", ")
}

// keys returns the keys of the source, or the keywords of its type.
func (s *slotSource) keys() (out []string) {
	if s.fills == nil {
		return s.free.keywords()
	}
	for _, f := range s.list {
		out = append(out, f.key)
	}
	return out
}

// nearStart explains a class that would be a member if its start were spelled like
// the prefix of a mode, or like the start of a family.
func (f *families) nearStart(modes, rest string) (n Near, ok bool) {
	var prefixes, starts []string
	for _, m := range f.modes {
		prefixes = append(prefixes, m.prefix)
	}
	for _, fam := range f.list {
		if first := fam.pattern.literals[0]; len(first) >= shortest {
			starts = append(starts, first)
		}
	}
	for i := 1; i < len(rest); i++ {
		if c := rest[i-1]; c != '-' && c != ':' && c != '_' && c != '@' && c != '/' {
			continue
		}
		start, end := rest[:i], rest[i:]
		if near := diag.Nearest(start, prefixes); near != "" && f.fits(end) {
			return Near{Why: fmt.Sprintf("no mode is called %q", start), Fix: fmt.Sprintf("did you mean %q?", modes+near+end)}, true
		}
		if near := diag.Nearest(start, starts); near != "" && f.fits(near+end) {
			return Near{Why: fmt.Sprintf("no family begins with %q", start), Fix: fmt.Sprintf("did you mean %q?", modes+near+end)}, true
		}
	}
	return n, false
}

// fits reports whether a class without modes is a member of a family.
func (f *families) fits(class string) bool {
	return slices.ContainsFunc(f.list, func(fam *family) bool {
		_, fits := fam.pattern.match(class)
		return fits
	})
}
