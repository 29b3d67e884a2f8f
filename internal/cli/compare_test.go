package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestCompare compares two builds of a site, in all forms of output.
func TestCompare(t *testing.T) {
	dir := lay(t, "site/index.html", `<link rel="stylesheet" href="a.css"><p class="quay bell tide">`,
		"site/other.html", `<link rel="stylesheet" href="b.css"><p class="pier">`,
		"site/a.css", ".quay { color: red } .bell { margin: 1px 2px } .tide { top: 0 }",
		"site/b.css", ".pier { left: 0px; left: 1px }", "rinzel.toml", "source = \"site\"\n")
	build := func(output string) {
		t.Helper()
		if code, _, errs := runIn(t, dir, "build", "--profile", "production", "-o", output); code != 0 {
			t.Fatal(errs)
		}
	}
	build("before")
	write := func(name, text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write("site/a.css", ".quay { color: navy } .bell { margin: 1px 2px } @media print { .bell { top: 9px } }")
	write("site/b.css", ".pier { left: 1px }")
	build("after")

	code, out, errs := runIn(t, dir, "compare", "before", "after")
	if code != 0 || errs != "" {
		t.Fatalf("%d %s", code, errs)
	}
	for _, want := range []string{
		"sheet                   bytes", "\nother.css                16 B             =    20 B            =  unchanged\n",
		"\nall styles of the page  bytes", "\nindex.html               67 B  +17 B +34.0%    61 B  +7 B +13.0%\n",
		"  1 rule gone, 1 new, 1 changed\n", "\nindex.css\n",
		"  changed  .quay { color: red } to { color: navy }  (after/index.", ".css:1:7)\n",
		"  gone     .tide { top: 0 }  (before/index.", "  new      @media print .bell { top: 9px }  (after/index.",
		"\n2 sheets: 1 unchanged, 1 different; 1 rule gone, 1 new, 1 changed; 83 B of CSS (+17 B +25.8%)\n",
	} {
		if !strings.Contains(out, want) {
			t.Errorf("no %q in\n%s", want, out)
		}
	}

	code, out, _ = runIn(t, dir, "compare", "before/bundles.json", "after", "--markdown")
	for _, want := range []string{"| sheet | bytes |  | brotli |  |  |\n|---|--:|--:|--:|--:|---|\n", "\n| `other.css` | 16 B | = | 20 B | = | unchanged |\n",
		"\n**index.css**\n\n* changed `.quay { color: red } to { color: navy }  (after/"} {
		if code != 0 || !strings.Contains(out, want) {
			t.Errorf("%d: no %q in\n%s", code, want, out)
		}
	}

	var answer struct {
		Version int
		Differs bool
		Sheets  []struct {
			Name, State string
			Old, New    *struct{ Bytes, Gzip, Brotli int }
			Changes     []struct {
				Selector, Where string
				WholeRule       bool
				Old, New        []string
			}
		}
		Pages []struct {
			Name     string
			Old, New struct{ Bytes, Brotli int }
		}
	}
	code, out, errs = runIn(t, dir, "compare", "before", "after", "--json", "--fail-on", "difference")
	if err := json.Unmarshal([]byte(out), &answer); err != nil || code != 1 {
		t.Fatalf("%d %v %s", code, err, errs)
	}
	if !answer.Differs || len(answer.Sheets) != 2 || answer.Sheets[0].State != "different" ||
		len(answer.Sheets[0].Changes) != 3 || answer.Sheets[1].Old.Bytes != 16 || answer.Pages[0].New.Bytes != 67 {
		t.Errorf("%+v", answer)
	}
	if errs != "failed: the styles do not mean the same (--fail-on difference)\n" {
		t.Errorf("%q", errs)
	}
}

// TestCompareLimits checks the conditions of --fail-on.
func TestCompareLimits(t *testing.T) {
	dir := lay(t, "a.css", ".a { top: 0px }", "same.css", ".a{top:0}", "large.css", ".a { top: 0px } .b { left: 1px; right: 2px }")
	for _, test := range []struct {
		args string
		code int
		errs string
	}{
		{"compare a.css same.css --fail-on difference", 0, ""},
		{"compare a.css large.css --fail-on difference", 1, "failed: the styles do not mean the same (--fail-on difference)\n"},
		{"compare a.css large.css --fail-on growth=1000%", 0, ""},
		{"compare large.css a.css --fail-on growth=0%", 0, ""},
		{"compare a.css large.css --fail-on growth=5.5%,difference", 1, "failed: the styles do not mean the same (--fail-on difference)\nfailed: large.css grew by 147.4% (--fail-on growth=5.5%)\n"},
		{"compare a.css large.css --fail-on growth=5", 2, "rinzel: --fail-on takes difference, or growth with a percentage, like growth=5%, got \"growth=5\"\n"},
		{"compare a.css large.css --fail-on size", 2, "rinzel: --fail-on takes difference, or growth with a percentage, like growth=5%, got \"size\"\n"},
		{"compare a.css large.css --json --markdown", 2, "rinzel: --json and --markdown cannot be combined\n"},
		{"compare a.css missing.css", 2, "rinzel: missing.css: no such file or folder\n"},
		{"compare missing a.css", 2, "rinzel: missing: no such file or folder\n"},
		{"compare a.css", 2, "rinzel: compare takes two folders, two sheets, or two bundles.json; see \"rinzel compare --help\"\n"},
		{"compare a.css a.css a.css", 2, "rinzel: compare takes at most 2 arguments, got \"a.css\" as well; see \"rinzel compare --help\"\n"},
	} {
		code, out, errs := runIn(t, dir, strings.Fields(test.args)...)
		if code != test.code || errs != test.errs {
			t.Errorf("%s: %d %q, want %d %q\n%s", test.args, code, errs, test.code, test.errs, out)
		}
	}
}
