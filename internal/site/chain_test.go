package site_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/step"
)

// addSteps adds rows to the table of steps during a test.
func addSteps(t *testing.T, rows ...pipeline.Step) {
	before := pipeline.Steps
	pipeline.Steps = append(slices.Clip(before), rows...)
	t.Cleanup(func() { pipeline.Steps = before })
}

// seen records the kinds of units that a step ran on, with their content.
type seen struct {
	mu    sync.Mutex
	kinds map[step.Kind]int
}

// stamp returns a step that adds a rule to each unit, and a query to each media
// list.
func (s *seen) stamp(name string) pipeline.Step {
	run := func(_ context.Context, u *step.Unit) error {
		s.mu.Lock()
		s.kinds[u.Kind]++
		s.mu.Unlock()
		if u.Kind == step.Media {
			u.Queries = append(slices.Clip(u.Queries), ast.Value{Kind: token.Comma, Text: ","},
				ast.Value{Kind: token.Ident, Text: "print"})
			return nil
		}
		rule := &ast.StyleRule{Selectors: []ast.Selector{{{Kind: ast.TypeSelector, Name: name}}}}
		rule.Nodes = []ast.Node{&ast.Declaration{Name: "top", Value: []ast.Value{{Kind: token.Number, Text: "0"}}}}
		u.Nodes = append(slices.Clip(u.Nodes), rule)
		return nil
	}
	return pipeline.Step{Name: name, Takes: pipeline.CSS, Gives: pipeline.CSS, Changes: pipeline.Rules | pipeline.Queries,
		New: func(*pipeline.Settings) (step.Runner, error) { return step.RunnerFunc(run), nil }}
}

// TestAddedSteps checks that a row in the table suffices for a step to run on
// every kind of unit.
func TestAddedSteps(t *testing.T) {
	onSheet, onBundle := &seen{kinds: make(map[step.Kind]int)}, &seen{kinds: make(map[step.Kind]int)}
	first, second := onSheet.stamp("one"), onBundle.stamp("two")
	first.On, second.On = pipeline.OnSheet, pipeline.OnBundle
	addSteps(t, first, second)
	s := newSite(t, `
-- rinzel.toml --
source = "site"
[[chain]]
match = "**/*"
steps = ["compose", "one"]
[profile.stamped]
finish = ["two"]
-- site/index.html --
<!doctype html><link rel=stylesheet href=main.css><link rel=stylesheet media="(hover)" href=hover.css><style>.b { left: 0 }</style><p class="a b">
-- site/main.css --
@import "https://ferry.example/x.css" (width > 2px);
@import "part.css" (width > 1px);
.a { left: 0 }
-- site/part.css --
.c { left: 0 }
-- site/hover.css --
.d { left: 0 }
`)
	res, found := s.build(t, "stamped")
	if len(res.Outputs) == 0 {
		t.Fatal(found)
	}
	text := ""
	for _, o := range res.Outputs {
		text += contentOf(o)
	}
	for _, want := range []string{"one {", "two {", "@media (width > 1px),print",
		`@import "https://ferry.example/x.css" (width > 2px),print`, "(hover)"} {
		if !strings.Contains(strings.ReplaceAll(text, ", print", ",print"), want) {
			t.Errorf("the output lacks %q:\n%s", want, text)
		}
	}
	if !strings.Contains(text[strings.Index(text, "<style"):], "two {") {
		t.Errorf("the style element went through no finish:\n%s", text)
	}
	for _, kind := range []step.Kind{step.Sheet, step.Media} {
		if onSheet.kinds[kind] == 0 {
			t.Errorf("the step on sheets was not run over a %s", kind)
		}
	}
	for _, kind := range []step.Kind{step.Bundle, step.Element} {
		if onBundle.kinds[kind] == 0 {
			t.Errorf("the step on bundles was not run over a %s", kind)
		}
	}
	if onSheet.kinds[step.Media] < 3 {
		t.Errorf("the step on sheets saw %d media lists, want those of two imports and of a link", onSheet.kinds[step.Media])
	}
}

// TestFailingStep checks that the error of a step ends the build.
func TestFailingStep(t *testing.T) {
	failure := errors.New("the quay is closed")
	for _, stage := range []pipeline.Stage{pipeline.OnSheet, pipeline.OnBundle} {
		fail := func(context.Context, *step.Unit) error { return failure }
		addSteps(t, pipeline.Step{Name: "fail-" + string(stage), On: stage, Takes: pipeline.CSS, Gives: pipeline.CSS,
			New: func(*pipeline.Settings) (step.Runner, error) { return step.RunnerFunc(fail), nil }})
	}
	for _, settings := range []string{"[[chain]]\nmatch = \"**/*\"\nsteps = [\"fail-sheet\"]\n",
		"[profile.development]\nfinish = [\"fail-bundle\"]\n"} {
		s := newSite(t, "-- rinzel.toml --\nsource = \"site\"\n"+settings+"-- site/index.html --\n<!doctype html><link rel=stylesheet href=main.css><p class=a>\n-- site/main.css --\n.a { left: 0 }\n")
		p, diags, err := project.Open(project.Options{Settings: s.dir + "/rinzel.toml"})
		if err != nil || len(diags) > 0 {
			t.Fatal(err, diags)
		}
		t.Cleanup(func() { _ = p.Close() })
		if _, err := site.Build(t.Context(), p, site.Options{}); !errors.Is(err, failure) {
			t.Errorf("%s: the site gives %v", settings, err)
		}
		if _, err := site.Sheet(t.Context(), p, "main.css", "", site.Options{}); !errors.Is(err, failure) {
			t.Errorf("%s: the sheet gives %v", settings, err)
		}
	}
}

// TestExternalMediaIsLowered checks that the conditions of external imports go
// through the chain of the importing sheet.
func TestExternalMediaIsLowered(t *testing.T) {
	for steps, want := range map[string]string{`"compose", "lower"`: "(min-width: 600px)",
		`"compose"`: "(width >= 600px)"} {
		s := newSite(t, `
-- rinzel.toml --
source = "site"
[browsers]
floor = { chrome = "80" }
[[chain]]
match = "**/*"
steps = [`+steps+`]
-- site/index.html --
<!doctype html><link rel=stylesheet media="(width >= 600px)" href=main.css><p class=a>
-- site/main.css --
@import "https://ferry.example/x.css" (width >= 600px);
.a { left: 0 }
`)
		res, found := s.build(t, "development")
		if len(res.Outputs) == 0 {
			t.Fatal(found)
		}
		for _, o := range res.Outputs {
			if text, _, _ := strings.Cut(contentOf(o), "/*#"); strings.Count(text, want) != 1 {
				t.Errorf("steps %s: %s lacks %s:\n%s", steps, o.Path, want, text)
			}
		}
	}
}
