package value

import (
	"slices"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// FuzzFold checks that folded values can be parsed, and that folding is
// idempotent.
func FuzzFold(f *testing.F) {
	for _, test := range folds {
		f.Add(test.source)
	}
	for _, source := range colorSamples()[:40] {
		f.Add(source)
	}
	for _, source := range colorSamples()[1100:1160] {
		f.Add(source)
	}
	f.Fuzz(func(t *testing.T, text string) {
		values, diags := parse.Values(new(source.Set).Add(source.Path{}, "", text))
		if len(diags) > 0 {
			return
		}
		for i := range values {
			if holdsBad(values[i : i+1]) {
				continue // invalid in every declaration
			}
			for _, at := range []Context{{}, Anywhere} {
				if with, ok, err := Fold(&values[i], at); ok && err == nil {
					again(t, text, &with, func(v *ast.Value) (ast.Value, bool) { out, ok, _ := Fold(v, at); return out, ok })
				}
			}
			if with, ok := FoldColor(&values[i]); ok {
				again(t, text, &with, FoldColor)
			}
			if with, ok := Shortest(&values[i], false); ok {
				again(t, text, &with, func(v *ast.Value) (ast.Value, bool) { return Shortest(v, false) })
			}
		}
	})
}

func holdsBad(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		return v.Kind == token.BadString || v.Kind == token.BadURL || holdsBad(v.Values())
	})
}

// again folds a printed value again and requires the same text.
func again(t *testing.T, text string, v *ast.Value, fold func(*ast.Value) (ast.Value, bool)) {
	for _, printed := range []string{print.Values([]ast.Value{*v}), compact(v)} {
		values, diags := parse.Values(new(source.Set).Add(source.Path{}, "", printed))
		if len(diags) > 0 || len(values) != 1 {
			t.Fatalf("%q became %q: %d values, %v", text, printed, len(values), diags)
		}
		if with, ok := fold(&values[0]); ok && compact(&with) != compact(v) {
			t.Fatalf("%q became %q, and then %q", text, printed, compact(&with))
		}
	}
}
