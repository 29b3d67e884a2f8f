package grammar

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

// beyond are values that the browser supports although no current specification
// has them, as pairs of property and value; "*" matches any.
var beyond = [][2]string{
	{"timeline-trigger", "*"}, // draft in progress
	{"speak", "*"},            // from CSS 2, where speech was specified separately
	{"mask", "top left 3px"},  // a position of three values, as before CSS Values 4
	{"overflow-anchor", "visible"}, {"resize", "auto"}, {"ruby-overhang", "none"},
}

// TestAcceptedValuesMatch tries every property in the browser with each
// value of the tables and each keyword of the definitions. Values that the
// browser accepts must match.
func TestAcceptedValuesMatch(t *testing.T) {
	pool := make(map[string]bool)
	for _, src := range fit {
		_, value := cut(src)
		pool[value] = true
	}
	for _, m := range misfit {
		_, value := cut(m.src)
		pool[value] = true
	}
	for _, v := range []string{"1", "0", "-1", "1.5", "2px", "-2px", "50%", "-5%", "90deg", "1s", "1fr", "2x", "'a'",
		"url(x)", "a", "--a", "red", "none", "auto", "normal",
		"1px 2px", "1px 2px 3px", "1 2", "a b", "a, b", "1px, 2px", "calc(1px + 2%)", "calc(1 * 2)", "1px / 2px", "1 / 2", "'a' 'b'", "none none", "auto auto", "red red"} {
		pool[v] = true
	}
	table := load()
	words := func(syntax string) {
		for _, w := range strings.FieldsFunc(syntax, func(r rune) bool { return strings.ContainsRune(" |[]?#*+!&,/", r) }) {
			if !strings.ContainsAny(w, "<>'(){}@:;∞") {
				pool[w] = true
			}
		}
	}
	for _, syntax := range table.properties {
		words(syntax)
	}
	for _, syntax := range table.types {
		words(syntax)
	}
	var list []string
	for v := range pool {
		list = append(list, v)
	}
	slices.Sort(list)
	names, _ := json.Marshal(Properties())
	encoded, _ := json.Marshal(list)
	var taken map[string][]int
	browsertest.Start(t).Open("about:blank").Eval(fmt.Sprintf(`((names, values) => Object.fromEntries(names.map(name =>
		[name, values.flatMap((v, i) => CSS.supports(name, v) ? [i] : [])])))(%s, %s)`, names, encoded), &taken)
	total := 0
	for _, name := range Properties() {
		d, _ := Property(name)
		for _, i := range taken[name] {
			total++
			v := list[i]
			parsed := values(t, v)
			if Open(parsed) {
				continue
			}
			if _, ok := d.Match(parsed); !ok && !slices.ContainsFunc(beyond, func(b [2]string) bool {
				return (b[0] == "*" || b[0] == name) && (b[1] == "*" || b[1] == v)
			}) {
				t.Errorf("%s: %s does not fit %s", name, v, d.Syntax())
			}
		}
	}
	if total < 10_000 {
		t.Errorf("the browser took only %d values: they prove nothing", total)
	}
	t.Logf("%d values of %d properties", total, len(taken))
}
