package markup

import (
	"iter"
	"slices"
	"strings"
)

// ClassLists returns the class attributes of the start tags of a text, as browsers read
// them: of several in one tag the first counts.
func ClassLists(text string) iter.Seq[Attribute] {
	return func(yield func(Attribute) bool) {
		for t := range Tokens(text, Span{End: len(text)}) {
			if t.Kind != StartTag {
				continue
			}
			if class := Find(Attributes(text, t.At), "class"); class != nil && !yield(*class) {
				return
			}
		}
	}
}

// Permute returns a class list with its classes in another order, and its white space as
// it is. order gets the classes and returns the same ones. A list that is not plain, with
// character references or what a template replaces, is returned unchanged.
func Permute(list string, order func(classes []string) []string) string {
	classes := strings.FieldsFunc(list, func(r rune) bool { return r < 0x80 && IsSpace(byte(r)) })
	if strings.ContainsAny(list, "&<>{}$") || slices.ContainsFunc(classes, func(c string) bool { return c[0] == '@' }) {
		return list
	}
	ordered := order(slices.Clone(classes))
	var b strings.Builder
	for i, class := range classes {
		at := strings.Index(list, class)
		b.WriteString(list[:at])
		b.WriteString(ordered[i])
		list = list[at+len(class):]
	}
	return b.String() + list
}
