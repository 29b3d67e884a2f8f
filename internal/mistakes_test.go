package internal_test

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/diag"
	"rinzel/internal/query"
	"rinzel/internal/site"
)

// mistake is a line of testdata/mistakes.txt.
type mistake struct {
	line   int
	file   string // that contains the mistake
	code   string
	text   string // the file without marks
	at     int    // expected position
	fixed  string // the text after the fix
	fix    string // the replacement, which the finding must name; empty if it need not
	reason string // another text that the finding must contain
}

// slipKinds are the files that can contain a mistake.
var slipKinds = map[string]string{"css": "main.css", "html": "index.html", "toml": "rinzel.toml", "js": "main.js",
	"json": "quay.tokens.json"}

// readMistakes reads the lines of testdata/mistakes.txt: kind, code, text and
// fix, separated by tabs, and optionally a text that the finding must contain.
// In the text, «…» marks the expected position, and ‹…› what the fix replaces,
// if that differs. The finding need not name a fix after ~.
func readMistakes(t *testing.T) []mistake {
	data, err := os.ReadFile("testdata/mistakes.txt")
	if err != nil {
		t.Fatal(err)
	}
	var out []mistake
	for i, line := range strings.Split(string(data), "\n") {
		if line == "" || line[0] == '#' {
			continue
		}
		parts := strings.Split(line, "\t")
		if len(parts) < 4 || slipKinds[parts[0]] == "" {
			t.Fatalf("line %d: expected kind, code, text and fix: %q", i+1, line)
		}
		m := mistake{line: i + 1, file: slipKinds[parts[0]], code: parts[1]}
		if len(parts) > 4 {
			m.reason = parts[4]
		}
		text := strings.ReplaceAll(parts[2], `\n`, "\n") + "\n"
		fix := strings.ReplaceAll(parts[3], `\n`, "\n")
		if rest, silent := strings.CutPrefix(fix, "~"); silent {
			fix = rest
		} else {
			m.fix = fix
		}
		open, shut := "«", "»"
		if strings.Contains(text, "‹") {
			open, shut = "‹", "›"
		}
		before, rest, ok1 := strings.Cut(text, open)
		_, after, ok2 := strings.Cut(rest, shut)
		if !ok1 || !ok2 {
			t.Fatalf("line %d: no marks in %q", i+1, text)
		}
		marks := strings.NewReplacer("«", "", "»", "", "‹", "", "›", "")
		m.fixed = marks.Replace(before) + fix + marks.Replace(after)
		until, _, found := strings.Cut(text, "«")
		if m.at = len(marks.Replace(until)); !found {
			m.at = -1
		}
		m.text = marks.Replace(text)
		out = append(out, m)
	}
	return out
}

// around are the other files of the project with a mistake.
var around = txtar.Parse([]byte(`
-- index.html --
<!doctype html><title>x</title><link rel="stylesheet" href="main.css"><p class="board a b c note" id="main"><b>x</b></p>
-- main.css --
.board { color: teal }
-- part.css --
.a { color: teal }
-- plain.css --
:root { --gauge-fill: red } .b { color: #2b6cb0; border-radius: 4px } .gauge { top: 0 }
-- main.js --
document.title = "x";
-- img/sea.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
-- vendor/kit.css --
@default kit-accent: teal; @default kit-tone { calm: teal; alert: red } @mixin --card(--pad: 1px) { padding: var(--pad); @contents; } .b { color: const(kit-accent); fill: const(kit-tone.calm) }
-- quay.tokens.json --
{"tone": {"$type": "color", "calm": {"$value": "#008080"}}}
-- node_modules/gauge/package.json --
{"name": "gauge", "style": "gauge.css"}
-- node_modules/gauge/gauge.css --
.gauge { top: 0 }
`)).Files

