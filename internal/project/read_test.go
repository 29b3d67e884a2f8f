package project

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

func read(text string) (*Settings, []diag.Diagnostic, *source.File) {
	f := new(source.Set).Add(source.Path{Name: FileName}, FileName, text)
	s, diags := Read(f)
	return s, diags, f
}

func TestRead(t *testing.T) {
	s, diags, _ := read(`
source = "site"
output = "out/www/"
base = "/harbour"
[roots]
kit = "vendor/kit"
[browsers]
floor = { chrome = "100", safari = "15.4" }
[[chain]]
match = "kit:**/*.css"
steps = ["prefix"]
[purge]
evidence = ["**/*.php"]
keep = [".is-*"]
[profile.production]
maps = "none"
[profile.staging]
inherits = "production"
names = "plain"
[profile.review]
inherits = "staging"
finish = ["minify"]
`)
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	got := fmt.Sprint(s.Source, s.Output, s.Base, s.Roots, s.Targets, s.Purge.Evidence, s.Purge.Keep, s.Profiles["production"], s.Profiles["review"])
	want := "site out/www /harbour/ map[kit:vendor/kit] chrome 100, safari 15.4 [**/*.php] [.is-*] " +
		"{production true  [purge minify] none hashed false [] link} {review true  [minify] none plain false [] link}"
	if strings.Join(strings.Fields(got), "") != strings.Join(strings.Fields(want), "") {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	for path, want := range map[source.Path]string{
		{Name: "css/a.css"}:               "[compose lower prefix]",
		{Root: "kit", Name: "sub/a.css"}:  "[prefix]",
		{Root: "else", Name: "sub/a.css"}: "[compose lower prefix]",
	} {
		if got := fmt.Sprint(s.ChainOf(path)); got != want {
			t.Errorf("chain of %s: got %s, want %s", path, got, want)
		}
	}
}

// TestAllMismatches holds that what does not fit is reported at once, and without what follows from it.
func TestAllMismatches(t *testing.T) {
	_, diags, _ := read("sorce = \"a\"\n[browsers]\nshare = \"1%\"\n[[chain]]\nmatch = 3\n[bundles.app]\nfrom = 1\n[purge]\nkeep = [1, 2]\nmsot = 3\n")
	var got []string
	for _, d := range diags {
		got = append(got, d.Message)
	}
	want := []string{`there is no key "sorce" in the settings`, `"browsers.share" is a number; found the text "1%"`, `"chain.match" is text in quotes; found 3`,
		`"bundles.app.from" is a list of texts; found 1`, `an element of "purge.keep" is text in quotes; found 1`, `an element of "purge.keep" is text in quotes; found 2`,
		`there is no key "msot" in [purge]`}
	if !slices.Equal(got, want) {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func TestReadFindings(t *testing.T) {
	tests := []struct{ text, at, message, mend string }{
		{`sorce = "x"`, `sorce`, `there is no key "sorce" in the settings`, `did you mean "source"?`},
		{"[purge]\nkepp = []", `kepp`, `there is no key "kepp" in [purge]`, `did you mean "keep"?`},
		{"[profile.production]\nmap = \"file\"", `map`, `there is no key "map" in [profile.production]`, `did you mean "maps"?`},
		{"[[chain]]\nmatch = \"a\"\nstep = []", `step`, `there is no key "step" in [chain]`, `did you mean "steps"?`},
		{"[extra]\nx = 1", `extra`, `there is no key "extra" in the settings`, `the settings may hold source, output`},
		{"output = 5", `5`, `"output" is text in quotes; found 5`, `write output = "5"`},
		{"output = true", `true`, `"output" is text in quotes; found true`, ``},
		{"output = [\"a\"]", ``, `"output" is text in quotes; found a list`, `write output = "a"`},
		{"[purge]\nkeep = 5", `5`, `"purge.keep" is a list of texts; found 5`, ``},
		{"[purge]\nkeep = \".a\"", `".a"`, `"purge.keep" is a list of texts; found the text ".a"`, `write keep = [".a"]`},
		{"[purge]\nkeep = [\".a\", 5]", `5`, `an element of "purge.keep" is text in quotes; found 5`, `write "5"`},
		{"[purge]\nproperties = \"yes\"", `"yes"`, `"purge.properties" is true or false; found the text "yes"`, `write properties = true`},
		{"[split]\nshared = 1.5", `1.5`, `"split.shared" is a whole number; found 1.5`, `write shared = 2`},
		{"[split]\nshared = 2026-11-27", ``, `"split.shared" is a whole number; found a date or a time`, ``},
		{"[browsers]\nshare = \"1%\"", `"1%"`, `"browsers.share" is a number; found the text "1%"`, `write share = 1`},
		{"[browsers]\nfloor = \"chrome 100\"", `"chrome 100"`, `"browsers.floor" is a table; found the text "chrome 100"`, `write [browsers.floor], and its keys below`},
		{"[browsers.floor]\nchrome = 100", `100`, `"browsers.floor.chrome" is text in quotes; found 100`, `write chrome = "100"`},
		{"[bundles.app]\nfrom = \"a.css\"", `"a.css"`, `"bundles.app.from" is a list of texts; found the text "a.css"`, `write from = ["a.css"]`},
		{"[[chain]]\nmatch = 3", `3`, `"chain.match" is text in quotes; found 3`, `write match = "3"`},
		{"[[chain]]\nmatch = \"a\"\nsteps = \"compose\"", `"compose"`, `"chain.steps" is a list of texts`, `write steps = ["compose"]`},
		{"chain = [3]", `3`, `an element of "chain" is a table; found 3`, ``},
		{"[profile]\nmaps = \"file\"", `"file"`, `"profile.maps" is a table; found the text "file"`, `name the profile: [profile.production]`},
		{"purge = \"x\"", `"x"`, `"purge" is a table; found the text "x"`, `write [purge], and its keys below`},
		{"[purge]\nsource = \"x\"", `source`, `there is no key "source" in [purge]`, `move it above the first table`},
		{"[roots]\ntokens = [\"x\"]", ``, `"roots.tokens" is text in quotes; found a list`, `move it above the first table`},
		{"output = \"a", ``, `the text is not closed: expected a quote`, `write output = "a"`},
		{"output = 'a", ``, `the text is not closed: expected a quote`, `write output = 'a'`},
		{"output = public", `public`, `text stands in quotes: found public`, `write output = "public"`},
		{"base = /quay/ # x", `/quay/ # x`, `text stands in quotes: found /quay/`, `write base = "/quay/"`},
		{"output: public", `: public`, `expected '=' between a key and its value, found ':'`, `write output = "public"`},
		{"output: [\"a\"]", ``, `found ':'`, `write output = ["a"]`},
		{"output = \"a\";", `;`, `expected the end of the line, found ';'`, `write output = "a"`},
		{"output", ``, `the key "output" has no value: expected '='`, `write output = "…"`},
		{"out put = \"a\"", ``, `a key holds no space: found "out put"`, ``},
		{"// the settings", `// the settings`, `a comment starts with '#'`, `write # the settings`},
		{"{ \"source\": \"site\" }", ``, `expected a key: the settings are TOML, without braces around them`, ``},
		{"[browsers\nshare = 1", ``, `the name of the table is not closed: expected ']'`, `write [browsers]`},
		{"copy = [\"a\" \"b\"]", ``, `expected ',' between the elements of a list`, ``},
		{"copy = [\"a\",", ``, `the list is not closed: expected ']'`, ``},
		{"output = \"a\"\noutput = \"b\"", ``, `the key "output" is set twice`, `leave one of the two out`},
		{"[split]\nshared = 2\n[split]\nleast = 3", ``, `the table [split] is here twice`, `put the keys of both under one of them`},
		{"[bundles.a]\nfrom = [\"a.css\"]\n[bundles.a]\nfrom = [\"b.css\"]", ``, `the table [bundles.a] is here twice`, `put the keys of both under one of them, or give one another name`},
		{"[[chain]]\nmatch = \"**/*.css\"\nsteps = [\"prefix\", \"compose\"]", `"compose"`, `the step "compose" stands behind "prefix"`, `write "compose" before "prefix"`},
		{"[[chain]]\nsteps = []", ``, `the chain has no match`, `match = "**/*.css"`},
		{"[[chain]]\nmatch = \"kti:**\"\nsteps = []", `"kti:**"`, `there is no root "kti"`, `roots are named in [roots]`},
		{"[profile.production]\nfinish = [\"purge\", \"minfy\"]", `"minfy"`, `there is no step "minfy"`, `did you mean "minify"?`},
		{"[profile.production]\nnames = \"hashd\"", `"hashd"`, `names is one of plain, hashed; found "hashd"`, ``},
		{"[profile.x]\ninherits = \"prodution\"", `"prodution"`, `the profile "x" inherits from "prodution", which leads to no other profile`, `did you mean "production"?`},
		{"[profile.x]\ninherits = \"y\"\n[profile.y]\ninherits = \"x\"", ``, `which leads to no other profile`, ``},
		{"[browsers]\nfloor = { crome = \"1\" }", `crome`, `there is no key "crome" in [browsers.floor]`, `did you mean "chrome"?`},
		{"[browsers]\nfloor = { chrome = \"new\" }", `"new"`, `expected a version such as 109 or 15.4, found "new"`, ``},
		{"[browsers]\nfloor = { chrome = \"9999\" }", `"9999"`, `there is no version 9999 of chrome, and will not be for long`, ``},
		{"[browsers]\nshare = 0", `0`, `share is a percentage above 0; found 0`, `0.5 selects the versions that half a percent of the world uses, or more`},
		{"[browsers]\nrecent = 0", `0`, `recent is a whole number from 1 to 1000; found 0`, `2 selects the two newest versions of each browser`},
		{"[browsers]\nrecent = 1\nwithout = [\"crome\"]", `"crome"`, `there is no browser "crome"`, `did you mean "chrome"?`},
		{"[browsers]\nwithout = [\"edge\"]", `without`, `without leaves out of what share, recent or floor select, and there is none of them`, ``},
		{"[browsers.sets.old]\nrecnt = 1", `recnt`, `there is no key "recnt" in [browsers.sets.old]`, `did you mean "recent"?`},
		{"[browsers.sets.old]\nrecent = 1\n[profile.production]\nbrowsers = \"odl\"", `"odl"`, `there is no set of browsers "odl"`, `did you mean "old"?`},
		{"[roots]\nhttps = \"x\"", `https`, `"https" cannot name a root`, ``},
		{"base = \"x\"", `"x"`, `base is the path of a URL`, ``},
		{"source = \"\"", ``, `source names no folder`, ``},
		{"exclude = [\"a[\"]", `"a["`, `the pattern "a[" in exclude cannot be read`, `expected a path or a glob such as "old/**"`},
		{"external = [\"a[\"]", `"a["`, `the pattern "a[" in external cannot be read`, `expected a path or a glob such as "old/**"`},
		{"copy = [\"a[\"]", `"a["`, `the pattern "a[" in copy cannot be read`, `expected a path or a glob such as "old/**"`},
		{"[purge]\nunread = \"keep\"", `"keep"`, `unread is one of keep-related, ignore; found "keep"`, ``},
		{"[purge]\nevidence = [\"a[\"]", `"a["`, `the glob "a[" cannot be read`, ``},
	}
	for _, test := range tests {
		t.Run(test.text, func(t *testing.T) {
			_, diags, f := read(test.text)
			if len(diags) == 0 {
				t.Fatal("no finding")
			}
			d := diags[0]
			at := f.Text[d.Span.Start.Off:d.Span.End]
			if !strings.Contains(d.Message, test.message) || !strings.HasPrefix(d.Mend, test.mend) || test.at != "" && at != test.at {
				t.Errorf("got  %q %q, mend %q\nwant %q %q, mend %q", at, d.Message, d.Mend, test.at, test.message, test.mend)
			}
			if d.Severity != diag.Error || !d.Span.IsValid() {
				t.Errorf("severity %v, span %v", d.Severity, d.Span)
			}
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add("source = \"site\"\n[[chain]]\nmatch = \"a\"\nsteps = [\"lower\"]\n[profile.x]\ninherits = \"y\"")
	f.Fuzz(func(t *testing.T, text string) {
		s, diags, file := read(text)
		if s == nil && len(diags) == 0 {
			t.Fatal("neither settings nor a finding")
		}
		for _, d := range diags {
			if int(d.Span.End) > len(file.Text) {
				t.Fatalf("finding %q ends at %d of %d", d.Message, d.Span.End, len(file.Text))
			}
		}
	})
}

func TestReadConstants(t *testing.T) {
	s, diags, f := read(`
tokens = ["harbour.tokens.json", "kit:kit.tokens.json"]
[roots]
kit = "kit"
[limits]
values = 100
calls = 12
[constants]
wide = "60rem"
columns = 12
ratio = 1.50
sides = ["top", "left", 3]
night = { deep = "navy", "50" = "black" }
[constants.tone.calm]
text = "teal"
`)
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	var got []string
	for _, c := range s.Constants {
		got = append(got, fmt.Sprintf("%s = %s at %s", strings.Join(c.Path, "."), c.Text, f.Text[c.At.Start.Off:c.At.End]))
	}
	want := []string{`wide = 60rem at "60rem"`, `columns = 12 at 12`, `ratio = 1.5 at 1.50`, `sides = top, left, 3 at sides`,
		`night.deep = navy at "navy"`, `night.50 = black at "black"`, `tone.calm.text = teal at "teal"`}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if len(s.Tokens) != 2 || s.Tokens[1].Name != "kit:kit.tokens.json" || f.Text[s.Tokens[1].At.Start.Off:s.Tokens[1].At.End] != `"kit:kit.tokens.json"` {
		t.Errorf("got tokens %v", s.Tokens)
	}
	if s.Limits != (Limits{Values: 100, Calls: 12}) {
		t.Errorf("got limits %v", s.Limits)
	}
}

func TestReadConstantsFindings(t *testing.T) {
	for text, want := range map[string]string{
		"[constants]\n\"a.b\" = 1":             `"a.b": "a.b" cannot name a constant`,
		"[constants]\nx = true":                `true: the constant "x" is text, a number, a list of them, or a table`,
		"[constants]\nx = \" \"":               `" ": the constant "x" is text, a number, a list of them, or a table`,
		"[constants]\nx = [[1]]":               `x: the constant "x" is text, a number, a list of them, or a table`,
		"[constants]\nx = 2001-01-01":          `2001-01-01: the constant "x" is text, a number, a list of them, or a table`,
		"[limits]\ncalls = 5000":               `5000: calls is a whole number from 1 to 1000; found 5000`,
		"[limits]\nturns = -1":                 `-1: turns is a whole number from 1 to 1000000000; found -1`,
		"[limits]\nturn = 1":                   `turn: there is no key "turn" in [limits]`,
		"tokens = [\"kti:x.json\"]":            `"kti:x.json": there is no root "kti"`,
		"tokens = [\"\"]":                      `"": the name of a token file is empty`,
		"tokens = \"harbour.tokens.json\"":     `"harbour.tokens.json": "tokens" is a list of texts; found the text "harbour.tokens.json"`,
		"[roots]\nkit=\"k\"\ntokens = [\"x\"]": `tokens: "roots.tokens" is text in quotes; found a list`,
	} {
		_, diags, f := read(text)
		got := ""
		if len(diags) > 0 {
			at := diags[0].Span
			got = f.Text[at.Start.Off:at.End] + ": " + diags[0].Message
		}
		if len(diags) != 1 || got != want {
			t.Errorf("%q\n got %q\nwant %q\n%d findings", text, got, want, len(diags))
		}
	}
}

// TestReadOfSteps reads the settings of steps and of what is written.
func TestReadOfSteps(t *testing.T) {
	s, diags, _ := read(`
[check]
in-build = "stop"
libraries = true
[check.levels]
lacking = "off"
out-of-date = "error"
[lower]
direction = "rtl"
as-is = ["nesting", "alpha_hexadecimal_notation"]
[prefix]
as-is = ["user-select", "::placeholder", "@keyframes", "image-set()", "-webkit-line-clamp"]
[split]
shared = 3
least = 0
within-page = 500
[assets]
inline = 2000
[profile.release]
inherits = "production"
integrity = true
compress = ["brotli"]
[profile.mirror]
inherits = "release"
compress = []
`)
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	got := fmt.Sprint(s.Check, s.Lower, s.Prefix, s.Split, s.Inline, s.Profiles["release"], s.Profiles["mirror"])
	want := "{stop true map[lacking:off out-of-date:error]} {rtl map[css.selectors.nesting:true css.types.color.rgb_hexadecimal_notation.alpha_hexadecimal_notation:true]} " +
		"{[user-select ::placeholder @keyframes image-set() -webkit-line-clamp]} {3 0 500  } 2000 {release true  [purge minify] file hashed true [brotli] link} {mirror true  [purge minify] file hashed true [] link}"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	for level, want := range map[Level]diag.Severity{LevelError: diag.Error, LevelWarning: diag.Warning, LevelNote: diag.Note} {
		if level.Severity() != want {
			t.Errorf("%s is %v", level, level.Severity())
		}
	}
}

// TestReadOfStepsRefuses checks that each setting that cannot be is told, with its place.
func TestReadOfStepsRefuses(t *testing.T) {
	for text, want := range map[string]string{
		"[check]\nin-build = \"halt\"":                 `2: in-build is one of tell, stop, off; found "halt"`,
		"[check.levels]\nlackign = \"off\"":            `2: no check is called "lackign"`,
		"[check.levels]\nlacking = \"fatal\"":          `2: lacking is one of error, warning, note, off; found "fatal"`,
		"[check]\nlevel = 1":                           `2: there is no key "level" in [check]`,
		"[lower]\ndirection = \"up\"":                  `2: direction is one of ltr, rtl; found "up"`,
		"[lower]\nas-is = [\"nestling\"]":              `2: there are no facts about a feature "nestling"`,
		"[prefix]\nas-is = [\"color\", \"colr\"]":      `2: "colr" names nothing that could have a prefix`,
		"[split]\nshared = 1":                          `2: shared is 2 or more, or 0 to share nothing; found 1`,
		"[split]\nleast = -5":                          `2: least is a number of bytes; found -5`,
		"[split]\nwithin-page = -1":                    `2: within-page is a number of bytes; found -1`,
		"[assets]\ninline = 1000000":                   `2: inline is a number of bytes up to 100000; found 1000000`,
		"[profile.x]\ncompress = [\"gzip\", \"gzip\"]": `2: compress lists gzip and brotli, each once; found "gzip"`,
		"[roots]\npackage = \"vendor\"":                `2: the root "package" is that of installed packages`,
	} {
		_, diags, f := read(text)
		if len(diags) != 1 {
			t.Errorf("%s: %v", text, diags)
			continue
		}
		line, _ := f.Place(diags[0].Span.Start.Off)
		if got := fmt.Sprintf("%d: %s", line, diags[0].Message); got != want {
			t.Errorf("%s: got %s, want %s", text, got, want)
		}
	}
}

func TestFileSettings(t *testing.T) {
	s, diags, _ := read(`
exclude = ["old/**", "kit:docs"]
external = ["legacy/*.css"]
copy = ["js/lang"]
[purge]
unread = "ignore"
`)
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	if s.Purge.Unread != IgnoreUnread {
		t.Errorf("unread is %q", s.Purge.Unread)
	}
	for _, test := range []struct {
		globs []Glob
		path  source.Path
		want  bool
	}{
		{s.Exclude, source.Path{Name: "old/a.html"}, true},
		{s.Exclude, source.Path{Name: "old/deep/a.css"}, true},
		{s.Exclude, source.Path{Name: "older/a.html"}, false},
		{s.Exclude, source.Path{Root: "kit", Name: "docs/a.html"}, true}, // a folder is all that is in it
		{s.Exclude, source.Path{Name: "docs/a.html"}, false},
		{s.Exclude, source.Path{Root: "kit", Name: "old/a.html"}, false},
		{s.External, source.Path{Name: "legacy/a.css"}, true},
		{s.External, source.Path{Name: "legacy/deep/a.css"}, false},
		{s.Copy, source.Path{Name: "js/lang/de.js"}, true},
		{s.Copy, source.Path{Name: "js/language.js"}, false},
	} {
		if got := AnyMatches(test.globs, test.path); got != test.want {
			t.Errorf("%v matches %v: %v", test.globs, test.path, got)
		}
	}
	if s, _, _ := read(""); s.Purge.Unread != KeepRelated {
		t.Errorf("without a setting, unread is %q", s.Purge.Unread)
	}
}
