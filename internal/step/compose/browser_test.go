package compose

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

// mediaGenerator generates random media queries with custom media, and
// JavaScript expressions for when they match.
type mediaGenerator struct {
	*rand.Rand
	names   []string
	meaning map[string]string
}

// features are media features with bounds that match some windows.
var mediaFeatures = []string{"(min-width: 1px)", "(width > 9000px)", "(orientation: landscape)", "(hover)",
	"(monochrome)", "(prefers-color-scheme: dark)", "(color)"}

// term returns a feature or custom media, and when it matches.
func (g *mediaGenerator) term() (text, holds string) {
	if len(g.names) > 0 && g.IntN(3) > 0 {
		name := g.names[g.IntN(len(g.names))]
		return "(" + name + ")", g.meaning[name]
	}
	f := mediaFeatures[g.IntN(len(mediaFeatures))]
	return f, fmt.Sprintf("m(%q)", f)
}

// query returns a media query, and when it matches.
func (g *mediaGenerator) query() (text, holds string) {
	word, operator := "and", "&&"
	if g.IntN(3) == 0 {
		word, operator = "or", "||"
	}
	var texts, conditions []string
	for range 1 + g.IntN(3) {
		t, h := g.term()
		if g.IntN(4) == 0 && len(texts) == 0 {
			t, h = "(not "+t+")", "!("+h+")"
		}
		texts, conditions = append(texts, t), append(conditions, "("+h+")")
	}
	text, holds = strings.Join(texts, " "+word+" "), strings.Join(conditions, " "+operator+" ")
	if word == "and" && g.IntN(2) == 0 {
		kind := []string{"screen", "print", "all"}[g.IntN(3)]
		text, holds = kind+" and "+text, fmt.Sprintf("m(%q) && %s", kind, holds)
		if g.IntN(3) == 0 {
			text, holds = "not "+text, "!("+holds+")"
		}
	}
	return text, holds
}

// list returns a list of media queries, and when it matches.
func (g *mediaGenerator) list() (text, holds string) {
	var texts, conditions []string
	for range 1 + g.IntN(2) {
		t, h := g.query()
		texts, conditions = append(texts, t), append(conditions, "("+h+")")
	}
	return strings.Join(texts, ", "), strings.Join(conditions, " || ")
}

// TestCustomMediaInBrowser checks in a browser that expanded queries with
// custom media match if and only if their parts do.
func TestCustomMediaInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	type check struct{ Source, Query, Holds string }
	var checks []check
	r := rand.New(rand.NewPCG(3, 4))
	for range 400 {
		g := &mediaGenerator{Rand: r, meaning: make(map[string]string)}
		var sheet strings.Builder
		for i := range 1 + g.IntN(3) {
			name := fmt.Sprintf("--m%d", i)
			text, holds := g.list()
			fmt.Fprintf(&sheet, "@custom-media %s %s; ", name, text)
			g.names, g.meaning[name] = append(g.names, name), holds
		}
		text, holds := g.list()
		if !strings.Contains(text, "(--m") {
			continue
		}
		out, diags := composed(sheet.String() + "@media " + text + " { a { b: c } }")
		if len(diags) > 0 {
			t.Fatalf("%s@media %s: %v", sheet.String(), text, diags)
		}
		query, _, _ := strings.Cut(strings.TrimPrefix(out, "@media"), "{")
		checks = append(checks, check{sheet.String() + "@media " + text, strings.TrimSpace(query), holds})
	}
	list, err := json.Marshal(checks)
	if err != nil {
		t.Fatal(err)
	}
	var answers [][2]bool
	page.Eval(fmt.Sprintf(`(checks => {
		const m = text => matchMedia(text).matches;
		return checks.map(c => [m(c.Query), Function("m", "return " + c.Holds)(m)]);
	})(%s)`, list), &answers)
	holding := 0
	for i, a := range answers {
		if a[1] {
			holding++
		}
		if a[0] != a[1] {
			t.Errorf("%s\nbecame %s\nwhich is %v, want %v", checks[i].Source, checks[i].Query, a[0], a[1])
		}
	}
	if len(answers) < 200 || holding < 40 || holding > len(answers)-40 {
		t.Errorf("%d of %d queries hold: they prove little", holding, len(answers))
	}
}
