package graph

import (
	"strings"
	"testing"

	"rinzel/internal/source"
)

// TestStyleAttributes checks which URLs of style attributes are references.
func TestStyleAttributes(t *testing.T) {
	for attribute, want := range map[string]string{
		`"background: url(img/a.svg)"`:                             "img/a.svg",
		`"background: url( 'a b.svg' ), URL('/a.svg?x#y')"`:        "/a.svg?x#y",
		`'background: image-set(url("a.svg") 1x, url(b.svg ) 2x)'`: "a.svg b.svg",
		`background:url(a.svg)`:                                    "a.svg",
		`"--x: url(a.svg); mask: url(b.svg)"`:                      "a.svg b.svg",
		`"content: 'a.svg' url(a\.svg)"`:                           "",
		`"background: url(&quot;a.svg&quot;)"`:                     "",
		`"background: url({{a}}.svg)"`:                             "",
		`"background: url('"`:                                      "",
		`"background: url("`:                                       "",
		`"background: url('a.svg"`:                                 "",
		`"color: red"`:                                             "",
		`"background: url(data:image/svg+xml,x)"`:                  "data:image/svg+xml,x",
		`"/* url(a.svg) */ cursor: url(b.cur), url(  ), auto"`:     "b.cur",
		`"background: url(a.svg"`:                                  "a.svg",
		"\"background:\nurl(\n\ta.svg\n)\"":                        "a.svg",
		`"background: url(a.svg)" title="url(b.svg)"`:              "a.svg",
		`"background: src('a.svg'); b: url(url(a.svg))"`:           "",
		`"b: url('a.svg' 'b.svg')"`:                                "a.svg",
		`"b: url(a.svg); c: url(a.svg)"`:                           "a.svg a.svg",
		`"b: u\72l(a.svg)"`:                                        "a.svg",
	} {
		text := "<!doctype html><p style=" + attribute + ">x"
		f := new(source.Set).Add(source.Path{Name: "x.html"}, "x.html", text)
		var got []string
		for _, r := range ReadPage(f).Refs {
			got = append(got, r.Address)
			if text[r.At.Start:r.At.End] != r.Address {
				t.Errorf("%s: %q is at %q", attribute, r.Address, text[r.At.Start:r.At.End])
			}
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: %q, want %q", attribute, got, want)
		}
	}
}
