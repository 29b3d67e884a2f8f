package selector_test

import (
	"testing"

	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
)

// TestWithoutIs writes selectors without :is().
func TestWithoutIs(t *testing.T) {
	for _, test := range [][2]string{
		{"a", "a"},
		{":is(.a, .b)", ".a,.b"},
		{":is(a, b) .x", "a .x,b .x"},
		{".x:is(.a, :hover)::before", ".x.a::before,.x:hover::before"},
		{":is(.a, .b) > :is(i, b).c", ".a>i.c,.a>b.c,.b>i.c,.b>b.c"},
		{":is(.a:is(.b, .c), [x=y].d)", ".a.b,.a.c,[x=y].d"},
		{":IS(.a)", ".a"},
		{"a + :is(.a.b, .c:not(.d))", "a+.a.b,a+.c:not(.d)"},
		// Those that would mean something else.
		{":is(.a, b)", ":is(.a,b)"},                     // another specificity
		{".x :is(.a .b, .c .d)", ".x :is(.a .b,.c .d)"}, // .a may be outside of .x
		{".x:is(a, b)", ".x:is(a,b)"},                   // .xa
		{"::slotted(a):is(.a, .b)", "::slotted(a):is(.a,.b)"},
		{":is(:host, .a)", ":is(:host,.a)"},
		{":is(::before, ::after)", ":is(::before,::after)"},
		{":is()", ":is()"},
		{":where(.a, .b)", ":where(.a,.b)"},
		{":not(:is(.a, .b))", ":not(:is(.a,.b))"},
		{":is(*, a)", ":is(*,a)"},
		{"li :is(:hover, :focus)", "li :is(:hover,:focus)"}, // only links, in quirks mode
		{"li .a:is(:hover, :active)", "li .a:hover,li .a:active"},
		{":is(.a, .b):is(.c, .d):is(.e, .f):is(.g, .h)", ":is(.a,.b):is(.c,.d):is(.e,.f):is(.g,.h)"}, // too many
	} {
		got := string(print.AppendSelectors(nil, selector.WithoutIs(parsed(t, test[0]), 10)))
		if got != test[1] {
			t.Errorf("%s: got %s, want %s", test[0], got, test[1])
		}
	}
}
