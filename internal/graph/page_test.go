package graph

import (
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/source"
)

func readPage(html string) *Page {
	return ReadPage(new(source.Set).Add(source.Path{Name: "p.html"}, "p.html", html))
}

// groupsOf formats the groups as "a b(print) | c".
func groupsOf(p *Page) string {
	var groups []string
	for _, g := range p.Groups {
		var links []string
		for _, l := range g.Links {
			s := l.Href.Address
			if l.Media != "" {
				s += "(" + l.Media + ")"
			}
			links = append(links, s)
		}
		groups = append(groups, strings.Join(links, " "))
	}
	return strings.Join(groups, " | ")
}

func TestLinks(t *testing.T) {
	tests := []struct{ name, html, want string }{
		{"in order", `<link rel=stylesheet href=a><link rel=stylesheet href=b>`, "a b"},
		{"media", `<link rel=stylesheet href=a media=print><link rel=stylesheet href=b media=" ALL ">`, "a(print) b"},
		{"attributes in any form", `<LINK HREF = 'a' rEl="  StyleSheet " ><link rel="stylesheet"href=b/>`, "a b/"},
		{"character references", `<link rel=stylesheet href="a&amp;b.css">`, "a&b.css"},
		{"other relations", `<link rel=icon href=a><link rel=preload href=b><link href=c><link rel=stylesheet>`, ""},
		{"other languages", `<link rel=stylesheet type=text/x href=a><link rel=stylesheet type="Text/CSS" href=b>`, "b"},
		{"a style block parts", `<link rel=stylesheet href=a><style>x{}</style><link rel=stylesheet href=b>`, "a | b"},
		{"special links stand alone", `<link rel=stylesheet href=a><link rel=stylesheet href=b id=x><link rel=stylesheet href=c><link rel="alternate stylesheet" href=d>`, "a | b | c | d"},
		{"without scripts", `<link rel=stylesheet href=a><noscript><link rel=stylesheet href=b></noscript><link rel=stylesheet href=c>`, "a | b | c"},
		{"inert", `<template><link rel=stylesheet href=a></template><!-- <link rel=stylesheet href=b> --><script>"<link rel=stylesheet href=c>"</script><textarea><link rel=stylesheet href=d></textarea>`, ""},
		{"twice the same attribute", `<link rel=stylesheet href=a href=b>`, "a"},
		{"cut short", `<link rel=stylesheet href=a><link rel=stylesheet href="b`, "a"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			if got := groupsOf(readPage(test.html)); got != test.want {
				t.Errorf("%s\n got %s\nwant %s", test.html, got, test.want)
			}
		})
	}
}

func TestPointAtSeveral(t *testing.T) {
	for _, test := range []struct{ html, want string }{
		{"<head>\n  <link rel=stylesheet href=a.css media=print>\n  <link rel=stylesheet href=b.css media=print>\n</head>",
			"<head>\n  <link rel=stylesheet href=x.css media=print>\n  <link rel=stylesheet href=y.css media=print>\n  \n</head>"},
		{"<title>x</title><link href='a.css' integrity=z rel=stylesheet>", "<title>x</title><link href='x.css'  rel=stylesheet><link href='y.css'  rel=stylesheet>"},
		{"<p>\r\n\t<link rel=stylesheet href=a.css>", "<p>\r\n\t<link rel=stylesheet href=x.css>\r\n\t<link rel=stylesheet href=y.css>"},
	} {
		p := readPage(test.html)
		if got := Apply(test.html,
			p.Groups[0].Point(p, []LinkTarget{{Address: "x.css"}, {Address: "y.css"}})); got != test.want {
			t.Errorf("%q\n got %q\nwant %q", test.html, got, test.want)
		}
		if got := Apply(test.html,
			p.Groups[0].Point(p, []LinkTarget{{Address: "x.css", Integrity: "sha384-x="}})); strings.Count(got,
			` integrity="sha384-x="`) != 1 {
			t.Errorf("%q: with a hash %q", test.html, got)
		}
		if got := Apply(test.html, p.Groups[0].Point(p, []LinkTarget{{Style: "a{}"}})); !strings.Contains(got,
			"<style>a{}</style>") && !strings.Contains(got, "<style media=print>a{}</style>") || strings.Contains(got, "<link") {
			t.Errorf("%q: with a sheet %q", test.html, got)
		}
		if got := Apply(test.html, p.Groups[0].Point(p, nil)); strings.Contains(got, "link") {
			t.Errorf("%q: without an address %q", test.html, got)
		}
	}
}

