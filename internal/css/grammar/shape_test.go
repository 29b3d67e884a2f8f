package grammar

import (
	"maps"
	"math/rand/v2"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// TestLimits checks that the bounds of all ranges in definitions are among the
// limits that distinguish numbers in shapes.
func TestLimits(t *testing.T) {
	texts := []string{definitions}
	for _, c := range corrections {
		texts = append(texts, c)
	}
	ranges := 0
	for _, m := range regexp.MustCompile(`\[\s*(-?[0-9.∞]+)\s*,\s*(-?[0-9.∞]+)\s*\]`).FindAllStringSubmatch(strings.Join(texts, "\n"), -1) {
		ranges++
		for _, end := range m[1:] {
			if strings.HasSuffix(end, "∞") {
				continue
			}
			f, err := strconv.ParseFloat(end, 64)
			if _, ok := slices.BinarySearch(limits, f); err != nil || !ok {
				t.Errorf("%s of %s is not among the limits", end, m[0])
			}
		}
	}
	if ranges < 100 || !slices.IsSorted(limits) {
		t.Errorf("%d ranges, limits %v", ranges, limits)
	}
}

// TestShapes checks that results cached by shape equal those of matching.
func TestShapes(t *testing.T) {
	parts := []string{"0", "1", "-1", "2", "3", "4", "5", "0.5", "1.0", "1e0", "99", "100", "101", "999", "1000",
		"1001", "-0", "0px", "1px", "-1px", "1PX", "50%", "-5%", "1fr", "90deg", "2s", "-2s", "1dppx",
		"#fff", "#ffff", "#ff", "#ggg", "\"a\"", "url(a)", "auto", "none", "red", "inherit", "bold", "italic", "solid", "/", ",", "a", "--a",
		"calc(1px + 1%)", "calc(2 * 3)", "rgb(1 2 3)", "rgb(1, 2, 300)", "translate(1px)", "translate(1px, 2px)", "scale(2)", "scale(-2)", "cubic-bezier(0, 1, 1, 1)", "cubic-bezier(0, 1, 2, 1)",
		"repeat(2, 1fr)", "repeat(0, 1fr)", "minmax(0, 1fr)", "steps(1)", "steps(0)", "blur(2px)", "blur(-2px)"}
	names := slices.Sorted(maps.Keys(load().properties))
	r := rand.New(rand.NewPCG(1, 2))
	table := load()
	same, fit := 0, 0
	for range 20_000 {
		name := names[r.IntN(len(names))]
		text := parts[r.IntN(len(parts))]
		for range r.IntN(3) {
			text += " " + parts[r.IntN(len(parts))]
		}
		values := values(t, text)
		def := Definition{table, "<'" + name + "'>", table.properties[name]}
		_, remembered := def.Match(values)
		e := table.expr(def.name, everything[0], everything[1])
		want := e == nil || slices.Contains(wide, text) || fits(table, e, values, nil, &work{left: maxWork})
		if remembered != want {
			t.Errorf("%s: %s fits: %v, want %v", name, text, remembered, want)
		}
		if want {
			fit++
		}
		same++
	}
	if fit < same/100 {
		t.Errorf("only %d of %d values fit", fit, same)
	}
	if n := len(table.verdicts.valid); n == 0 || n > maxVerdicts {
		t.Errorf("%d shapes are remembered", n)
	}
}
