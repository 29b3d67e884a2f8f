package serve

import (
	"testing"

	"rinzel/internal/emit"
)

// TestSameCode checks which changes of scripts need no update of pages.
func TestSameCode(t *testing.T) {
	const mapped = "a();\n//# sourceMappingURL=data:application/json,1\n"
	for _, test := range []struct {
		kind     emit.Kind
		old, now string
		want     bool
	}{
		{emit.ScriptKind, mapped, "a();\n//# sourceMappingURL=data:application/json,2\n", true},
		{emit.ScriptKind, mapped, "b();\n//# sourceMappingURL=data:application/json,1\n", false},
		{emit.ScriptKind, mapped, "a();", false},
		{emit.ScriptKind, "a();", "b();", false},
		{emit.StyleKind, mapped, "a();\n//# sourceMappingURL=data:application/json,2\n", false},
	} {
		of := func(text string) *file { return &file{Output: emit.Output{Kind: test.kind, Data: []byte(text)}} }
		if got := sameCode(of(test.old), of(test.now)); got != test.want {
			t.Errorf("%q and %q have the same code: %v", test.old, test.now, got)
		}
	}
}