func TestPoint(t *testing.T) {
	tests := []struct{ name, html, want string }{
		{"one", `<p><link rel="stylesheet" href="a.css">x`, `<p><link rel="stylesheet" href="new&amp;.css">x`},
		{"several", "<link rel=stylesheet href=a>\n <link rel=stylesheet href=b>\n", "<link rel=stylesheet href=new&amp;.css>\n \n"},
		{"shared media stay", `<link rel=stylesheet href=a media=print><link rel=stylesheet href=b media=print>`, `<link rel=stylesheet href=new&amp;.css media=print>`},
		{"other media go into the sheet", `<link rel=stylesheet href=a media="print" ><link rel=stylesheet href=b>`, `<link rel=stylesheet href=new&amp;.css  >`},
		{"an old hash goes", `<link rel=stylesheet integrity=x href=a>`, `<link rel=stylesheet  href=new&amp;.css>`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			p := readPage(test.html)
			if got := Apply(test.html, p.Groups[0].Point(p, []LinkTarget{{Address: "new&.css"}})); got != test.want {
				t.Errorf("got  %q\nwant %q", got, test.want)
			}
		})
	}
	spaced := `<link rel=stylesheet href=a>`
	page := readPage(spaced)
	if got := Apply(spaced,
		page.Groups[0].Point(page, []LinkTarget{{Address: "a b.css"}})); got != `<link rel=stylesheet href="a b.css">` {
		t.Errorf("got %q", got)
	}
}

func TestRefs(t *testing.T) {
	p := readPage(`<base href=/x/><base href=/y/><img src=a srcset="b 1x, c 2x"><video poster=d src=e></video><a href=f>
		<svg><use xlink:href="g#h"/></svg><script src=i></script><link rel=icon href=j><link rel=canonical href=k><form action=l>`)
	var got []string
	for _, r := range p.Refs {
		got = append(got, r.Address)
	}
	if s := strings.Join(got, " "); s != "b c a d e f g#h i j" && s != "a b c d e f g#h i j" {
		t.Errorf("got %s", s)
	}
	if p.Base != "/x/" || len(p.Scripts) != 1 || p.Scripts[0].Address != "i" {
		t.Errorf("base %q, scripts %v", p.Base, p.Scripts)
	}
	if at := p.Scripts[0].At; p.File.Text[at.Start:at.End] != "i" {
		t.Errorf("the script's address is at %q", p.File.Text[at.Start:at.End])
	}
}

// FuzzReadPage checks that the spans of links and addresses contain their text,
// and that edits change nothing else.
func FuzzReadPage(f *testing.F) {
	f.Add(`<!doctype html><link rel=stylesheet href="a&amp;b.css" media=print><p>x<link rel=stylesheet href=c>`)
	f.Add(`<link rel=stylesheet href='a' href=b><noscript><link rel=stylesheet href`)
	f.Fuzz(func(t *testing.T, html string) {
		p := readPage(html)
		html = p.File.Text
		var edits []Edit
		rest := len(html)
		for _, g := range p.Groups {
			for _, l := range g.Links {
				if !strings.HasPrefix(html[l.Tag.Start:], "<") || l.Href.At.Start < l.Tag.Start || l.Href.At.End > l.Tag.End {
					t.Fatalf("link at %v with address at %v in %q", l.Tag, l.Href.At, html)
				}
			}
			edits = append(edits, g.Point(p, []LinkTarget{{}})...)
		}
		for _, e := range edits {
			rest += len(e.With) - (e.At.End - e.At.Start)
		}
		got := Apply(html, edits)
		if len(got) != rest {
			t.Fatalf("%d bytes are left of %q, want %d", len(got), html, rest)
		}
		// Each group is now one link, without an address.
		if again := readPage(got); len(again.Groups) > len(p.Groups) {
			t.Fatalf("%q with %d groups of links became %q with %d", html, len(p.Groups), got, len(again.Groups))
		}
	})
}

