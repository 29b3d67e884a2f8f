package pipeline

import (
	"fmt"
	"testing"
)

// TestStepOrder checks the table against its own constraints.
func TestStepOrder(t *testing.T) {
	for _, stage := range []Stage{OnSheet, OnBundle} {
		if p := Check(Names(stage), stage, nil); len(p) > 0 {
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
	own := []Step{
		{Name: "ink", On: OnSheet, Takes: "ink", Gives: SheetLanguage, Own: true},
		{Name: "tide", On: OnSheet, Takes: "tide", Gives: CSS, Own: true},
		{Name: "macros", On: OnSheet, Takes: SheetLanguage, Gives: SheetLanguage, Own: true},
		{Name: "flags", On: OnSheet, Takes: CSS, Gives: CSS, Own: true, Before: []Order{{"prefix", "the settings of the step say so"}}},
		{Name: "late", On: OnSheet, Takes: CSS, Gives: CSS, Own: true, After: []string{"prefix"}},
		{Name: "banner", On: OnBundle, Takes: CSS, Gives: CSS, Own: true, After: []string{"minify"}},
		{Name: "pictures", On: OnAsset, Own: true},
	}
	tests := []struct {
		names []string
		on    Stage
		want  string
	}{
		{nil, OnSheet, "[]"},
		{[]string{"prefix"}, OnSheet, "[]"},
		{[]string{"compsoe"}, OnSheet, `[{0 unknown step "compsoe" did you mean "compose"?}]`},
		{[]string{"shrink"}, OnBundle, `[{0 unknown step "shrink" the steps are purge, minify, banner}]`},
		{[]string{"compose", "minify"}, OnSheet, `[{1 step "minify" works on a bundle, not on a sheet put it into finish}]`},
		{[]string{"lower"}, OnBundle, `[{0 step "lower" works on a sheet, not on a bundle put it into a chain}]`},
		{[]string{"lower", "compose"}, OnSheet, `[{1 step "compose" must come before "lower": a nested rule may contain a constant move "compose" before "lower"}]`},
		{[]string{"minify", "purge"}, OnBundle, `[{1 step "purge" must come before "minify": minifying rules that are then removed is wasted work move "purge" before "minify"}]`},
		{[]string{"ink", "tide", "macros", "compose", "flags", "prefix", "late"}, OnSheet, "[]"},
		{[]string{"purge", "minify", "banner"}, OnBundle, "[]"},
		{[]string{"late"}, OnSheet, "[]"},
		{[]string{"flgas"}, OnSheet, `[{0 unknown step "flgas" did you mean "flags"?}]`},
		{[]string{"pictures"}, OnBundle, `[{0 step "pictures" works on an asset, not on a bundle set on = "bundle" in [step.pictures]}]`},
		{[]string{"prefix", "flags"}, OnSheet, `[{1 step "flags" must come before "prefix": the settings of the step say so move "flags" before "prefix"}]`},
		{[]string{"late", "prefix"}, OnSheet, `[{0 step "late" must come after "prefix": the settings of the step say so move "late" after "prefix"}]`},
		{[]string{"flags", "compose"}, OnSheet, `[{0 step "flags" takes CSS, but the text is CSS only after "compose" move "flags" after "compose", or set takes = "sheet" in [step.flags]}]`},
		{[]string{"flags", "macros"}, OnSheet, `[{0 step "flags" takes CSS, but the text is CSS only after "macros" move "flags" after "macros", or set takes = "sheet" in [step.flags]} {1 step "macros" takes sheets as they are written, but comes after "flags" move "macros" before "flags"}]`},
		{[]string{"compose", "ink"}, OnSheet, `[{1 step "ink" takes the language "ink", but comes after "compose" move "ink" before "compose"}]`},
		{[]string{"macros", "ink"}, OnSheet, `[{1 step "ink" takes the language "ink", but comes after "macros" move "ink" before "macros"}]`},
		{[]string{"compose", "macros"}, OnSheet, `[{1 step "macros" takes sheets as they are written, but comes after "compose" move "macros" before "compose"}]`},
		{[]string{"minify", "minify"}, OnBundle, `[{1 step "minify" is listed twice remove it}]`},
	}
	for _, test := range tests {
		if got := fmt.Sprint(Check(test.names, test.on, own)); got != test.want {
			t.Errorf("%v on a %s\n got %s\nwant %s", test.names, test.on, got, test.want)
		}
	}
}
