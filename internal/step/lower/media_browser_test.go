package lower

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/browsertest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// TestRangesInBrowser checks in a browser that queries with ranges match if and
// only if their lowered form does, with bounds near its own size. It also
// checks the part for browsers without ranges: it may only match if the query
// does, and must match unless the size equals the bound.
func TestRangesInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	var size struct{ Width, Height int }
	page.Eval(`({ width: innerWidth, height: innerHeight })`, &size)
	older := browsers.AtLeast(map[string]browsers.Version{"safari": 15004})
	type query struct{ Source, Lowered, Old string }
	var queries []query
	add := func(text string) {
		values, _ := parse.Values(new(source.Set).Add(source.Path{}, "", text))
		with, ok := Media(values, Options{Targets: older})
		if !ok {
			t.Errorf("%s was not lowered", text)
			return
		}
		written := print.Values(with)
		var old []string
		for _, part := range strings.Split(written, ", ") {
			if !strings.ContainsAny(part, "<>=") {
				old = append(old, part)
			}
		}
		queries = append(queries, query{text, written, strings.Join(old, ", ")})
	}
	for _, d := range []float64{-100, -1, -0.5, 0, 0.5, 1, 100} {
		for _, sign := range []string{"<", "<=", ">", ">=", "="} {
			width, height := fmt.Sprintf("%vpx", float64(size.Width)+d), fmt.Sprintf("%vrem", (float64(size.Height)+d)/16)
			add("(width " + sign + " " + width + ")")
			add("(" + height + " " + sign + " height)")
			add("screen and (width " + sign + " " + width + ") and (height " + sign + " " + height + ")")
			add("not all and (width " + sign + " " + width + ")")
			add("print, (height " + sign + " " + height + ")")
			if sign != "=" {
				add("(10px " + sign[:1] + " width " + sign + " " + width + ")")
			}
		}
	}
	list, err := json.Marshal(queries)
	if err != nil {
		t.Fatal(err)
	}
	var answers [][3]bool
	page.Eval(fmt.Sprintf(`(%s).map(q => [q.Source, q.Lowered, q.Old].map(text => matchMedia(text).matches))`, list),
		&answers)
	holding := 0
	for i, a := range answers {
		q := queries[i]
		if a[0] {
			holding++
		}
		if a[0] != a[1] || a[2] && !a[0] {
			t.Errorf("%s is %v; %s is %v; for older browsers %s is %v", q.Source, a[0], q.Lowered, a[1], q.Old, a[2])
		}
		if a[0] != a[2] && !strings.Contains(q.Source, "=") && !strings.HasPrefix(q.Source, "not") {
			t.Errorf("%s is %v, and for older browsers %s is %v", q.Source, a[0], q.Old, a[2])
		}
	}
	if holding < 50 || holding > len(answers)-50 {
		t.Errorf("%d of %d queries hold: they prove little", holding, len(answers))
	}
}
