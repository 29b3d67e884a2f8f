package site_test

import (
	"fmt"
	"path"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/trace"
)

// builtOnce returns the bundle of a first build, which is the source of a second
// one, and its map.
func builtOnce(t *testing.T) (css, mapped string) {
	t.Helper()
	p := openTree(t, fstest.MapFS{
		"rinzel.toml":    {Data: []byte("source = \"src\"\n")},
		"src/index.html": {Data: []byte("<!doctype html><link rel=stylesheet href=css/harbour.css><p class=\"quay pier\">")},
		"src/css/harbour.css": {Data: []byte("@import \"pier.css\";\n@const depth: 4px;\n\n.quay {\n  top: const(depth);\n" +
			"  &:hover {\n    user-select: none;\n  }\n}\n")},
		"src/css/pier.css": {Data: []byte("/* Ünter */\n.pier {\n  left: 1px;\n\n  order: 2;\n}\n")},
	})
	res, err := site.Build(t.Context(), p, site.Options{Profile: project.Production})
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range res.Outputs {
		switch o.Kind {
		case emit.StyleKind:
			css, _, _ = strings.Cut(string(o.Data), "/*#")
		case emit.MapKind:
			mapped = string(o.Data)
		}
	}
	return css, mapped
}

// TestInputMaps checks that the map of a bundle leads through the map of a sheet
// to its first sources, wherever that map is.
func TestInputMaps(t *testing.T) {
	css, mapped := builtOnce(t)
	for name, files := range map[string]fstest.MapFS{
		"beside": {"vendor/lib.css": {Data: []byte(css + "/*# sourceMappingURL=maps/lib.map */\n")},
			"vendor/maps/lib.map": {Data: []byte(mapped)}},
		"inline": {"vendor/lib.css": {Data: []byte(css + "/*# sourceMappingURL=" + sourcemap.DataURL([]byte(mapped)) + " */\n")}},
	} {
		files["rinzel.toml"] = &fstest.MapFile{}
		files["index.html"] = &fstest.MapFile{Data: []byte("<!doctype html><link rel=stylesheet href=main.css><p class=\"quay pier own\">")}
		files["main.css"] = &fstest.MapFile{Data: []byte("@import \"vendor/lib.css\";\n.own {\n  top: 1px;\n}\n")}
		p := openTree(t, files)
		tracer, errs, err := trace.New(t.Context(), p, project.Production)
		if err != nil || len(errs) > 0 {
			t.Fatal(err, errs)
		}
		at := trace.Place{File: p.Tree.Show(source.Path{Name: "vendor/lib.css"}), Line: 1, Column: strings.Index(css, "left") + 1}
		if found, err := tracer.Find(at); err != nil || !strings.HasSuffix(found.Origin.File, "css/pier.css") ||
			found.Origin.Line != 3 {
			t.Errorf("%s: traced to %+v, %v", name, found, err)
		}
		for _, profile := range []string{project.Production, project.Development} {
			res, err := site.Build(t.Context(), p, site.Options{Profile: profile})
			if err != nil || diag.HasErrors(res.Diagnostics) {
				t.Fatal(err, res.Diagnostics)
			}
			var out, m string
			for _, o := range res.Outputs {
				switch o.Kind {
				case emit.StyleKind:
					out = string(o.Data)
				case emit.MapKind:
					m = string(o.Data)
				}
			}
			read, err := sourcemap.Read([]byte(m))
			if err != nil {
				t.Fatal(err)
			}
			for declared, want := range map[string]string{"left": "css/pier.css:3", "order": "css/pier.css:5", "top:4px": "css/harbour.css:5",
				"-webkit-user-select": "css/harbour.css:7", "user-select": "css/harbour.css:7", "top:1px": "main.css:3"} {
				if got := leadsTo(read, out, declared); !strings.HasSuffix(got, want) {
					t.Errorf("%s, %s: %s leads to %q, want %s", name, profile, declared, got, want)
				}
			}
			for _, s := range read.Sources {
				if strings.HasSuffix(s.URL, "lib.css") || s.Content == "" {
					t.Errorf("%s, %s: the map has the source %q with %d bytes", name, profile, s.URL, len(s.Content))
				}
			}
		}
	}
}

