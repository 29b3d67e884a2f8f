package query

import "testing"

// TestClassSelectors finds which attribute selectors depend on the order of classes.
func TestClassSelectors(t *testing.T) {
	const before, after = "pad-2 quay Ferry", "quay Ferry pad-2"
	for _, test := range []struct {
		text  string
		tells bool
	}{
		{`[class^="pad"] {}`, true},
		{`[class^=pad]{}`, true},
		{`[class$='pad-2'] {}`, true},
		{`[class*=" pad-"] {}`, true},
		{`[class*="\20 pad-"] {}`, true},
		{`[class|="pad"] {}`, true},
		{`[CLASS = "pad-2 quay Ferry" i] {}`, true},
		{`[class$="ferry" i] {}`, true},
		{`find("[class^=\"pad\"]")`, true},
		{`find('[class=\'quay Ferry pad-2\']')`, true},
		{`[class*="pad-"] {}`, false},
		{`[class~="pad-2"] {}`, false},
		{`[class^="berth"] {}`, false},
		{`[class^=""] {}`, false},
		{`[classes^="pad"] {}`, false},
		{`[class] {}`, false},
		{`[id^="pad"] {}`, false},
	} {
		tells := false
		for _, s := range classSelectors(test.text) {
			tells = tells || s.tells(before, after)
		}
		if tells != test.tells {
			t.Errorf("%s: tells two orders apart: %v", test.text, tells)
		}
	}
}
