package browsers

import "slices"

// hoisting are the versions with nesting that apply declarations after nested
// rules as if they came before them: CSS Nesting specified that before
// CSSNestedDeclarations. By browser, from a version to another, exclusive. The
// browser data does not have this.
var hoisting = map[string][2]Version{
	"chrome": {120000, 130000}, "chrome-android": {120000, 130000}, "edge": {120000, 130000},
	"firefox": {117000, 132000}, "firefox-android": {117000, 132000},
	"opera": {106000, 115000}, "safari": {17002, 18002}, "safari-ios": {17002, 18002}, "samsung": {25000, 28000},
}

// Hoist reports whether some target has nesting and applies declarations after
// nested rules as if they came before them.
func (t Targets) Hoist() bool {
	for name, list := range t.chosen {
		if slices.ContainsFunc(list,
			func(c choice) bool { return hoisting[name][0] <= c.version && c.version < hoisting[name][1] }) {
			return true
		}
	}
	return false
}
