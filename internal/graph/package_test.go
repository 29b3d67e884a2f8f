package graph

import (
	"path"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/source"
)

func TestPackages(t *testing.T) {
	near := fstest.MapFS{}
	file := func(fs fstest.MapFS, name, text string) { fs[name] = &fstest.MapFile{Data: []byte(text)} }
	file(near, "plain/package.json", `{}`)
	file(near, "plain/index.css", "")
	file(near, "plain/css/part.css", "")
	file(near, "styled/package.json", `{"style": "dist/all.css", "main": "index.js"}`)
	file(near, "styled/dist/all.css", "")
	file(near, "styled/index.css", "")
	file(near, "@quay/kit/package.json",
		`{"exports": {".": {"import": "./x.js", "style": "./kit.css"}, "./parts/*": {"style": ["none.css", "./dist/parts/*.css"]}, "./parts/deep/*": "./deep/*", "./theme": {"default": {"style": "./theme.css"}}}}`)
	file(near, "@quay/kit/kit.css", "")
	file(near, "@quay/kit/dist/parts/button.css", "")
	file(near, "@quay/kit/deep/x.css", "")
	file(near, "@quay/kit/theme.css", "")
	file(near, "@quay/kit/hidden.css", "")
	file(near, "direct/package.json", `{"exports": "./only.css"}`)
	file(near, "direct/only.css", "")
	file(near, "scripts/package.json", `{"exports": {"default": "./x.js"}, "main": "x.js"}`)
	file(near, "broken/package.json", `{"style": 5`)
	file(near, "broken/index.css", "")
	file(near, "leaving/package.json", `{"style": "../plain/index.css", "exports": {"./a": "../plain/index.css"}}`)
	far := fstest.MapFS{}
	file(far, "above/package.json", `{"style": "above.css"}`)
	file(far, "above/above.css", "")
	file(far, "plain/package.json", `{"style": "far.css"}`)
	file(far, "plain/far.css", "")
	tree := source.NewTree(source.Folder{FS: fstest.MapFS{}}, source.Folder{Name: "package", FS: near},
		source.Folder{Name: "package.1", FS: far})
	from := source.Path{Name: "css/x.css"}
	for address, want := range map[string]string{
		"package:plain": "package plain/index.css", "package:plain/css/part.css": "package plain/css/part.css", "package:plain/css/part": "package plain/css/part.css",
		"package:styled": "package styled/dist/all.css", "package:@quay/kit": "package @quay/kit/kit.css", "package:@quay/kit/parts/button": "package @quay/kit/dist/parts/button.css",
		"package:@quay/kit/parts/deep/x.css": "package @quay/kit/deep/x.css", "package:@quay/kit/theme": "package @quay/kit/theme.css", "package:@quay/kit/hidden.css": "package @quay/kit/hidden.css",
		"package:direct": "package direct/only.css", "package:broken": "package broken/index.css", "package:above": "package.1 above/above.css",
		"package:scripts": "package scripts/index.css", "package:none/x.css?v=1": "package none/x.css", "package:leaving": "package leaving/index.css", "package:leaving/a": "package leaving/a",
		"package:plain/../../x.css": "outside", "package:..": "outside", "package:": "outside", "package:/etc/x.css": "outside",
	} {
		got := Resolve(tree, from, "/", address)
		text := got.Path.Root + " " + got.Path.Name
		if got.Kind == Outside {
			text = "outside"
		}
		if text != want {
			t.Errorf("%s leads to %s, want %s", address, text, want)
		}
	}
	// Imports in a package are resolved as in any sheet.
	if got := Resolve(tree, source.Path{Root: "package", Name: "styled/dist/all.css"}, "/",
		"../index.css"); got.Path != (source.Path{Root: "package", Name: "styled/index.css"}) {
		t.Errorf("from within a package: %v", got)
	}
}

// FuzzPackage checks that the fields of a package never lead outside, and lead
// to a file if one of the tried names exists.
func FuzzPackage(f *testing.F) {
	f.Add(`{"exports": {".": {"style": "./kit.css"}, "./parts/*": ["./x.js", "./dist/*.css"]}}`, "package:kit/parts/a")
	f.Add(`{"style": "dist/a.css", "main": "../../x.css"}`, "package:kit")
	f.Add(`{"exports": {"./../*": "./../*"}}`, "package:kit/../other/x.css")
	f.Fuzz(func(t *testing.T, manifest, address string) {
		file := func(text string) *fstest.MapFile { return &fstest.MapFile{Data: []byte(text)} }
		packages := fstest.MapFS{"kit/package.json": file(manifest), "kit/kit.css": file(""), "kit/dist/a.css": file(""),
			"other/x.css": file(""), "x.css": file("")}
		tree := source.NewTree(source.Folder{FS: fstest.MapFS{}}, source.Folder{Name: "package", FS: packages})
		got := Resolve(tree, source.Path{Name: "a.css"}, "/", address)
		if got.Kind != Local || got.Path.Root != "package" {
			return
		}
		asked := strings.TrimPrefix(asURL(address), "package:")
		if i := strings.IndexAny(asked, "?#"); i >= 0 {
			asked = asked[:i]
		}
		if asked = PackageOf(path.Clean(asked)); tree.Exists(got.Path) && PackageOf(got.Path.Name) != asked {
			t.Errorf("%s leads to %s, want a file of %s", address, got.Path, asked)
		}
	})
}

// TestPackageModule checks which script of a package browsers load.
func TestPackageModule(t *testing.T) {
	for manifest, want := range map[string]string{
		`{"exports": {".": {"require": "./c.cjs", "import": "./m.js"}}, "main": "c.cjs"}`: "quay/m.js",
		`{"exports": {"import": {"browser": "./b.js", "default": "./m.js"}}}`:             "quay/b.js",
		`{"module": "m.js", "main": "c.cjs"}`:                                             "quay/m.js",
		`{"main": "c.cjs"}`:                                                               "quay/c.cjs",
		`{"main": "../../out.js"}`:                                                        "quay/index.js",
		`{}`:                                                                              "quay/index.js",
		`{"exports": {"./*": "./lib/*.js"}}`:                                              "quay/index.js",
	} {
		files := source.NewTree(source.Folder{Name: "package", FS: fstest.MapFS{
			"quay/package.json": {Data: []byte(manifest)}, "quay/m.js": {}, "quay/b.js": {}, "quay/c.cjs": {}, "quay/index.js": {},
			"quay/lib/deep.js": {}, "out.js": {}}})
		if got, ok := PackageModule(files, "quay"); got != want || !ok {
			t.Errorf("%s: got %q, want %q", manifest, got, want)
		}
	}
	files := source.NewTree(source.Folder{Name: "package", FS: fstest.MapFS{"@q/x/package.json": {Data: []byte(`{"exports": {"./*": "./lib/*.js"}}`)},
		"@q/x/lib/deep.js": {}, "@q/x/plain.js": {}}})
	for specifier, want := range map[string]string{"@q/x/deep": "@q/x/lib/deep.js", "@q/x/plain": "@q/x/plain.js", "@q/x": "", "none": ""} {
		if got, ok := PackageModule(files, specifier); got != want || ok != (want != "") {
			t.Errorf("%s: got %q, want %q", specifier, got, want)
		}
	}
}
