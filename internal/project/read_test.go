package project

import (
	"fmt"
	"os"
	"reflect"
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
	got := fmt.Sprint(s.Source, s.Output, s.Base, s.Roots, s.Targets, s.Purge.Evidence, s.Purge.Keep,
		s.Profiles["production"], s.Profiles["review"])
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

// TestAllMismatches checks that all invalid values are reported at once,
// without their consequences.
func TestAllMismatches(t *testing.T) {
	_, diags, _ := read("sorce = \"a\"\n[browsers]\nshare = \"1%\"\n[[chain]]\nmatch = 3\n[bundles.app]\nfrom = 1\n[purge]\nkeep = [1, 2]\nmsot = 3\n")
	var got []string
	for _, d := range diags {
		got = append(got, d.Message)
	}
	want := []string{`unknown key "sorce" in the settings`, `"browsers.share" must be a number, got the string "1%"`,
		`"chain.match" must be a quoted string, got 3`,
		`"bundles.app.from" must be a list of strings, got 1`, `an element of "purge.keep" must be a quoted string, got 1`, `an element of "purge.keep" must be a quoted string, got 2`,
		`unknown key "msot" in [purge]`}
	if !slices.Equal(got, want) {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func TestReadFindings(t *testing.T) {
	tests := []struct{ text, at, message, fix string }{
		{`sorce = "x"`, `sorce`, `unknown key "sorce" in the settings`, `did you mean "source"?`},
		{"[purge]\nkepp = []", `kepp`, `unknown key "kepp" in [purge]`, `did you mean "keep"?`},
		{"[profile.production]\nmap = \"file\"", `map`, `unknown key "map" in [profile.production]`, `did you mean "maps"?`},
		{"[[chain]]\nmatch = \"a\"\nstep = []", `step`, `unknown key "step" in [chain]`, `did you mean "steps"?`},
		{"[extra]\nx = 1", `extra`, `unknown key "extra" in the settings`, `the keys of the settings are source, output`},
		{"[budget]\npages = 5", `pages`, `unknown key "pages" in [budget]`, `did you mean "page"?`},
		{"[budget]\npage = \"5 kb\"", `"5 kb"`, `invalid page in [budget]`, `write a size like "50 kB"`},
		{"[budget]\npage = 0", `0`, `invalid page in [budget]`, `write a size like "50 kB"`},
		{"[budget]\npage = \"50%\"", `"50%"`, `invalid page in [budget]`, ``},
		{"[budget]\nunused = \"5 kB\"", `"5 kB"`, `invalid unused in [budget]`, `write a percentage like "60%"`},
		{"[budget.\"a/**\"]\nunused = 101", `101`, `invalid unused in [budget]`, ``},
		{"[budget]\nlevel = \"high\"", `"high"`, `level must be one of warning, error, got "high"`, ``},
		{"[budget.\"[a\"]\npage = 1", ``, `invalid glob "[a"`, ``},
		{"output = 5", `5`, `"output" must be a quoted string, got 5`, `write output = "5"`},
		{"output = true", `true`, `"output" must be a quoted string, got true`, ``},
		{"output = [\"a\"]", ``, `"output" must be a quoted string, got a list`, `write output = "a"`},
		{"[purge]\nkeep = 5", `5`, `"purge.keep" must be a list of strings, got 5`, ``},
		{"[purge]\nkeep = \".a\"", `".a"`, `"purge.keep" must be a list of strings, got the string ".a"`, `write keep = [".a"]`},
		{"[purge]\nkeep = [\".a\", 5]", `5`, `an element of "purge.keep" must be a quoted string, got 5`, `write "5"`},
		{"[purge]\nproperties = \"yes\"", `"yes"`, `"purge.properties" must be true or false, got the string "yes"`, `write properties = true`},
		{"[split]\nshared = 1.5", `1.5`, `"split.shared" must be an integer, got 1.5`, `write shared = 2`},
		{"[split]\nshared = 2026-11-27", ``, `"split.shared" must be an integer, got a date or a time`, ``},
		{"[browsers]\nshare = \"1%\"", `"1%"`, `"browsers.share" must be a number, got the string "1%"`, `write share = 1`},
		{"[browsers]\nfloor = \"chrome 100\"", `"chrome 100"`, `"browsers.floor" must be a table, got the string "chrome 100"`, `write [browsers.floor], with its keys below`},
		{"[browsers.floor]\nchrome = 100", `100`, `"browsers.floor.chrome" must be a quoted string, got 100`, `write chrome = "100"`},
		{"[bundles.app]\nfrom = \"a.css\"", `"a.css"`, `"bundles.app.from" must be a list of strings, got the string "a.css"`, `write from = ["a.css"]`},
		{"[[chain]]\nmatch = 3", `3`, `"chain.match" must be a quoted string, got 3`, `write match = "3"`},
		{"[[chain]]\nmatch = \"a\"\nsteps = \"compose\"", `"compose"`, `"chain.steps" must be a list of strings`, `write steps = ["compose"]`},
		{"chain = [3]", `3`, `an element of "chain" must be a table, got 3`, ``},
		{"[profile]\nmaps = \"file\"", `"file"`, `"profile.maps" must be a table, got the string "file"`, `add the name of the profile: [profile.production]`},
		{"purge = \"x\"", `"x"`, `"purge" must be a table, got the string "x"`, `write [purge], with its keys below`},
		{"[purge]\nsource = \"x\"", `source`, `unknown key "source" in [purge]`, `move it above the first table`},
		{"[roots]\ntokens = [\"x\"]", ``, `"roots.tokens" must be a quoted string, got a list`, `move it above the first table`},
		{"output = \"a", ``, `unclosed string: expected a quote`, `write output = "a"`},
		{"output = 'a", ``, `unclosed string: expected a quote`, `write output = 'a'`},
		{"output = public", `public`, `strings must be quoted, got public`, `write output = "public"`},
		{"base = /quay/ # x", `/quay/ # x`, `strings must be quoted, got /quay/`, `write base = "/quay/"`},
		{"output: public", `: public`, `expected '=' between key and value, got ':'`, `write output = "public"`},
		{"output: [\"a\"]", ``, `got ':'`, `write output = ["a"]`},
		{"output = \"a\";", `;`, `expected the end of the line, got ';'`, `write output = "a"`},
		{"output", ``, `key "output" has no value: expected '='`, `write output = "…"`},
		{"out put = \"a\"", ``, `unquoted keys cannot contain spaces: "out put"`, ``},
		{"// the settings", `// the settings`, `a comment starts with '#'`, `write # the settings`},
		{"{ \"source\": \"site\" }", ``, `expected a key: settings are TOML, without surrounding braces`, ``},
		{"[browsers\nshare = 1", ``, `unclosed table name: expected ']'`, `write [browsers]`},
		{"copy = [\"a\" \"b\"]", ``, `expected ',' between the elements of a list`, ``},
		{"copy = [\"a\",", ``, `unclosed list: expected ']'`, ``},
		{"output = \"a\"\noutput = \"b\"", ``, `duplicate key "output"`, `remove one of the two`},
		{"[split]\nshared = 2\n[split]\nmin-bytes = 3", ``, `duplicate table [split]`, `merge the two tables, or rename one`},
		{"[bundles.a]\nfrom = [\"a.css\"]\n[bundles.a]\nfrom = [\"b.css\"]", ``, `duplicate table [bundles.a]`, `merge the two tables, or rename one`},
		{"[[chain]]\nmatch = \"**/*.css\"\nsteps = [\"prefix\", \"compose\"]", `"compose"`, `step "compose" must come before "prefix"`, `move "compose" before "prefix"`},
		{"[[chain]]\nsteps = []", ``, `chain without match`, `match = "**/*.css"`},
		{"[[chain]]\nmatch = \"kti:**\"\nsteps = []", `"kti:**"`, `unknown root "kti"`, `roots are set in [roots]`},
		{"[profile.production]\nfinish = [\"purge\", \"minfy\"]", `"minfy"`, `unknown step "minfy"`, `did you mean "minify"?`},
		{"[profile.production]\nnames = \"hashd\"", `"hashd"`, `names must be one of plain, hashed, got "hashd"`, ``},
		{"[profile.x]\ninherits = \"prodution\"", `"prodution"`, `profile "x" inherits from "prodution": unknown profile or a cycle`, `did you mean "production"?`},
		{"[profile.x]\ninherits = \"y\"\n[profile.y]\ninherits = \"x\"", ``, `unknown profile or a cycle`, ``},
		{"[browsers]\nfloor = { crome = \"1\" }", `crome`, `unknown key "crome" in [browsers.floor]`, `did you mean "chrome"?`},
		{"[browsers]\nfloor = { chrome = \"new\" }", `"new"`, `expected a version such as 109 or 15.4, got "new"`, ``},
		{"[browsers]\nfloor = { chrome = \"9999\" }", `"9999"`, `unknown version 9999 of chrome`, ``},
		{"[browsers]\nshare = 0", `0`, `share must be a percentage above 0, got 0`, `0.5 selects versions with at least 0.5% of world use`},
		{"[browsers]\nrecent = 0", `0`, `recent must be an integer from 1 to 1000, got 0`, `2 selects the two newest versions of each browser`},
		{"[browsers]\nrecent = 1\nwithout = [\"crome\"]", `"crome"`, `unknown browser "crome"`, `did you mean "chrome"?`},
		{"[browsers]\nwithout = [\"edge\"]", `without`, `without excludes from the versions of share, recent and floor, but none of these is set`, ``},
		{"[browsers.sets.old]\nrecnt = 1", `recnt`, `unknown key "recnt" in [browsers.sets.old]`, `did you mean "recent"?`},
		{"[browsers.sets.old]\nrecent = 1\n[profile.production]\nbrowsers = \"odl\"", `"odl"`, `unknown browser set "odl"`, `did you mean "old"?`},
		{"[roots]\nhttps = \"x\"", `https`, `"https" is not a valid root name`, ``},
		{"base = \"x\"", `"x"`, `base must be a URL path`, ``},
		{"source = \"\"", ``, `source is empty: expected a folder`, ``},
		{"exclude = [\"a[\"]", `"a["`, `invalid glob "a["`, `expected a path or a glob such as "old/**"`},
		{"external = [\"a[\"]", `"a["`, `invalid glob "a["`, `expected a path or a glob such as "old/**"`},
		{"copy = [\"a[\"]", `"a["`, `invalid glob "a["`, `expected a path or a glob such as "old/**"`},
		{"[purge]\nunreadable-scripts = \"keep\"", `"keep"`, `unreadable-scripts must be one of keep-related, ignore, got "keep"`, ``},
		{"[purge]\nevidence = [\"a[\"]", `"a["`, `invalid glob "a["`, ``},
		{"[purge]\nevidence = [\"js\\\\**\\\\*.js\"]", `"js\\**\\*.js"`, `glob "js\\**\\*.js" has backslashes: folders are separated by slashes`,
			`write "js/**/*.js"`},
		{`exclude = ['old\a.css']`, `'old\a.css'`, `glob "old\\a.css" has backslashes`, `write "old/a.css"`},
	}
	for _, test := range tests {
		t.Run(test.text, func(t *testing.T) {
			_, diags, f := read(test.text)
			if len(diags) == 0 {
				t.Fatal("no finding")
			}
			d := diags[0]
			at := f.Text[d.Span.Start.Off:d.Span.End]
			if !strings.Contains(d.Message, test.message) || !strings.HasPrefix(d.Fix, test.fix) || test.at != "" &&
				at != test.at {
				t.Errorf("got  %q %q, fix %q\nwant %q %q, fix %q", at, d.Message, d.Fix, test.at, test.message, test.fix)
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
	want := []string{`wide = 60rem at "60rem"`, `columns = 12 at 12`, `ratio = 1.5 at 1.50`,
		`sides = top, left, 3 at sides`,
		`night.deep = navy at "navy"`, `night.50 = black at "black"`, `tone.calm.text = teal at "teal"`}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if len(s.Tokens) != 2 || s.Tokens[1].Name != "kit:kit.tokens.json" ||
		f.Text[s.Tokens[1].At.Start.Off:s.Tokens[1].At.End] != `"kit:kit.tokens.json"` {
		t.Errorf("got tokens %v", s.Tokens)
	}
	if s.Limits != (Limits{Values: 100, Calls: 12}) {
		t.Errorf("got limits %v", s.Limits)
	}
}

func TestReadConstantsFindings(t *testing.T) {
	for text, want := range map[string]string{
		"[constants]\n\"a.b\" = 1":             `"a.b": "a.b" is not a valid constant name`,
		"[constants]\nx = true":                `true: constant "x" must be a string, a number, a list of them, or a table`,
		"[constants]\nx = \" \"":               `" ": constant "x" must be a string, a number, a list of them, or a table`,
		"[constants]\nx = [[1]]":               `x: constant "x" must be a string, a number, a list of them, or a table`,
		"[constants]\nx = 2001-01-01":          `2001-01-01: constant "x" must be a string, a number, a list of them, or a table`,
		"[limits]\ncalls = 5000":               `5000: calls must be an integer from 1 to 1000, got 5000`,
		"[limits]\niterations = -1":            `-1: iterations must be an integer from 1 to 1000000000, got -1`,
		"[limits]\nturn = 1":                   `turn: unknown key "turn" in [limits]`,
		"tokens = [\"kti:x.json\"]":            `"kti:x.json": unknown root "kti"`,
		"tokens = [\"\"]":                      `"": empty name of a token file`,
		"tokens = \"harbour.tokens.json\"":     `"harbour.tokens.json": "tokens" must be a list of strings, got the string "harbour.tokens.json"`,
		"[roots]\nkit=\"k\"\ntokens = [\"x\"]": `tokens: "roots.tokens" must be a quoted string, got a list`,
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

// TestReadOfSteps reads the settings of steps and outputs.
func TestReadOfSteps(t *testing.T) {
	s, diags, _ := read(`
[check]
in-build = "stop"
libraries = true
[check.levels]
unsupported = "off"
deprecated = "error"
[lower]
direction = "rtl"
as-is = ["nesting", "alpha_hexadecimal_notation"]
[prefix]
as-is = ["user-select", "::placeholder", "@keyframes", "image-set()", "-webkit-line-clamp"]
[minify]
size = "uncompressed"
[split]
shared = 3
min-bytes = 0
inline = 500
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
	got := fmt.Sprint(s.Check, s.Lower, s.Prefix, s.Minify, s.Split, s.Inline, s.Profiles["release"], s.Profiles["mirror"])
	want := "{stop true map[deprecated:error unsupported:off]} {rtl map[css.selectors.nesting:true css.types.color.rgb_hexadecimal_notation.alpha_hexadecimal_notation:true]} " +
		"{[user-select ::placeholder @keyframes image-set() -webkit-line-clamp]} {uncompressed} {3 0 500  } 2000 {release true  [purge minify] file hashed true [brotli] link} {mirror true  [purge minify] file hashed true [] link}"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	for level, want := range map[Level]diag.Severity{LevelError: diag.Error, LevelWarning: diag.Warning,
		LevelNote: diag.Note} {
		if level.Severity() != want {
			t.Errorf("%s is %v", level, level.Severity())
		}
	}
}

// TestReadOfStepsRefuses checks that each invalid setting is reported at its
// position.
func TestReadOfStepsRefuses(t *testing.T) {
	for text, want := range map[string]string{
		"[check]\nin-build = \"halt\"":                      `2: in-build must be one of warn, stop, off, got "halt"`,
		"[check.levels]\nlackign = \"off\"":                 `2: unknown check "lackign"`,
		"[check.levels]\nunsupported = \"fatal\"":           `2: unsupported must be one of error, warning, note, off, got "fatal"`,
		"[check]\nlevel = 1":                                `2: unknown key "level" in [check]`,
		"[lower]\ndirection = \"up\"":                       `2: direction must be one of ltr, rtl, got "up"`,
		"[lower]\nas-is = [\"nestling\"]":                   `2: no data about the feature "nestling"`,
		"[prefix]\nas-is = [\"color\", \"colr\"]":           `2: nothing called "colr" can have a prefix`,
		"[minify]\nsize = \"small\"":                        `2: size must be one of compressed, uncompressed, got "small"`,
		"[split]\nshared = 1":                               `2: shared must be 2 or more, or 0 to share nothing, got 1`,
		"[split]\nmin-bytes = -5":                           `2: min-bytes must be a number of bytes, got -5`,
		"[split]\ninline = -1":                              `2: inline must be a number of bytes, got -1`,
		"[assets]\ninline = 1000000":                        `2: inline must be a number of bytes from 0 to 100000, got 1000000`,
		"[profile.x]\ncompress = [\"gzip\", \"gzip\"]":      `2: compress expects gzip and brotli, each once, got "gzip"`,
		"[serve]\neditor = \"vi\"":                          `2: editor is not a URL that opens a file: "vi"`,
		"[serve]\neditor = \"JavaScript:x({path})\"":        `2: editor is not a URL that opens a file: "JavaScript:x({path})"`,
		"[serve]\neditor = \"edit://open?line={line}\"":     `2: missing {path} in editor = "edit://open?line={line}"`,
		"[serve]\nproxy = { api = \"http://localhost:1\" }": `2: proxy path "api" does not start with a slash`,
		"[serve.proxy]\n\"/api\" = \"localhost:8000\"":      `2: proxy target of "/api" is not an http or https URL: "localhost:8000"`,
		"[serve.proxy]\n\"/api\" = \"http://\"":             `2: proxy target of "/api" has no host: "http://"`,
		"[serve.proxy]\n\"/api\" = \"http://h/x?y\"":        `2: proxy target of "/api" has more than scheme, host and path: "http://h/x?y"`,
		"[serve.proxy]\n\"/api\" = \"http://h:x\"":          `2: proxy target of "/api" is not a URL: "http://h:x"`,
		"[roots]\npackage = \"vendor\"":                     `2: root "package" is reserved for installed packages`,
	} {
		_, diags, f := read(text)
		if len(diags) != 1 {
			t.Errorf("%s: %v", text, diags)
			continue
		}
		line, _ := f.Position(diags[0].Span.Start.Off)
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
unreadable-scripts = "ignore"
`)
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	if s.Purge.UnreadableScripts != IgnoreUnreadable {
		t.Errorf("unread is %q", s.Purge.UnreadableScripts)
	}
	for _, test := range []struct {
		globs []Glob
		path  source.Path
		want  bool
	}{
		{s.Exclude, source.Path{Name: "old/a.html"}, true},
		{s.Exclude, source.Path{Name: "old/deep/a.css"}, true},
		{s.Exclude, source.Path{Name: "older/a.html"}, false},
		{s.Exclude, source.Path{Root: "kit", Name: "docs/a.html"}, true}, // a folder means everything in it
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
	if s, _, _ := read(""); s.Purge.UnreadableScripts != KeepRelated {
		t.Errorf("without a setting, unread is %q", s.Purge.UnreadableScripts)
	}
}

// tomlKeys returns the keys of a table, given the type that it is decoded into.
func tomlKeys(table reflect.Type) (keys []string) {
	for i := range table.NumField() {
		f := table.Field(i)
		if f.Anonymous {
			keys = append(keys, tomlKeys(f.Type)...)
		} else {
			keys = append(keys, f.Tag.Get("toml"))
		}
	}
	slices.Sort(keys)
	return keys
}

// TestKnownKeys checks that the keys that findings name are those that are
// decoded.
func TestKnownKeys(t *testing.T) {
	check := func(table string, decoded reflect.Type) {
		t.Helper()
		if got := slices.Sorted(slices.Values(knownKeys[table])); !slices.Equal(got, tomlKeys(decoded)) {
			t.Errorf("[%s] has %q, decoded are %q", table, got, tomlKeys(decoded))
		}
	}
	settings := reflect.TypeFor[fileSettings]()
	check("", settings)
	for i := range settings.NumField() {
		f := settings.Field(i)
		name, of := f.Tag.Get("toml"), f.Type
		switch {
		case of.Kind() == reflect.Struct:
			check(name, of)
		case of.Kind() == reflect.Slice && of.Elem().Kind() == reflect.Struct:
			check(name, of.Elem())
		case of.Kind() == reflect.Map && of.Elem().Kind() == reflect.Struct:
			check(name+".*", of.Elem())
		}
	}
}

// TestKeysAreDocumented checks that docs/settings.md has a row for each key.
func TestKeysAreDocumented(t *testing.T) {
	doc, err := os.ReadFile("../../docs/settings.md")
	if err != nil {
		t.Fatal(err)
	}
	row := func(start string) {
		t.Helper()
		if !strings.Contains(string(doc), "\n| "+start) {
			t.Errorf("docs/settings.md has no row that starts with %s", start)
		}
	}
	for table, keys := range knownKeys {
		shown := ""
		switch table {
		case "":
		case "chain":
			shown = "`[[chain]]` "
		default:
			shown = "`[" + strings.Replace(table, "*", "NAME", 1) + "]` "
		}
		for _, key := range keys {
			_, isTable := knownKeys[key]
			_, isGroup := knownKeys[table+"."+key]
			switch {
			case table == "browsers.floor": // one row for all browsers
				row("`[browsers]` `floor` |")
			case table == "" && (isTable || slices.Contains([]string{"roots", "bundles", "profile", "constants", "step"}, key)):
				if !strings.Contains(string(doc), "`["+key) && !strings.Contains(string(doc), "`[["+key) {
					t.Errorf("docs/settings.md has no table [%s]", key)
				}
			case isGroup && key == "sets":
				row("`[browsers.sets.NAME]` |")
			case table == "check" && key == "levels":
				row("`[check.levels]` ")
			default:
				row(shown + "`" + key + "` |")
			}
		}
	}
}

// TestBudgets checks which limit holds for a page.
func TestBudgets(t *testing.T) {
	s, diags, _ := read("[budget]\npage = \"1.5 kB\"\nunused = \"60%\"\n[budget.\"b/**\"]\nlevel = \"error\"\npage = 20\n" +
		"[budget.\"**/c.html\"]\npage = \"2 MB\"\n")
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	for name, want := range map[string]string{"a.html": "1500 warning", "b/a.html": "20 error", "b/c.html": "2000000 warning",
		"c.html": "2000000 warning"} {
		if b, ok := s.BudgetOf(BudgetPage, name); !ok || fmt.Sprint(b.Most, " ", b.Level) != want {
			t.Errorf("%s: %d %s, want %s", name, b.Most, b.Level, want)
		}
	}
	if b, ok := s.BudgetOf(BudgetUnused, "b/c.html"); !ok || b.Most != 60 {
		t.Error(b, ok)
	}
	if _, ok := s.BudgetOf(BudgetBundle, "a.css"); ok {
		t.Error("a limit that is not set")
	}
}
