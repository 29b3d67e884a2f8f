package serve

import "testing"

// TestVersioned checks which URLs of a sheet get a version.
func TestVersioned(t *testing.T) {
	n := &Snapshot{versions: map[string]string{"/img/a.svg": "V", "/img/é b.svg": "W"}}
	for css, want := range map[string]string{
		"a { b: url(../img/a.svg) }":                  "a { b: url(../img/a.svg?rinzel=V) }",
		"a { b: url( /img/a.svg ) }":                  "a { b: url( /img/a.svg?rinzel=V ) }",
		"a { b: url(\"../img/a.svg\") }":              "a { b: url(\"../img/a.svg?rinzel=V\") }",
		"a { b: image-set('../img/a.svg' 1x) }":       "a { b: image-set('../img/a.svg?rinzel=V' 1x) }",
		"a { b: url(../img/a.svg?v=1) }":              "a { b: url(../img/a.svg?v=1&rinzel=V) }",
		"a { b: url(../img/a.svg#part) }":             "a { b: url(../img/a.svg?rinzel=V#part) }",
		"a { b: url('../img/a.svg?v=1#part') }":       "a { b: url('../img/a.svg?v=1&rinzel=V#part') }",
		"a { b: url(../img/%C3%A9%20b.svg) }":         "a { b: url(../img/%C3%A9%20b.svg?rinzel=W) }",
		"a { b: url(../img/\\61.svg) }":               "a { b: url(../img/\\61.svg?rinzel=V) }",
		"a { b: url(../img/b.svg) }":                  "a { b: url(../img/b.svg) }",
		"a { b: url(//other.test/img/a.svg) }":        "a { b: url(//other.test/img/a.svg) }",
		"/* url(../img/a.svg) */ a { b: url(data:x)}": "/* url(../img/a.svg) */ a { b: url(data:x)}",
	} {
		if got, changed := n.versioned("/css/site.css", css); got != want || changed != (css != want) {
			t.Errorf("%s: %s, %v", css, got, changed)
		}
	}
	if got, changed := new(Snapshot).versioned("/a.css", "a"); got != "a" || changed {
		t.Errorf("%s, %v", got, changed)
	}
}
