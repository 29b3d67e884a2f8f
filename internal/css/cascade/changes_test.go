package cascade

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/accept"
)

// TestChanges lists what differs between two sheets.
func TestChanges(t *testing.T) {
	tests := []struct{ old, new, want string }{
		{"a { color: red }", "a { color: #f00 }", ""},
		{"a, b { top: 0 } a { left: 0 }", "a { top: 0px; left: 0 } b { top: 0 }", ""},
		{"a { color: red; color: blue }", "a { color: blue }", ""},
		{"a { color: red }", "a { color: blue }", "a: color: red -> color: blue"},
		{"a { color: red }", "a { color: red !important }", "a: color: red -> color: red !important"},
		{"a { color: red } b { top: 0; left: 0 }", "a { color: red }", "gone b: top: 0; left: 0 -> "},
		{"", "@media print { .x { top: 0 } }", "new .x in @media print:  -> top: 0"},
		{"a { margin: 1px 2px; top: 0 }", "a { margin: 1px 3px; top: 0 }", "a: margin: 1px 2px -> margin: 1px 3px"},
		{"a { margin: 1px }", "a { margin: 1px; margin-left: 2px }", "a: margin: 1px -> margin-left: 2px"},
		{"a { top: 0 }", "a { left: 0; top: 0 }", "a:  -> left: 0"},
		{".a .x, .b .x { top: 0 }", ":is(.a, .b) .x { top: 1px }", ".a .x: top: 0 -> top: 1px|.b .x: top: 0 -> top: 1px"},
		{"a { &:hover { top: 0 } }", "a:hover { top: 1px }", "a:hover: top: 0 -> top: 1px"},
		{"a { color: red; color: oklch(0.5 0 0) }", "a { color: oklch(0.5 0 0) }", "a: color: red; color: oklch(0.5 0 0) -> color: oklch(0.5 0 0)"},
	}
	old := accept.Of(browsers.AtLeast(map[string]browsers.Version{"chrome": 90000, "safari": 14000}))
	for _, test := range tests {
		var got []string
		a, b := nodesOf(test.old), nodesOf(test.new)
		for _, c := range Changes(a, b, old) {
			text := c.Selector
			if c.Where != "" {
				text += " in " + c.Where
			}
			switch {
			case c.Whole && len(c.New) == 0:
				text = "gone " + text
			case c.Whole:
				text = "new " + text
			}
			got = append(got, fmt.Sprintf("%s: %s -> %s", text, strings.Join(c.Old, "; "), strings.Join(c.New, "; ")))
			if len(c.Old) > 0 != c.A.IsValid() || len(c.New) > 0 != c.B.IsValid() {
				t.Errorf("%s, %s: the positions are %v and %v", test.old, test.new, c.A, c.B)
			}
		}
		if text := strings.Join(got, "|"); text != test.want {
			t.Errorf("%s, %s:\n got %s\nwant %s", test.old, test.new, text, test.want)
		}
		if same := Compare(a, b, old) == nil; same != (test.want == "") {
			t.Errorf("%s, %s: the same: %v", test.old, test.new, same)
		}
	}
}
