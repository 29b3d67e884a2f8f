package graph

import (
	"testing"
	"testing/fstest"

	"rinzel/internal/source"
)

func modulesOf(base string) *Modules {
	tree := source.NewTree(source.Folder{FS: fstest.MapFS{}}, source.Folder{Name: "kit", FS: fstest.MapFS{}})
	return &Modules{Files: tree, Base: base}
}

// TestImportMaps resolves specifiers as in HTML, section 8.1.5.2.
func TestImportMaps(t *testing.T) {
	const text = `{
		"imports": {
			"boats": "./js/boats.js", "boats/": "./js/boats/", "boats/petrel/": "/far/petrel/", "tide": "https://quay.example/tide.js", "none": null, "bad/": "./no-slash",
			"./js/old.js": "./js/new.js", "https://quay.example/a.js": "./js/a.js", "named": "kit-like", "up": "../outside.js"
		},
		"scopes": {
			"./islands/": { "boats": "./js/island-boats.js" },
			"./islands/far/": { "boats": "./js/far-boats.js" },
			"./one.js": { "boats": "./js/one-boats.js" }
		}
	}`
	for _, base := range []string{"/", "/harbour/"} {
		m := modulesOf(base)
		if err := m.AddMap(text, source.Path{Name: "pages/index.html"}); err != nil {
			t.Fatal(err)
		}
		if err := m.AddMap(`{"imports": {"boats": "./late.js", "more": "./js/more.js"}}`,
			source.Path{Name: "index.html"}); err != nil {
			t.Fatal(err)
		}
		for _, test := range []struct{ from, specifier, want string }{
			{"main.js", "boats", "pages/js/boats.js"},
			{"main.js", "boats/tern.js?x#y", "pages/js/boats/tern.js?x#y"},
			{"main.js", "boats/petrel/a.js", "far/petrel/a.js"},
			{"main.js", "boats/../../up.js", "bare"},
			{"main.js", "tide", "external"},
			{"main.js", "none", "bare"}, {"main.js", "bad/x.js", "bare"}, {"main.js", "named", "bare"}, {"main.js", "unknown", "bare"}, {"main.js", "more", "js/more.js"},
			{"pages/main.js", "./js/old.js", "pages/js/new.js"},
			{"pages/js/main.js", "./old.js", "pages/js/new.js"},
			{"main.js", "https://quay.example/a.js", "pages/js/a.js"},
			{"main.js", "https://quay.example/b.js", "external"},
			{"pages/islands/main.js", "boats", "pages/js/island-boats.js"},
			{"pages/islands/far/main.js", "boats", "pages/js/far-boats.js"},
			{"pages/one.js", "boats", "pages/js/one-boats.js"},
			{"pages/one.jsx", "boats", "pages/js/boats.js"},
			{"pages/islands/main.js", "./here.js", "pages/islands/here.js"},
			{"main.js", "/top.js", "top.js"},
			{"main.js", "kit:a.css", "kit:a.css"},
			{"main.js", "up", "outside.js"},
		} {
			target, bare := m.Resolve(source.Path{Name: test.from}, test.specifier)
			got := target.Path.String() + target.Tail
			switch {
			case bare:
				got = "bare"
			case target.Kind == External:
				got = "external"
			}
			want := test.want
			if base != "/" && test.want == "far/petrel/a.js" { // relative to the root of the host
				continue
			}
			if got != want {
				t.Errorf("base %s, %s in %s: got %s, want %s", base, test.specifier, test.from, got, want)
			}
		}
	}
	for _, wrong := range []string{"", "[]", `{"imports": []}`, `{"scopes": {"x": 1}}`, "{"} {
		if modulesOf("/").AddMap(wrong, source.Path{Name: "index.html"}) == nil {
			t.Errorf("%q is read as an import map", wrong)
		}
	}
}

func FuzzImportMap(f *testing.F) {
	f.Add(`{"imports": {"a/": "./b/"}, "scopes": {"./c/": {"a": "./d.js"}}}`, "a/x.js", "c/m.js")
	f.Add(`{"imports": {"": "x", "%": "%", "a:b": "site://here/"}}`, "a:b", "é\x00%zz")
	f.Fuzz(func(t *testing.T, text, specifier, from string) {
		m := modulesOf("/harbour/")
		if m.AddMap(text, source.Path{Name: "index.html"}) != nil {
			return
		}
		target, bare := m.Resolve(source.Path{Name: from}, specifier)
		if again, alsoBare := m.Resolve(source.Path{Name: from}, specifier); again != target || bare != alsoBare {
			t.Fatalf("%v and %v", target, again)
		}
	})
}
