package known_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
)

// units are dimensions and percentages of all kinds.
var units = []string{"px", "%", "s", "deg", "Hz", "dppx", "fr"}

// TestNumbersInBrowser checks that a browser accepts the numbers that the table
// allows: if it accepts a number, it must also accept a negative one and one
// with a fraction if the table allows those.
func TestNumbersInBrowser(t *testing.T) {
	names := slices.Concat(grammar.Properties(), grammar.Aliases())
	taken := supported(t, names)
	asked := 0
	for _, name := range names {
		v := known.Property(name)
		takes := func(value string) bool { return taken[name+": "+value] }
		must := func(if_, then string, may bool) {
			if takes(if_) && may {
				if asked++; !takes(then) {
					t.Errorf("%s: the browser takes %s, and not %s, which the table says may stand there: %+v", name, if_, then,
						v.Numbers)
				}
			}
		}
		for _, unit := range units {
			must("1"+unit, "-1"+unit, v.Negative && !v.Bounded)
		}
		must("1", "-1", v.Low <= -1)
		must("1", "1.5", v.Fractions && (v.High == 0 || v.High >= 1.5))
		must("1", "9000", v.High == 0 || v.High >= 9000)
	}
	if asked < 300 {
		t.Errorf("only %d questions were asked", asked)
	}
}

// supported returns which declarations a browser supports, for all properties
// with some numbers.
func supported(t *testing.T, names []string) map[string]bool {
	t.Helper()
	values := []string{"1", "-1", "1.5", "9000"}
	for _, unit := range units {
		values = append(values, "1"+unit, "-1"+unit)
	}
	var declarations [][2]string
	for _, name := range names {
		for _, value := range values {
			declarations = append(declarations, [2]string{name, value})
		}
	}
	list, err := json.Marshal(declarations)
	if err != nil {
		t.Fatal(err)
	}
	var taken []string
	page := browsertest.Start(t).Open("about:blank")
	page.Eval(fmt.Sprintf(`%s.filter(([p, v]) => CSS.supports(p, v)).map(([p, v]) => p + ": " + v)`, list), &taken)
	out := make(map[string]bool)
	for _, d := range taken {
		out[strings.TrimSpace(d)] = true
	}
	return out
}
