// Package known has facts about CSS names that several steps need: which values
// properties and functions take, which at-rules contain rules, which functions
// are substituted by browsers, which pseudo-classes take selectors. Each fact
// is defined here and nowhere else. Names are in lower case, without escapes.
// What the W3C definitions state is generated from them (values.go); the rest
// is in known.go, with the section of the specification.
package known

//go:generate sh -c "go run ./gen > values.go"

// Values has facts about the values of a property, or the arguments of a
// function.
type Values struct {
	// Color is set if a value may contain a colour, possibly inside a function
	// such as a gradient.
	Color bool
	// Names is set if an identifier in a value may be an author-defined name.
	Names bool
	Numbers
}

// Numbers describes the numbers that a value may contain, outside of functions.
// Browsers round or clamp the result of a calculation, but a literal number out
// of range makes the declaration invalid (CSS Values 4, section 10.12).
type Numbers struct {
	// Low is the smallest allowed number without a unit, High the largest; a
	// High of 0 means no bound.
	Low, High float64
	// Fractions is set if numbers without a unit need not be integers.
	Fractions bool
	// Negative is set if all dimensions and percentages may be negative.
	Negative bool
	// Bounded is set if some dimension or percentage has a bound other than
	// zero.
	Bounded bool
}

// Property returns facts about the values of a property. For an unknown
// property it returns the zero Values, the most restrictive: integers that are
// not negative.
func Property(name string) Values { return propertyValues(name) }

// Function returns facts about the arguments of a function.
func Function(name string) Values { return functionValues(name) }

// TakesOnlyColors reports whether every hash in the value of a property is a
// colour, and every identifier that names a colour is one.
func (v Values) TakesOnlyColors() bool { return v.Color && !v.Names }

// ColorFunction reports whether a function returns a colour (CSS Color 5,
// sections 3 and following).
func ColorFunction(name string) bool {
	switch name {
	case "rgb", "rgba", "hsl", "hsla", "hwb", "lab", "lch", "oklab", "oklch", "color", "color-mix", "contrast-color",
		"light-dark", "alpha", "device-cmyk", "color-layers":
		return true
	}
	return false
}

// Substitutes reports whether browsers substitute a function with other tokens
// at computed-value time (CSS Values 5, section 5: arbitrary substitution
// functions). Custom functions, whose names start with two hyphens, are
// included.
func Substitutes(function string) bool {
	switch function {
	case "var", "env", "attr", "if", "inherit", "first-valid", "random-item", "toggle", "ident":
		return true
	}
	return len(function) > 2 && function[:2] == "--"
}

// HoldsStyleRules reports whether an at-rule contains style rules, so that it
// may also be nested in a style rule, around declarations (CSS Nesting 1,
// section 3.1): conditional group rules, and @layer, @scope and
// @starting-style.
func HoldsStyleRules(atRule string) bool {
	return IsCondition(atRule) || atRule == "layer" || atRule == "scope"
}

// IsCondition reports whether an at-rule only determines when the rules in its
// block apply (CSS Conditional 3, section 2; @starting-style, CSS Transitions
// 2, section 2.3, depends on time).
func IsCondition(atRule string) bool {
	switch atRule {
	case "media", "supports", "container", "starting-style":
		return true
	}
	return false
}

// TakesSelectors reports whether the arguments of a pseudo-class or
// pseudo-element are selectors, and whether these may be relative. Names are
// without colons. For :nth-child() the selectors come after "of", see
// [TakesOf].
func TakesSelectors(pseudo string) (takes, relative bool) {
	switch pseudo {
	case "has":
		return true, true
	case "not", "host", "host-context", "slotted", "current", "cue":
		return true, false
	}
	return MatchesAny(pseudo), false
}

// TakesOf reports whether a pseudo-class takes selectors after "of" (Selectors
// 4, section 14.3).
func TakesOf(pseudo string) bool { return pseudo == "nth-child" || pseudo == "nth-last-child" }

// MatchesAny reports whether a pseudo-class matches if any of its arguments
// does: :is() with its legacy names, and :where().
func MatchesAny(pseudo string) bool {
	switch pseudo {
	case "is", "where", "matches", "-webkit-any", "-moz-any":
		return true
	}
	return false
}

// ZeroLength reports whether the arguments of a function may be lengths, and 0
// means a length there (CSS Values 4, section 6.2).
func ZeroLength(function string) bool {
	switch function {
	case "translate", "translatex", "translatey", "translatez", "translate3d", "blur", "drop-shadow", "minmax", "repeat",
		"fit-content", "inset", "polygon", "circle", "ellipse", "rect", "xywh", "linear-gradient", "radial-gradient",
		"repeating-linear-gradient", "repeating-radial-gradient":
		return true
	}
	return false
}

// ZeroAngle reports whether a function accepts 0 as an angle (CSS Transforms 1,
// section 10; CSS Filters 1, section 6.1.6).
func ZeroAngle(function string) bool {
	switch function {
	case "rotate", "rotatex", "rotatey", "rotatez", "rotate3d", "skew", "skewx", "skewy", "hue-rotate":
		return true
	}
	return false
}
