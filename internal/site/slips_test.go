package site_test

import (
	"context"
	"fmt"
	"io/fs"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// TestPackageSlips checks the findings for package imports without a file.
func TestPackageSlips(t *testing.T) {
	const installed = `-- node_modules/gauge/package.json --
{"name": "gauge"}
-- node_modules/gauge/dist/gauge.css --
.gauge { color: red }
-- node_modules/gauge/dist/gauge-dark.css --
.gauge { color: red }
-- node_modules/@quay/dial/package.json --
{"name": "@quay/dial", "style": "dial.css"}
-- node_modules/@quay/dial/dial.css --
.dial { color: red }
`
	for _, c := range []struct{ address, message, fix string }{
		{"package:gague", `package "gague" is not installed`, `did you mean "package:gauge"?`},
		{"package:@quay/dail/dial.css", `package "@quay/dail" is not installed`, `did you mean "package:@quay/dial"?`},
		{"package:tide", `package "tide" is not installed`, `install the package`},
		{"package:gauge", `package "gauge" does not declare a main sheet`, `its sheets are: package:gauge/dist/gauge.css, package:gauge/dist/gauge-dark.css`},
		{"package:gauge/lib/main.css", `no such sheet: "`, `its sheets are: package:gauge/dist/gauge.css`},
		{"package:gauge/dist/gague.css", `no such sheet: "`, `did you mean "`},
		{"package:", `missing package name`, `write "package:name"`},
		{"gauge/dist/gauge.css", `no such sheet: "site/gauge/dist/gauge.css"`, `write "package:gauge/dist/gauge.css"`},
		{"~gauge/dist/gauge.css", `no such sheet: "site/~gauge/dist/gauge.css"`, `write "package:gauge/dist/gauge.css"`},
		{"node_modules/gauge/dist/gauge.css", `no such sheet`, `write "package:gauge/dist/gauge.css"`},
		{"../node_modules/gauge/dist/gauge.css", `leads outside its folder`, `write "package:gauge/dist/gauge.css"`},
		{"@quay/dial", `no such sheet: "site/@quay/dial"`, `write "package:@quay/dial"`},
	} {
		s := newSite(t, installed+"-- site/index.html --\n<!doctype html><link rel=stylesheet href=main.css><p>\n-- site/main.css --\n@import \""+c.address+"\";\n")
		_, found := s.build(t, project.Development)
		if strings.Count(found, "error:") != 1 || !strings.Contains(found, c.message) || !strings.Contains(found, c.fix) {
			t.Errorf("%s: no %q and %q in\n%s", c.address, c.message, c.fix, found)
		}
	}
	s := newSite(t, "-- site/index.html --\n<!doctype html><link rel=stylesheet href=main.css><p>\n-- site/main.css --\n@import \"package:gauge\";\n")
	if _, found := s.build(t, project.Development); !strings.Contains(found,
		`package "gauge" is not installed: no node_modules folder`) {
		t.Errorf("got %s", found)
	}
}

// TestPageSlips checks the findings for links that load nothing, unclosed URLs,
// pages without styles and unreferenced sheets.
func TestPageSlips(t *testing.T) {
	for _, c := range []struct{ page, want string }{
		{`<link rel="styleshet" href="main.css">`, `unknown link relation "styleshet"`},
		{`<link rel="style sheet" href="main.css">`, `unknown link relation "style sheet"`},
		{`<link rel=stylesheets href=main.css>`, `unknown link relation "stylesheets"`},
		{`<link href="main.css">`, `link without rel`},
		{`<link href="main.css?v=2">`, `link without rel`},
		{`<link rel="stylesheet" src="main.css">`, `write href="main.css"`},
		{`<link rel="stylesheet" href="main.css><p>`, `unclosed quote in the tag: browsers ignore the rest of the page`},
		{`<link rel=stylesheet href=main.css><p class="a"`, `unclosed tag`},
		{"<link rel=stylesheet href='main.css>\n<p class='a'>", `unclosed quote after the URL "main.css"`},
		{`<link rel=stylesheet href=main.css><img src="boat.png alt="" ><p>`, `boat.png alt=`},
		{`<link rel=stylesheet href=main.css><img src="boat.png><p class="a">`, `unclosed quote after the URL "boat.png"`},
		{`<link rel=stylesheet href=main.css><script src="boat.js></script><p class="a">`, `unclosed quote after the URL "boat.js"`},
		{`<template><link href="main.css"></template><link rel=stylesheet href=main.css>`, ""},
		{`<link rel=icon href=main.css><link rel=stylesheet href=main.css><link rel="alternate stylesheet" title=x href=main.css>`, ""},
		{`<link rel=style href=x><link rel=stylesheet href=main.css>`, ""},
		{`<link rel="modulepreload" href="x.js"><link rel=preload as=style href=main.css><link rel=stylesheet href=main.css>`, ""},
	} {
		s := newSite(t, "-- site/index.html --\n<!doctype html>"+c.page+"\n-- site/main.css --\np { color: red }\n-- site/x --\n\n-- site/x.js --\n\n")
		_, found := s.build(t, project.Development)
		if c.want == "" && strings.Contains(found, "[bad-link]") || !strings.Contains(found, c.want) {
			t.Errorf("%s: no %q in\n%s", c.page, c.want, found)
		}
	}
	s := newSite(t, `-- site/index.html --
<!doctype html><link rel=stylesheet href=main.css><p>
-- site/plain.html --
<!doctype html><p>
-- site/styled.html --
<!doctype html><style>p { color: red }</style><p>
-- site/far.html --
<!doctype html><link rel=stylesheet href=https://ferries.example/a.css><p>
-- site/main.css --
p { color: red }
-- site/old/old.css --
p { color: red }
-- site/old/old.txt --
p
-- site/quays --
quay.example
-- site/README.md --
-- site/package.json --
{}
-- site/old/package.json --
{}
`)
	res, _ := s.build(t, project.Development)
	if got := strings.Join(res.Unstyled, " "); !strings.HasSuffix(got, "plain.html") || strings.Contains(got, " ") {
		t.Errorf("unstyled are %q", got)
	}
	if got := fmt.Sprint(res.Unreached); got != "[old/old.css old/old.txt old/package.json quays]" {
		t.Errorf("unreached are %q", got)
	}
}

// caseless is a case-insensitive file system.
type caseless struct{ files fstest.MapFS }

func (c caseless) Open(name string) (fs.File, error) {
	for have := range c.files {
		for part := have; part != "."; part = part[:max(strings.LastIndexByte(part, '/'), 0)] {
			if strings.EqualFold(part, name) {
				return c.files.Open(part)
			}
			if !strings.Contains(part, "/") {
				break
			}
		}
	}
	return c.files.Open(name)
}

// TestOtherCase checks that names in the wrong case are reported, although the
// disk finds the files.
func TestOtherCase(t *testing.T) {
	files := fstest.MapFS{
		"index.html":    {Data: []byte(`<!doctype html><link rel=stylesheet href=Css/main.css><link rel=stylesheet href=css/good.css><p>`)},
		"css/main.css":  {Data: []byte(`@import "Part.css"; p { background: url(../img/SEA.svg), url(../img/boat.svg) }`)},
		"css/part.css":  {Data: []byte(`p { color: red }`)},
		"css/good.css":  {Data: []byte(`p { width: 1px }`)},
		"img/sea.svg":   {Data: []byte(`<svg/>`)},
		"img/boat.svg":  {Data: []byte(`<svg/>`)},
		"img/other.svg": {Data: []byte(`<svg/>`)},
	}
	p := &project.Project{Settings: project.Default(), Tree: source.NewTree(source.Folder{FS: caseless{files}})}
	res, err := site.Build(context.Background(), p, site.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, d := range res.Diagnostics {
		if d.Code != "wrong-case" {
			t.Errorf("got %s: %s", d.Code, d.Message)
		}
		got = append(got, d.Fix)
	}
	want := `write "css/part.css"; write "css/main.css"; write "img/sea.svg"`
	if strings.Join(got, "; ") != want {
		t.Errorf("got  %s\nwant %s", strings.Join(got, "; "), want)
	}
}