func TestResolve(t *testing.T) {
	tree := source.NewTree(source.Folder{FS: fstest.MapFS{}}, source.Folder{Name: "kit", FS: fstest.MapFS{}})
	from := source.Path{Name: "css/parts/x.css"}
	kit := source.Path{Root: "kit", Name: "sub/x.css"}
	tests := []struct {
		from          source.Path
		address, want string
	}{
		{from, "a.css", "local css/parts/a.css"},
		{from, "../b%20c.css?v=1#d", "local css/b c.css?v=1#d"},
		{from, "/a.css", "local a.css"},
		{from, "/sub/a.css", "local a.css"}, // the base URL
		{from, "../../a.css", "local a.css"},
		{from, "../../../a.css", "outside ../a.css"},
		{from, "%2e%2e/%2e%2e/%2e%2e/a", "outside ../a"},
		{from, `..\..\a`, `local a`},
		{from, "kit:all.css", "local kit:all.css"},
		{from, "kit:../all.css", "outside kit:../all.css"},
		{kit, "a.css", "local kit:sub/a.css"},
		{kit, "/a.css", "local kit:a.css"},
		{kit, "../../a.css", "outside kit:../a.css"},
		{from, "kti:all.css", "noroot kti"},
		{from, "https://example.com/a", "external"}, {from, "//example.com/a", "external"}, {from, "data:,x", "external"}, {from, "odd://x", "external"},
		{from, "#a", "within"}, {from, "", "within"}, {from, "  ", "within"},
	}
	kinds := map[TargetKind]string{External: "external", SameDocument: "within", Local: "local", Outside: "outside",
		NoRoot: "noroot"}
	for _, test := range tests {
		target := Resolve(tree, test.from, "/sub/", test.address)
		got := kinds[target.Kind]
		switch target.Kind {
		case Local, Outside:
			got += " " + target.Path.String() + target.Tail
		case NoRoot:
			got += " " + target.Root
		}
		if got != test.want {
			t.Errorf("%s in %s: got %s, want %s", test.address, test.from, got, test.want)
		}
	}
}

func TestRelative(t *testing.T) {
	for _, test := range []struct{ from, to, want string }{
		{"a.css", "b.css", "b.css"}, {"x/a.css", "x/b.css", "b.css"}, {"x/a.css", "b.css", "../b.css"}, {"a.css", "x/y/b.css", "x/y/b.css"},
		{"x/y/a", "x/z/b", "../z/b"}, {"x/a", "x/x/b", "x/b"}, {"a", "b c#d?.svg", "b%20c%23d%3F.svg"}, {"a", "x:y/b", "./x:y/b"},
	} {
		if got := Relative(test.from, test.to); got != test.want {
			t.Errorf("from %s to %s: got %s, want %s", test.from, test.to, got, test.want)
		}
	}
}

// TestAmpersands checks that character references in addresses are decoded as
// in browsers: one without a semicolon before a letter is none.
func TestAmpersands(t *testing.T) {
	page := ReadPage(new(source.Set).Add(source.Path{Name: "index.html"}, "index.html",
		`<!doctype html><link rel=stylesheet href="quay.css?v=1&copy=2"><img src="boat.svg?a&amp;b&lt=c">`))
	if got := page.Groups[0].Links[0].Href.Address; got != "quay.css?v=1&copy=2" {
		t.Errorf("the link leads to %q", got)
	}
	if got := page.Refs[0].Address; got != "boat.svg?a&b&lt=c" {
		t.Errorf("the image is %q", got)
	}
}
