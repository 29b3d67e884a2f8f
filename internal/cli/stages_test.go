package cli_test

import (
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"
)

// stagedSite is a small site for the commands that show what steps do.
var stagedSite = []string{"index.html", "<!doctype html><link rel=stylesheet href=main.css><style>.pier { left: 0 }\n.gone { left: 0 }</style><p class=\"pier quay\">x",
	"main.css", "@import \"part.css\" without(selector(\".mole\"));\n.pier {\n  color: red;\n  margin: 0;\n  &:hover { color: navy; }\n}\n.pier { color: blue }\n.lost { top: 0 }\n@loop k over 1, 2 {\n  .berth-(k) { order: const(k) }\n}\n",
	"part.css", "@const gap: 4px;\n.mole { top: 0 }\n.quay { padding: const(gap) }\n", "script.js", "x.className = 'berth-' + n\n"}

func TestStages(t *testing.T) {
	dir := lay(t, stagedSite...)
	if code, out, errs := runIn(t, dir, "build", "-p", "production"); code != 0 {
		t.Fatal(code, out, errs)
	}
	for _, test := range []struct {
		args string
		code int
		want string
	}{
		{"index.html", 0, "index.css: part.css, main.css\n  after    bytes"},
		{"index.html", 0, "\nindex.html, style element\n"},
		{"main.css", 0, "  import   "},
		{"part.css", 0, "part.css\n  after    bytes"},
		{"main.css --step purge", 0, ".quay {\n  padding: 4px;\n}\n\n.pier {\n  color: red;\n"},
		{"part.css --step source", 0, "@const gap: 4px;\n.mole { top: 0 }\n"},
		{"main.css --step compose", 0, ".mole {\n  top: 0;\n}\n"},
		{"index.css --step minify", 0, ".quay{padding:4px}.pier{margin:0;color:blue}.pier:hover{color:navy}"},
		{"index.html --diff --step purge", 0, "-.lost {\n-  top: 0;\n-}\n"},
		{"index.html --diff", 0, "compose  +7 -9\npart.css\n@@ "},
		{"main.css -p development --step minify", 2, "the step \"minify\" does not run on main.css in the profile \"development\""},
		{"main.css --step minfy", 2, "unknown step \"minfy\"; did you mean \"minify\"?"},
		{"mian.css", 2, "no page, bundle or sheet has the name \"mian.css\"; did you mean \"main.css\"?"},
		{"script.js", 2, "no page, bundle or sheet has the name \"script.js\""},
		{"", 2, "stages takes a page, bundle or sheet"},
	} {
		code, out, errs := runIn(t, dir, append([]string{"stages"}, strings.Fields(test.args)...)...)
		if code != test.code || !strings.Contains(out+errs, test.want) {
			t.Errorf("stages %s: %d\n%s%s\nwant\n%s", test.args, code, out, errs, test.want)
		}
	}
	var answer struct {
		Version int
		Stages  []struct {
			Name   string
			Stages []struct {
				Step, Text string
				Bytes      int
			}
		}
	}
	_, out, _ := runIn(t, dir, "stages", "main.css", "--json")
	if err := json.Unmarshal([]byte(out), &answer); err != nil || answer.Version != 1 || len(answer.Stages) != 1 {
		t.Fatal(err, out)
	}
	for _, s := range answer.Stages[0].Stages {
		if s.Bytes != len(s.Text) || s.Bytes == 0 {
			t.Errorf("%s: %d bytes, %q", s.Step, s.Bytes, s.Text)
		}
	}
}

func TestStagesOfErrors(t *testing.T) {
	dir := lay(t, "index.html", "<link rel=stylesheet href=main.css>", "main.css", "a { color: const(nothing) }")
	if code, _, errs := runIn(t, dir, "stages", "main.css"); code != 1 || !strings.Contains(errs, "unknown-constant") {
		t.Error(code, errs)
	}
	dir = lay(t, "main.css", "a { b { color: red } }")
	if code, out, errs := runIn(t, dir, "stages", "main.css"); code != 0 || !strings.Contains(out, "  minify") {
		t.Errorf("a folder without a page: %d\n%s%s", code, out, errs)
	}
}

