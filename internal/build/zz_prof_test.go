package build_test

import (
	"os"
	"testing"
)

func TestZZ(t *testing.T) {
	for _, h := range hostileCases() {
		if h.name == os.Getenv("SHAPE") {
			took, a := h.measure(t)
			t.Log(took, a>>20)
		}
	}
}