// findingsWith returns the findings of a project with a text for one of its
// files.
func findingsWith(t *testing.T, m mistake, text string) (found []diag.Diagnostic,
	offset func(diag.Diagnostic) (string, int), shown string) {
	var files []txtar.File
	for _, f := range around {
		if f.Name == m.file || m.file == "main.js" && f.Name == "index.html" || m.file == "quay.tokens.json" &&
			f.Name == "main.css" {
			continue
		}
		files = append(files, f)
	}
	switch m.file {
	case "main.js":
		files = append(files,
			txtar.File{Name: "index.html",
				Data: []byte(`<!doctype html><title>x</title><link rel="stylesheet" href="main.css"><script type="module" src="main.js"></script><p class="board a">`)})
	case "quay.tokens.json":
		files = append(files,
			txtar.File{Name: "main.css",
				Data: []byte("@tokens \"quay.tokens.json\";\n.board { color: const(tone.calm, teal); width: const(size.wide, 1px) }\n")})
	}
	settings := "[roots]\nkit = \"vendor\"\n"
	if m.file == "rinzel.toml" {
		if settings = text; !strings.Contains(text, "[roots]") {
			settings += "[roots]\nkit = \"vendor\"\n"
		}
	} else {
		files = append(files, txtar.File{Name: m.file, Data: []byte(text)})
	}
	files = append(files, txtar.File{Name: "rinzel.toml", Data: []byte(settings)})
	dir := layOut(t, files)
	p, diags := openProject(t, dir)
	if !diag.HasErrors(diags) {
		res, err := site.Build(context.Background(), p, site.Options{Profile: "development"})
		if err != nil {
			t.Fatal(err)
		}
		checked, err := site.Check(context.Background(), p, nil, site.Options{})
		if err != nil {
			t.Fatal(err)
		}
		constants, err := query.ListConstants(context.Background(), p)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range slices.Concat(res.Diagnostics, checked.Diagnostics, constants.Diagnostics) {
			if !slices.ContainsFunc(diags,
				func(o diag.Diagnostic) bool { return o.Code == d.Code && o.Span == d.Span && o.Message == d.Message }) {
				diags = append(diags, d)
			}
		}
	}
	offset = func(d diag.Diagnostic) (string, int) {
		f := p.Tree.Set.File(d.Span.Start.File)
		if f == nil {
			return "", -1
		}
		return f.Name, int(d.Span.Start.Off)
	}
	return diags, offset, strings.ReplaceAll(rendered(p.Tree.Set, diags), dir+"/", "")
}

// TestMistakes makes each mistake of testdata/mistakes.txt. It must be reported
// at its position with its cause, and the suggested fix must remove the finding
// and leave no error.
func TestMistakes(t *testing.T) {
	list := readMistakes(t)
	if len(list) < 150 {
		t.Errorf("there are only %d mistakes", len(list))
	}
	for _, m := range list {
		t.Run(fmt.Sprintf("line %d, %s", m.line, m.code), func(t *testing.T) {
			t.Parallel()
			found, offset, shown := findingsWith(t, m, m.text)
			i := slices.IndexFunc(found, func(d diag.Diagnostic) bool { return string(d.Code) == m.code })
			if i < 0 {
				t.Fatalf("%s\nfound\n%swant %s", m.text, shown, m.code)
			}
			d := found[i]
			if name, at := offset(d); m.at >= 0 && (!strings.HasSuffix(name, m.file) || at != m.at) {
				t.Errorf("%s\nfound in %s at %d, want %d\n%s", m.text, name, at, m.at, shown)
			}
			said := d.Message + "\n" + d.Fix
			for _, want := range []string{m.fix, m.reason} {
				if !strings.Contains(said, want) {
					t.Errorf("%s\nno %q in\n%s", m.text, want, said)
				}
			}
			for _, other := range found {
				if other.Severity == diag.Error && string(other.Code) != m.code {
					t.Errorf("%s\na follow-on error:\n%s", m.text, shown)
				}
			}
			after, _, shown := findingsWith(t, m, m.fixed)
			if slices.ContainsFunc(after, func(o diag.Diagnostic) bool { return string(o.Code) == m.code }) ||
				diag.HasErrors(after) {
				t.Errorf("after the fix\n%s\nfound\n%s", m.fixed, shown)
			}
		})
	}
}
