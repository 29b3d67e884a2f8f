// Package known says what the standards say about names of CSS: which values properties and functions take, which at-rules hold
// rules, which functions a browser puts other tokens in the place of, which pseudo-classes take selectors. Every step that
// depends on such a fact asks here. All names are in lower case, without escapes.
//
// What can be read from the W3C's definitions is generated from them (values.go).
package known

//go:generate sh -c "go run ./gen > values.go"

// Values is what is known of the values of a property, or of the arguments of a function.
type Values struct {
	// Color says that a value may hold a colour, in a function perhaps, such as a gradient.
	Color bool
	// Names says that an identifier in a value may be a name that an author chose, whatever it looks like.
	Names bool
	Numbers
}

// Numbers are the numbers that may stand in a value. Those in functions do not count. Where a calculation comes to
// another one, browsers round it or bring it into the range; a number that is written as such makes the declaration invalid
// (CSS Values 4, section 10.12).
type Numbers struct {
	// Low is the least number without a unit that is allowed, and High the greatest; a High of 0 stands for no bound.
	Low, High float64
	// Fractions says that wherever a number without a unit may stand, it need not be whole.
	Fractions bool
	// Negative says that all dimensions and percentages may be below zero.
	Negative bool
	// Bounded says that some dimension or percentage has a bound other than zero.
	Bounded bool
}

// Property returns what is known of the values of a property. The zero Values is returned for a property that is not known: numbers
// may have to be whole, and not below zero.
func Property(name string) Values { return propertyValues(name) }

// Function returns what is known of the arguments of a function.
func Function(name string) Values { return functionValues(name) }

// TakesOnlyColors reports whether each hash in the value of a property is a colour, and each identifier that names one.
func (v Values) TakesOnlyColors() bool { return v.Color && !v.Names }

// ColorFunction reports whether a function is a colour (CSS Color 5, section 3 and on).
func ColorFunction(name string) bool {
	switch name {
	case "rgb", "rgba", "hsl", "hsla", "hwb", "lab", "lch", "oklab", "oklch", "color", "color-mix", "contrast-color", "light-dark", "alpha", "device-cmyk", "color-layers":
		return true
	}
	return false
}

// Substitutes reports whether a browser puts other tokens in the place of a function when it computes a value (CSS Values 5,
// section 5: arbitrary substitution functions). Functions that authors define, whose names start with two hyphens, do so, too.
func Substitutes(function string) bool {
	switch function {
	case "var", "env", "attr", "if", "inherit", "first-valid", "random-item", "toggle", "ident":
		return true
	}
	return len(function) > 2 && function[:2] == "--"
}

// HoldsStyleRules reports whether the block of an at-rule holds style rules, so that it may also stand in a style rule, around
// declarations (CSS Nesting 1, section 3.1): the conditional group rules, and those that say more of the rules in them.
func HoldsStyleRules(atRule string) bool {
	return IsCondition(atRule) || atRule == "layer" || atRule == "scope"
}

// IsCondition reports whether an at-rule only says when the rules in its block hold (CSS Conditional 3, section 2;
// @starting-style, CSS Transitions 2, section 2.3, which says it by time).
func IsCondition(atRule string) bool {
	switch atRule {
	case "media", "supports", "container", "starting-style":
		return true
	}
	return false
}

// TakesSelectors reports whether the arguments of a pseudo-class or pseudo-element are selectors, and whether these may be
// relative. Names are without their colons. Those of :nth-child() come after "of", see [TakesOf].
func TakesSelectors(pseudo string) (takes, relative bool) {
	switch pseudo {
	case "has":
		return true, true
	case "not", "host", "host-context", "slotted", "current", "cue":
		return true, false
	}
	return MatchesAny(pseudo), false
}

// TakesOf reports whether a pseudo-class takes selectors after "of" (Selectors 4, section 14.3).
func TakesOf(pseudo string) bool { return pseudo == "nth-child" || pseudo == "nth-last-child" }

// MatchesAny reports whether a pseudo-class matches what any of its arguments does: :is() with its older names, and :where().
func MatchesAny(pseudo string) bool {
	switch pseudo {
	case "is", "where", "matches", "-webkit-any", "-moz-any":
		return true
	}
	return false
}
