package project

import (
	"slices"
	"strings"
	"testing"

	"rinzel/internal/pipeline"
	"rinzel/internal/source"
)

// TestComponents checks which files are components, and which steps work on them.
func TestComponents(t *testing.T) {
	s, diags, _ := read(`[roots]
kit = "kit"
[components]
match = ["parts/**", "kit:*.card"]
[step.quiet]
on = "script"
run = ["a"]
[step.card]
on = "script"
takes = ".card"
run = ["a"]
profiles = ["production"]
`)
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	for _, test := range []struct {
		path  source.Path
		want  bool
		steps string // in production
	}{
		{source.Path{Name: "parts/a.card"}, true, "card quiet"},
		{source.Path{Name: "parts/deep/a.CARD"}, true, "card quiet"},
		{source.Path{Name: "parts/a.board"}, true, ""}, // nothing compiles it
		{source.Path{Name: "parts/a.css"}, false, "quiet"},
		{source.Path{Name: "parts/a.js"}, false, "quiet"},
		{source.Path{Name: "a.card"}, false, "card quiet"},
		{source.Path{Root: "kit", Name: "a.card"}, true, "card quiet"},
	} {
		if got := s.IsComponent(test.path); got != test.want {
			t.Errorf("%s is a component: %v", test.path, got)
		}
		var names []string
		for _, o := range s.OutputSteps(pipeline.OnScript, test.path, Production) {
			names = append(names, o.Name)
		}
		if got := strings.Join(names, " "); got != test.steps {
			t.Errorf("the steps on %s are %q, want %q", test.path, got, test.steps)
		}
		if test.path.Name == "parts/a.card" && len(s.OutputSteps(pipeline.OnScript, test.path, Development)) > 0 {
			t.Error("steps run on a component that nothing compiles in the profile")
		}
	}
}

// TestBadComponents checks the findings about settings of components.
func TestBadComponents(t *testing.T) {
	const sheetStep = "[step.card]\non = \"sheet\"\ntakes = \"card\"\nrun = [\"a\"]\n"
	for _, test := range []struct{ settings, want string }{
		{"[components]\nmatch = [\"**/*.css\"]", `files with the extension "css" are no components`},
		{"[components]\nmatch = [\"[a\"]", `invalid glob "[a"`},
		{"[components]\nmatch = [\"*.card\"]\n" + sheetStep, `a step reads files with the extension "card" as sheets`},
		{"[step.card]\non = \"script\"\ntakes = \"card\"\nrun = [\"a\"]", `step "card" compiles components, but there are none`},
		{"[components]\nmatch = [\"*.card\"]\n[step.card]\non = \"script\"\ntakes = \"css\"\nrun = [\"a\"]", `a step on scripts cannot take "css"`},
		{"[components]\nmatch = [\"*.card\"]\n[step.card]\non = \"page\"\ntakes = \"card\"\nrun = [\"a\"]", "only steps on sheets and scripts take a language"},
	} {
		_, diags, _ := read(test.settings)
		var got []string
		for _, d := range diags {
			got = append(got, d.Message)
		}
		if !slices.ContainsFunc(got, func(m string) bool { return strings.Contains(m, test.want) }) {
			t.Errorf("%s\nhas the findings %q, want %q", test.settings, got, test.want)
		}
	}
}
