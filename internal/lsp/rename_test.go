package lsp_test

import (
	"cmp"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// renamed are the edits of a rename.
type renamed struct {
	Changes map[string][]struct {
		NewText string
		Range   struct{ Start, End struct{ Line, Character int } }
	}
}

// applied returns the text of a file after the edits. It is ASCII.
func (r *renamed) applied(e *editor, name, text string) string {
	lines := strings.SplitAfter(text, "\n")
	for _, edit := range slices.Backward(r.Changes[e.uri(name)]) {
		line := &lines[edit.Range.Start.Line]
		*line = (*line)[:edit.Range.Start.Character] + edit.NewText + (*line)[edit.Range.End.Character:]
	}
	return strings.Join(lines, "")
}

// folderWith returns a temporary folder with files.
func folderWith(t *testing.T, files map[string]string) string {
	t.Helper()
	dir, err := filepath.EvalSymlinks(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	for name, text := range files {
		file := filepath.Join(dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o755), os.WriteFile(file, []byte(text), 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// TestRename renames names of all kinds in a site, and checks every file.
func TestRename(t *testing.T) {
	files := map[string]string{
		"rinzel.toml": "source = \"site\"\n",
		"site/index.html": `<!doctype html><html lang="en"><link rel="stylesheet" href="a.css">
<style>.boat { color: var(--sea) } .boats { top: 0 }</style>
<p class="boat  boats wide/2" style="color: var(--sea, red)">boat</p>
<script>document.querySelector(".boat").classList.add("boat", "boats"); const boat = 1;</script>
`,
		"site/a.css": `@const tone { calm: teal; }
@mixin --card(--pad: 1px) { padding: var(--pad); @contents; }
:root { --sea: const(tone.calm); --seas: red; }
.boat, a:is(.boat, .boats) > .boat\+ { color: var(--sea); @apply --card(2px) { top: 0 } }
.wide\/2 { content: ".boat"; }
/* .boat --sea */
`,
		"site/b.css": `.boat { border-color: var(--sea); }`,
		"site/x.js":  "import './b.css'; el.className = `boat ${x}`; el.style.setProperty('--sea', \"blue\"); // boat\n",
	}
	for _, test := range []struct {
		name, marked string // the file, and the place in it
		to           string
		want         map[string]string // what the files become: old to new
	}{
		{"site/a.css", ".bo|at, a:is", "ferry", map[string]string{
			"site/index.html": `.boat { color|.ferry { color; class="boat |class="ferry ; (".boat")|(".boat"); add("boat"|add("ferry"`,
			"site/a.css":      `.boat, a:is(.boat, .boats)|.ferry, a:is(.ferry, .boats)`,
			"site/b.css":      `.boat {|.ferry {`,
			"site/x.js":       "`boat $|`ferry $",
		}},
		{"site/index.html", "boats wide|/2", "wide/3", map[string]string{
			"site/index.html": "wide/2|wide/3", "site/a.css": `.wide\/2|.wide\/3`}},
		{"site/a.css", "var(--se|a); @apply", "--deep", map[string]string{
			"site/index.html": `.boat { color: var(--sea)|.boat { color: var(--deep); var(--sea, red)|var(--deep, red)`,
			"site/a.css":      `--sea: const|--deep: const; color: var(--sea)|color: var(--deep)`,
			"site/b.css":      `var(--sea)|var(--deep)`,
			"site/x.js":       `'--sea'|'--deep'`,
		}},
		{"site/a.css", "@apply --ca|rd", "--panel", map[string]string{
			"site/a.css": `--card(--pad: 1px)|--panel(--pad: 1px); --card(2px)|--panel(2px)`}},
	} {
		dir := folderWith(t, files)
		e := newEditor(t, dir)
		e.open(test.name)
		before, after, _ := strings.Cut(test.marked, "|")
		place := e.at(test.name, strings.Replace(files[test.name], before+after, test.marked, 1))
		place["newName"] = test.to
		var answer renamed
		e.call("textDocument/rename", place, &answer)
		for name, text := range files {
			want := text
			for _, change := range strings.Split(test.want[name], "; ") {
				if old, now, ok := strings.Cut(change, "|"); ok {
					want = strings.ReplaceAll(want, old, now)
				}
			}
			if got := answer.applied(e, name, text); got != want {
				t.Errorf("%s to %s: %s becomes\n%s\nwant\n%s", test.marked, test.to, name, got, want)
			}
		}
		var places []struct{ URI string }
		e.call("textDocument/references", place, &places)
		total := 0
		for _, list := range answer.Changes {
			total += len(list)
		}
		if len(places) != total {
			t.Errorf("%s: %d references, %d changes", test.marked, len(places), total)
		}
		for _, bad := range []string{"", "a b", "\""} {
			place["newName"] = bad
			if e.conn.Call(t.Context(), "textDocument/rename", place, nil) == nil {
				t.Errorf("%q is accepted as a name", bad)
			}
		}
	}
}

// TestRenameConstants renames constants in sheets and token files. In the sources, ¦ marks
// the name that each of the new names replaces.
func TestRenameConstants(t *testing.T) {
	for _, test := range []struct {
		name  string
		files map[string]string
		to    string
	}{
		{"a constant", map[string]string{
			"a.css": "@default ¦gap¦: 4px; @import \"b.css\"; @const gaps: 1px;\n.a { margin: const( ¦gap¦ ) const(¦gap¦, 2px) calc(2 * const(¦gap¦)); gap: const(gaps) }",
			"b.css": "@const ¦gap¦: 8px;\n@when const(¦gap¦ > 3px) { .b { top: const(¦gap¦) } } /* gap */",
		}, "space"},
		{"a key", map[string]string{
			"a.css": "@const tone { ¦calm¦: teal; deep { calm: navy; } }\n@default tone.¦calm¦: red; .a { color: const(tone.¦calm¦); top: const(tone.deep.calm) }",
		}, "mild"},
		{"an inner key", map[string]string{
			"a.css": "@const tone { calm: teal; deep { ¦calm¦: navy; } }\n@const tone.deep.¦calm¦: blue; .a { color: const(tone.calm); fill: const(tone.deep.¦calm¦) }",
		}, "mild"},
		{"a group", map[string]string{
			"a.css": "@const ¦tone¦ { calm: teal; }\n@const ¦tone¦.late: red; @drop ¦tone¦.calm; @loop key, item over const(¦tone¦) { .note-(key) { color: const(item) } } .tone { color: const(¦tone¦.late) }",
		}, "hue"},
		{"a group in a group", map[string]string{
			"a.css": "@const a { ¦tone¦ { calm: teal; } }\n@const a.¦tone¦.late: red; .a { color: const(a.¦tone¦.calm) } .b { @const key: late; color: const(a.¦tone¦.(key)) }",
		}, "hue"},
		{"a part of a name", map[string]string{
			"a.css": "@const ¦side¦: left; .a-(¦side¦) { margin-(¦side¦): 0; --x-(¦side¦): 1 } @media (min-width: 1px) { .(¦side¦) { top: 0 } }",
		}, "edge"},
		{"tokens", map[string]string{
			"a.css": "@tokens \"t.tokens.json\" as brand;\n.a { color: const(brand.color.¦sea¦); top: const(brand.sea) }",
			"t.tokens.json": `{ "color": { "$type": "color", "¦sea¦": { "$value": "#008080" }, "deep": { "$value": "{color.¦sea¦}" } },
  "sea": { "$type": "dimension", "$value": { "value": 1, "unit": "px" } }, "x": { "$type": "border", "$value": { "color": "{color.¦sea¦}", "style": "solid", "width": "{sea}" } } }`,
		}, "lagoon"},
		{"tokens of two files", map[string]string{
			"a.css":         "/* first */ @tokens \"t.tokens.json\"; @tokens \"u.tokens.json\" as brand;\n.a { color: const(color.¦sea¦); top: const(brand.x); fill: const(brand.color.deep.sea) }",
			"t.tokens.json": `{ "color": { "$type": "color", "¦sea¦": { "$value": "#008080" } } }`,
			"u.tokens.json": `{ "x": { "$value": "{color.¦sea¦}" }, "color": { "deep": { "$type": "color", "sea": { "$value": "#008080" } } } }`,
		}, "lagoon"},
		{"a group of tokens", map[string]string{
			"a.css":         "@tokens \"t.tokens.json\";\n.a { color: const(¦color¦.sea); background-color: red }",
			"t.tokens.json": `{ "¦color¦": { "$type": "color", "sea": { "$value": "#008080" }, "deep": { "$value": "{¦color¦.sea}" } } }`,
		}, "hue"},
		{"the name of a token file", map[string]string{
			"a.css":         "@tokens \"t.tokens.json\" as ¦brand¦;\n.a { color: const(¦brand¦.color.sea) }",
			"t.tokens.json": `{ "color": { "brand": { "$type": "color", "$value": "#008080" }, "sea": { "$type": "color", "$value": "{color.brand}" } } }`,
		}, "harbour"},
		{"a style element", map[string]string{
			"a.css":      "@const ¦sea¦: teal; .a { color: const(¦sea¦) }",
			"index.html": "<!doctype html><link rel=stylesheet href=a.css><style>@import \"a.css\"; .a { fill: const(¦sea¦) }</style><p class=sea>sea",
		}, "lagoon"},
	} {
		t.Run(test.name, func(t *testing.T) {
			files, want := make(map[string]string), make(map[string]string)
			old := ""
			for name, text := range test.files {
				parts := strings.Split(text, "¦")
				if len(parts) > 1 {
					old = parts[1]
				}
				files[name] = strings.Join(parts, "")
				for i := 1; i < len(parts); i += 2 {
					parts[i] = test.to
				}
				want[name] = strings.Join(parts, "")
			}
			if files["index.html"] == "" {
				files["index.html"] = `<!doctype html><link rel="stylesheet" href="a.css">`
			}
			e := newEditor(t, folderWith(t, files))
			e.open("a.css")
			marked := strings.Split(test.files["a.css"], "¦")
			for i := 1; i < len(marked); i += 2 {
				place := e.at("a.css", strings.Join(marked[:i], "")+"|"+strings.Join(marked[i:], ""))
				var prepared struct{ Placeholder string }
				e.call("textDocument/prepareRename", place, &prepared)
				if prepared.Placeholder != old {
					t.Errorf("%d: the name is %q, want %q", i, prepared.Placeholder, old)
				}
				place["newName"] = test.to
				var answer renamed
				e.call("textDocument/rename", place, &answer)
				for name, text := range files {
					if got := answer.applied(e, name, text); got != cmp.Or(want[name], text) {
						t.Errorf("%d: %s becomes\n%s\nwant\n%s", i, name, got, want[name])
					}
				}
			}
		})
	}
}

// TestRenameRefused checks that nothing is renamed if that would change a sheet.
func TestRenameRefused(t *testing.T) {
	for sheet, want := range map[string]string{
		"@const to|ne: red; @loop tone over range(1, 2) { .a { top: const(tone) } }":           "a.css becomes: the name has another meaning",
		"@const note { cal|m: red; } @loop key, item over const(note) { .n-(key) { top: 0 } }": "a.css becomes: the name has another meaning",
		"@const tone: red; @const hue: blue; .a { color: const(to|ne); fill: const(hue) }":     "a.css becomes: the name has another meaning",
		"@mixin --c|ard() { --card: 1px; } .a { @apply --card(); }":                            "a.css becomes: the name has another meaning",
		".a { color: const(se|a) }":                    "[constants] in the settings sets",
		"@const tone: red; .a { col|or: const(tone) }": "there is no class, constant",
		"@const to|ne: red; .a { color: const(tone) }": "",
	} {
		e := newEditor(t, folderWith(t, map[string]string{"a.css": strings.Replace(sheet, "|", "", 1),
			"index.html": `<!doctype html><link rel="stylesheet" href="a.css">`, "rinzel.toml": "[constants]\nsea = \"teal\"\n"}))
		e.open("a.css")
		place := e.at("a.css", sheet)
		place["newName"] = "hue"
		if strings.Contains(sheet, "@mixin") {
			place["newName"] = "--hue"
		}
		err := e.conn.Call(t.Context(), "textDocument/rename", place, nil)
		if (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%s: got %v, want %q", sheet, err, want)
		}
	}
}
