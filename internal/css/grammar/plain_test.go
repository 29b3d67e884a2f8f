package grammar

import (
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

// TestPlainly checks that the fast path only accepts what the full matcher
// accepts. It logs the share of matches that the fast path finds.
func TestPlainly(t *testing.T) {
	words := strings.Fields("none auto red #fff #12345 1px -1px 0 1 -1 1.5 50% 1s 90deg 2fr inherit solid bold center left url(a) \"b\" a " +
		"rgb(1,2,3) calc(1px) linear-gradient(red,blue) translate(1px) ease block flex 400 normal , /")
	texts := append([]string(nil), words...)
	const paired = 11 // pairs of words
	for _, a := range words[:paired] {
		for _, b := range words[:paired] {
			texts = append(texts, a+" "+b)
		}
	}
	texts = append(texts, "1px 2px 3px 4px", "1px 2px 3px 4px 5px", "1px solid red", "red solid 1px",
		"1px solid red blue", "0 1px 2px red, 0 0 red",
		"color 1s ease, top 2s", "red, blue", "a, b, c", "bold 12px/1.5 a, b", "1 1 0", "repeat(2, 1fr)", "")
	var values [][]ast.Value
	for _, text := range texts {
		list, _ := parse.Values(new(source.Set).Add(source.Path{}, "", text))
		values = append(values, ast.Significant(list))
	}
	table := load()
	found, fit := 0, 0
	for _, name := range Properties() {
		d, _ := Property(name)
		e := table.expr(d.name, everything[0], everything[1])
		if d.syntax == "" || e == nil {
			continue
		}
		for i, v := range values {
			fitting := fits(table, e, v, nil, &work{left: maxWork})
			if fitting {
				fit++
			}
			if table.plainly(e, v, 0) {
				if found++; !fitting {
					t.Errorf("%s: %s does not fit, and is found to", name, texts[i])
				}
			}
		}
	}
	if found*4 < fit {
		t.Errorf("of %d values that fit, %d are found at once", fit, found)
	}
}