// TestTraceOfNothing checks the answers about a sheet that is purged to nothing,
// which is an error of a build.
func TestTraceOfNothing(t *testing.T) {
	definitions := lay(t, "index.html", "<!doctype html><link rel=stylesheet href=main.css><p class=quay>x",
		"main.css", ".quay { top: 0 }\n@keyframes drift { to { top: 1px } }\n@media print { .lost { top: 0 } }\n")
	for place, want := range map[string]string{"main.css:2:24": "no remaining rule uses @keyframes drift",
		"main.css:3:1": "all rules in it are unused"} {
		if code, out, errs := runIn(t, definitions, "trace", place); code != 0 || !strings.Contains(out, want) {
			t.Errorf("%s: %d %s%s", place, code, out, errs)
		}
	}
	dir := lay(t, "index.html", "<!doctype html><link rel=stylesheet href=main.css><p class=quay>x",
		"main.css", ".lost { top: 0 }\n")
	if code, out, errs := runIn(t, dir, "trace", "main.css:1:9"); code != 0 || !strings.Contains(out, "unused: .lost") {
		t.Errorf("%d %s%s", code, out, errs)
	}
	if code, out, errs := runIn(t, dir, "stages", "main.css"); code != 0 || !strings.Contains(out, "  purge      0 B") {
		t.Errorf("%d %s%s", code, out, errs)
	}
	if code, out, errs := runIn(t, dir, "trace", filepath.Join(dir, "main.css")+":1"); code != 0 {
		t.Errorf("an absolute path: %d %s%s", code, out, errs)
	}
}

func TestTrace(t *testing.T) {
	dir := lay(t, stagedSite...)
	if code, out, errs := runIn(t, dir, "build", "-p", "production"); code != 0 {
		t.Fatal(code, out, errs)
	}
	for _, test := range []struct {
		place string
		code  int
		want  string
	}{
		{"main.css:3", 0, "main.css:3:3  declaration\n    3 |   color: red;\n      |   ^^^^^^^^^^\nin index.css\n  compose   .pier { color: red }\n  minify    replaced by .pier { color: blue }\n            from main.css:7:9\n"},
		{"main.css:5:15", 0, "  compose   .pier { &:hover { color: navy } }\n  lower     .pier:hover { color: navy }\n  written   public/index."},
		{"main.css:5:4", 0, "main.css:5:3  rule\n"},
		{"main.css:8:9", 0, "  purge     removed\n            unused: .lost\n"},
		{"main.css:10:16", 0, "  expanded  in the loop, where k is 1: main.css:9:1\n  expanded  in the loop, where k is 2: main.css:9:1\n"},
		{"part.css:1", 0, "part.css:1:1  @const\n"},
		{"part.css:1", 0, "  compose   no output: a definition"},
		{"part.css:2:9", 0, "  import    left out by without() or only()\n"},
		{"part.css:3:9", 0, "  imported  main.css:1:9\n  compose   .quay { padding: 4px }\n"},
		{"public/index.css:1:8", 0, "from the declaration at part.css:3:9\n"},
		{"public/index.css:1:1", 0, "from the rule at part.css:3:1\n"},
		{"index.html:1:67", 0, "in index.html\n  compose   .pier { left: 0 }\n  written   public/index.html:1:"},
		{"index.html:2", 0, "            unused: .gone\n"},
		{"main.css:99", 2, "main.css has 12 lines, not 99"},
		{"main.css:11", 2, "main.css:11 has no declaration or rule"},
		{"index.html:1:5", 2, "index.html:1 is in no style element"},
		{"other.css:1", 2, "no page and no bundle uses a sheet \"other.css\""},
		{"main.css", 2, "expected a file with a line"},
		{"main.css:0", 2, "expected a file with a line"},
		{"public/index.html:1:1", 2, "public/index.html:1 is in no style that rinzel built"},
	} {
		code, out, errs := runIn(t, dir, "trace", test.place)
		if code != test.code || !strings.Contains(out+errs, test.want) {
			t.Errorf("trace %s: %d\n%s%s\nwant\n%s", test.place, code, out, errs, test.want)
		}
	}
	if code, out, _ := runIn(t, dir, "trace", "main.css:8:9", "--json"); code != 0 ||
		!strings.Contains(out, `"cause": "unused"`) || !strings.Contains(out, `"part": ".lost"`) {
		t.Errorf("%d %s", code, out)
	}
	if code, out, _ := runIn(t, dir, "trace", "public/index.css:1:8", "-p", "development"); code != 0 ||
		!strings.Contains(out, "the file on disk differs") {
		t.Errorf("%d %s", code, out)
	}
}
