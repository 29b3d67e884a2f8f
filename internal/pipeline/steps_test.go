package pipeline

import (
	"fmt"
	"testing"
)

// TestStepOrder checks the table against its own constraints.
func TestStepOrder(t *testing.T) {
	for _, stage := range []Stage{OnSheet, OnBundle} {
		if p := Check(Names(stage), stage); len(p) > 0 {
			t.Errorf("%s: %v", stage, p)
		}
	}
	for _, s := range Steps {
		for _, o := range s.Before {
			if then, ok := Find(o.Then); !ok || then.On != s.On || o.Why == "" {
				t.Errorf("the order %v of %s is about no two steps of one stage", o, s.Name)
			}
		}
	}
	language := SheetLanguage
	for _, s := range Steps {
		if s.Takes != language {
			t.Errorf("%s takes %s, but gets %s", s.Name, s.Takes, language)
		}
		language = s.Gives
	}
}

func TestCheck(t *testing.T) {
	tests := []struct {
		names []string
		on    Stage
		want  string
	}{
		{nil, OnSheet, "[]"},
		{[]string{"prefix"}, OnSheet, "[]"},
		{[]string{"compsoe"}, OnSheet, `[{0 unknown step "compsoe" did you mean "compose"?}]`},
		{[]string{"shrink"}, OnBundle, `[{0 unknown step "shrink" the steps are purge, minify}]`},
		{[]string{"compose", "minify"}, OnSheet, `[{1 step "minify" works on a bundle, not on a sheet put it into finish}]`},
		{[]string{"lower"}, OnBundle, `[{0 step "lower" works on a sheet, not on a bundle put it into a chain}]`},
		{[]string{"lower", "compose"}, OnSheet, `[{1 step "compose" must come before "lower": a nested rule may contain a constant move "compose" before "lower"}]`},
		{[]string{"minify", "purge"}, OnBundle, `[{1 step "purge" must come before "minify": minifying rules that are then removed is wasted work move "purge" before "minify"}]`},
		{[]string{"minify", "minify"}, OnBundle, `[{1 step "minify" is listed twice remove it}]`},
	}
	for _, test := range tests {
		if got := fmt.Sprint(Check(test.names, test.on)); got != test.want {
			t.Errorf("%v on a %s\n got %s\nwant %s", test.names, test.on, got, test.want)
		}
	}
}
