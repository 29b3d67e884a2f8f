package lsp_test

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

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
		e := newEditor(t, dir)
		e.open(test.name)
		before, after, _ := strings.Cut(test.marked, "|")
		place := e.at(test.name, strings.Replace(files[test.name], before+after, test.marked, 1))
		place["newName"] = test.to
		var answer struct {
			Changes map[string][]struct {
				NewText string
				Range   struct{ Start, End struct{ Line, Character int } }
			}
		}
		e.call("textDocument/rename", place, &answer)
		for name, text := range files {
			want := text
			for _, change := range strings.Split(test.want[name], "; ") {
				if old, now, ok := strings.Cut(change, "|"); ok {
					want = strings.ReplaceAll(want, old, now)
				}
			}
			lines := strings.SplitAfter(text, "\n")
			edits := answer.Changes[e.uri(name)]
			for _, edit := range slices.Backward(edits) {
				line := &lines[edit.Range.Start.Line]
				*line = (*line)[:edit.Range.Start.Character] + edit.NewText + (*line)[edit.Range.End.Character:]
			}
			if got := strings.Join(lines, ""); got != want {
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