// leadsTo returns where a map leads from a declaration: "source:line".
func leadsTo(m *sourcemap.Map, out, declaration string) string {
	compact := strings.ReplaceAll(out, ": ", ":")
	for n, line := range strings.Split(compact, "\n") {
		at := strings.Index(line, declaration)
		for at > 0 && strings.ContainsAny(line[at-1:at], "-abcdefghijklmnopqrstuvwxyz") {
			next := strings.Index(line[at+1:], declaration)
			if next < 0 {
				at = -1
				break
			}
			at += 1 + next
		}
		if at < 0 {
			continue
		}
		// columns in the text with spaces after colons
		spaced := strings.Split(out, "\n")[n]
		column := at
		if spaced != line {
			column = len(spaced) - len(strings.TrimLeft(spaced, " "))
		}
		if found, ok := m.Find(n, len([]rune(spaced[:column]))); ok {
			return fmt.Sprintf("%s:%d", path.Clean(m.Sources[found.Source].URL), found.SourceLine+1)
		}
	}
	return ""
}

// TestBrokenInputMaps checks that an invalid map is reported and left out, and
// that a missing one is no mistake of a library.
func TestBrokenInputMaps(t *testing.T) {
	for _, test := range []struct{ address, file, want string }{
		{"lib.map", "ferry", "warning unreadable-map"},
		{"lib.map", `{"version":3,"sources":["a"],"mappings":"!"}`, "warning unreadable-map"},
		{"lib.map", `{"version":3,"sources":["a"],"mappings":"AACA","names":[]}`, ""},
		{"lib.map", `{"version":3,"sources":["https://example.com/a.ink"],"mappings":"AAAA","names":[]}`, ""},
		{"lib.map", `{"version":3,"sections":[{"offset":{"line":0,"column":0},"map":{"version":3,"sources":["a"],"mappings":"AAAA","names":[]}}]}`, ""},
		{"none.map", "", "note unreadable-map"},
		{"data:application/json;base64,AAAA", "", "warning unreadable-map"},
		{"https://example.com/lib.map", "", ""},
		{"../../../outside.map", "", ""}, // never read
	} {
		p := openTree(t, fstest.MapFS{"rinzel.toml": {},
			"index.html": {Data: []byte("<!doctype html><link rel=stylesheet href=lib.css><p class=quay>")},
			"lib.css":    {Data: []byte(".quay { top: 0 }\n/*# sourceMappingURL=" + test.address + " */")},
			"lib.map":    {Data: []byte(test.file)},
		})
		res, err := site.Build(t.Context(), p, site.Options{})
		if err != nil || diag.HasErrors(res.Diagnostics) {
			t.Fatal(err, res.Diagnostics)
		}
		var got []string
		for _, d := range res.Diagnostics {
			got = append(got, fmt.Sprint(d.Severity, " ", d.Code))
		}
		if strings.Join(got, ", ") != test.want {
			t.Errorf("%s %s: findings %q, want %q", test.address, test.file, got, test.want)
		}
		for _, o := range res.Outputs {
			if o.Kind != emit.MapKind {
				continue
			}
			m, err := sourcemap.Read(o.Data)
			if err != nil || len(m.Sources) != 1 {
				t.Fatal(err, m)
			}
			leads := path.Base(m.Sources[0].URL)
			if isOwn := leads == "lib.css"; isOwn != (test.want != "" || strings.HasPrefix(test.address, "https:") ||
				strings.HasPrefix(test.address, "..")) {
				t.Errorf("%s %s: the map leads to %s", test.address, test.file, m.Sources[0].URL)
			}
			if strings.Contains(test.file, "example.com") && m.Sources[0].URL != "https://example.com/a.ink" {
				t.Errorf("the URL of a source is changed: %s", m.Sources[0].URL)
			}
		}
	}
}
