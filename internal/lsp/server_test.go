package lsp_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/sourcegraph/jsonrpc2"

	"rinzel/demo"
	"rinzel/internal/lsp"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// editor is a client of a server.
type editor struct {
	t    testing.TB
	dir  string
	conn *jsonrpc2.Conn

	mu    sync.Mutex
	found map[string][]finding // by file, relative to the folder
	news  chan struct{}
}

// finding is a published finding.
type finding struct {
	Code    string
	Message string
	Range   struct{ Start, End struct{ Line, Character int } }
}

// action is a proposed correction.
type action struct {
	Title string
	Edit  struct {
		DocumentChanges []struct {
			Edits []struct {
				NewText string
				Range   struct{ Start, End struct{ Line, Character int } }
			}
		}
	}
}

// newEditor starts a server for a folder, and initializes it.
func newEditor(t testing.TB, dir string) *editor {
	t.Helper()
	return newEditorWith(t, dir, map[string]any{})
}

// newEditorWith is newEditor for an editor with capabilities.
func newEditorWith(t testing.TB, dir string, capabilities map[string]any) *editor {
	t.Helper()
	e := &editor{t: t, dir: dir, found: make(map[string][]finding), news: make(chan struct{}, 100)}
	ours, theirs := net.Pipe()
	ended := make(chan error, 1)
	ctx, cancel := context.WithCancel(context.Background())
	go func() { ended <- lsp.Serve(ctx, theirs, lsp.Options{Version: "test"}) }()
	e.conn = jsonrpc2.NewConn(ctx, jsonrpc2.NewBufferedStream(ours, jsonrpc2.VSCodeObjectCodec{}),
		jsonrpc2.HandlerWithError(func(_ context.Context, _ *jsonrpc2.Conn, r *jsonrpc2.Request) (any, error) {
			if r.Method == "textDocument/publishDiagnostics" {
				var p struct {
					URI         string
					Diagnostics []finding
				}
				if err := json.Unmarshal(*r.Params, &p); err != nil {
					t.Error(err)
				}
				e.mu.Lock()
				e.found[strings.TrimPrefix(p.URI, "file://"+dir+"/")] = p.Diagnostics
				e.mu.Unlock()
				e.news <- struct{}{}
			}
			return nil, nil
		}))
	t.Cleanup(func() {
		e.call("shutdown", nil, nil)
		e.notify("exit", nil)
		select {
		case err := <-ended:
			if err != nil {
				t.Error(err)
			}
		case <-time.After(10 * time.Second):
			t.Error("the server does not end")
		}
		cancel()
	})
	var answer struct {
		Capabilities map[string]any
		ServerInfo   struct{ Name string }
	}
	e.call("initialize", map[string]any{"rootUri": "file://" + dir, "capabilities": capabilities}, &answer)
	if answer.ServerInfo.Name != "rinzel" || answer.Capabilities["hoverProvider"] != true {
		t.Errorf("%+v", answer)
	}
	e.notify("initialized", map[string]any{})
	return e
}

// call sends a request.
func (e *editor) call(method string, params, result any) {
	e.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	if err := e.conn.Call(ctx, method, params, result); err != nil {
		e.t.Fatalf("%s: %v", method, err)
	}
}

// notify sends a notification.
func (e *editor) notify(method string, params any) {
	e.t.Helper()
	if err := e.conn.Notify(context.Background(), method, params); err != nil {
		e.t.Fatalf("%s: %v", method, err)
	}
}

// open opens a file.
func (e *editor) open(name string) string {
	e.t.Helper()
	text, err := os.ReadFile(filepath.Join(e.dir, name))
	if err != nil {
		e.t.Fatal(err)
	}
	e.notify("textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": e.uri(name), "languageId": "css", "version": 1,
		"text": string(text)}})
	return string(text)
}

func (e *editor) uri(name string) string { return "file://" + e.dir + "/" + name }

// write replaces the text of an open file, without saving it.
func (e *editor) write(name, text string) {
	e.t.Helper()
	e.notify("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": e.uri(name), "version": 2},
		"contentChanges": []any{map[string]any{"text": text}}})
}

// await waits until the findings of a file have what is wanted, or none for "".
func (e *editor) await(name, want string) {
	e.t.Helper()
	late := time.After(20 * time.Second)
	for {
		e.mu.Lock()
		list, known := e.found[name]
		text := ""
		for _, f := range list {
			text += f.Code + ": " + f.Message + "\n"
		}
		e.mu.Unlock()
		if known && (want == "" && text == "" || want != "" && strings.Contains(text, want)) {
			return
		}
		select {
		case <-e.news:
		case <-late:
			e.t.Fatalf("%s has the findings %q, want %q", name, text, want)
		}
	}
}

// at returns the parameters of a request about the place of "|" in a text, which is written
// into a file without it.
func (e *editor) at(name, marked string) map[string]any {
	e.t.Helper()
	before, after, ok := strings.Cut(marked, "|")
	if !ok {
		e.t.Fatal(marked)
	}
	e.write(name, before+after)
	line := strings.Count(before, "\n")
	column := len(before) - strings.LastIndex(before, "\n") - 1
	return map[string]any{"textDocument": map[string]any{"uri": e.uri(name)}, "position": map[string]any{"line": line, "character": column}}
}

// labels returns what is proposed at "|".
func (e *editor) labels(name, marked string) (out []string) {
	e.t.Helper()
	var list struct{ Items []struct{ Label string } }
	e.call("textDocument/completion", e.at(name, marked), &list)
	for _, item := range list.Items {
		out = append(out, item.Label)
	}
	return out
}

// newDemo writes the sample site.
func newDemo(t *testing.T) string {
	t.Helper()
	dir, err := filepath.EvalSymlinks(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	dir, err = source.WriteTree(filepath.Join(dir, "harbour"), demo.Site())
	if err != nil {
		t.Fatal(err)
	}
	return dir
}

// TestEditing goes through a session of an editor on the sample site.
func TestEditing(t *testing.T) {
	e := newEditor(t, newDemo(t))
	const sheet, page = "site/css/parts/footer.css", "site/lost.html"
	text := e.open(sheet)
	e.await(sheet, "")

	// findings of texts that are not saved, and of other files
	e.write(sheet, text+".site-footer { colour: red; color: const(color.see); }\n")
	e.await(sheet, `unknown constant "color.see"`)
	e.await(sheet, `unknown property "colour"`)
	e.write(sheet, text)
	e.await(sheet, "")

	for _, test := range []struct{ marked, want string }{
		{text + ".a { color: const(color.s| }", "color.sea"},
		{text + ".a { text-al|", "text-align"},
		{text + ".a { text-align: ce|", "center"},
		{text + ".a { color: te|", "teal"},
		{text + ".a { @ta|", "take"},
		{text + ".a { color: var(--se|", "--sea"},
		{text + ".site-na| { }", "site-name"},
		{"@import \"| ", "board.css"},
	} {
		if got := e.labels(sheet, test.marked); !slices.Contains(got, test.want) {
			end := test.marked[max(0, len(test.marked)-30):]
			t.Errorf("at the end of %q: no %q in %q", end, test.want, got[:min(len(got), 10)])
		}
	}
	e.write(sheet, text)

	// classes of families in a page
	markup := e.open(page)
	put := strings.Replace(markup, `class="found"`, `class="found wide-padding-|"`, 1)
	got := e.labels(page, put)
	if !slices.Contains(got, "wide-padding-4") || !slices.Contains(got, "wide-padding-block-10") {
		t.Errorf("%q", got[:min(len(got), 20)])
	}
	put = strings.Replace(markup, `class="found"`, `class="fou|"`, 1)
	if got := e.labels(page, put); !slices.Contains(got, "found") {
		t.Errorf("%q", got)
	}
	e.write(page, strings.Replace(markup, `"shelf-boats"`, `"shelf-boat"`, 1))
	e.await(page, `did you mean "shelf-boats"?`)
	var actions []action
	e.mu.Lock()
	where := e.found[page][0].Range
	e.mu.Unlock()
	e.call("textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": e.uri(page)}, "range": where,
		"context": map[string]any{"diagnostics": []any{}}}, &actions)
	if len(actions) != 1 || actions[0].Title != `write "shelf-boats"` {
		t.Fatalf("%+v", actions)
	}
	edit := actions[0].Edit.DocumentChanges[0].Edits[0]
	line := strings.Split(strings.Replace(markup, `"shelf-boats"`, `"shelf-boat"`, 1), "\n")[edit.Range.Start.Line]
	was := line[edit.Range.Start.Character:edit.Range.End.Character]
	if was != "shelf-boat" || edit.NewText != "shelf-boats" {
		t.Errorf("%q becomes %q", was, edit.NewText)
	}
	e.write(page, markup)
	e.await(page, "")

	// explanations, definitions
	var hover struct{ Contents struct{ Value string } }
	e.call("textDocument/hover", e.at(page, strings.Replace(markup, `shelf-boats`, `shelf|-boats`, 1)), &hover)
	if !strings.Contains(hover.Contents.Value, "of the family `.shelf-(name)` at ") {
		t.Errorf("%q", hover.Contents.Value)
	}
	e.call("textDocument/hover", e.at(sheet, text+".a { color: const(color.s|ea) }"), &hover)
	value := hover.Contents.Value
	if !strings.Contains(value, "color.sea: #14697a") || !strings.Contains(value, "harbour.tokens.json:5") {
		t.Errorf("%q", value)
	}
	e.call("textDocument/hover", e.at(sheet, text+".a { text-al|ign: left }"), &hover)
	if !strings.Contains(hover.Contents.Value, "text-align: start | end") {
		t.Errorf("%q", hover.Contents.Value)
	}
	var places []struct {
		URI   string
		Range struct{ Start struct{ Line int } }
	}
	e.call("textDocument/definition", e.at(sheet, text+".a { color: const(color.s|ea) }"), &places)
	if len(places) != 1 || places[0].URI != e.uri("site/harbour.tokens.json") || places[0].Range.Start.Line != 4 {
		t.Errorf("%+v", places)
	}
	e.write(sheet, text)

	// outline and form
	var symbols []struct{ Name string }
	e.call("textDocument/documentSymbol", map[string]any{"textDocument": map[string]any{"uri": e.uri(sheet)}}, &symbols)
	if len(symbols) == 0 || !strings.HasPrefix(symbols[0].Name, ".site-footer") {
		t.Errorf("%+v", symbols)
	}
	var folds []struct{ StartLine, EndLine int }
	e.call("textDocument/foldingRange", map[string]any{"textDocument": map[string]any{"uri": e.uri(sheet)}}, &folds)
	if len(folds) == 0 {
		t.Error("no folding ranges")
	}
	var edits []struct{ NewText string }
	e.write(sheet, "a{b:c}")
	e.call("textDocument/formatting", map[string]any{"textDocument": map[string]any{"uri": e.uri(sheet)}}, &edits)
	if len(edits) != 1 || edits[0].NewText != "a {\n  b: c;\n}\n" {
		t.Errorf("%+v", edits)
	}

	// colours
	var colors []struct {
		Range struct{ Start, End struct{ Line, Character int } }
		Color struct{ Red, Green, Blue, Alpha float64 }
	}
	const colored = "@const a: #f00; @const b { c: rgb(0 0 255 / 0.5); red: 1px } p { color: lime; font-family: red; border: 1px solid #00f8 }"
	e.write(sheet, colored)
	e.call("textDocument/documentColor", map[string]any{"textDocument": map[string]any{"uri": e.uri(sheet)}}, &colors)
	text = ""
	for _, c := range colors {
		was := colored[c.Range.Start.Character:c.Range.End.Character]
		text += fmt.Sprintf("%s %g %g %g %.1f; ", was, c.Color.Red, c.Color.Green, c.Color.Blue, c.Color.Alpha)
	}
	if text != "#f00 1 0 0 1.0; rgb(0 0 255 / 0.5) 0 0 1 0.5; lime 0 1 0 1.0; #00f8 0 0 1 0.5; " {
		t.Errorf("the colours are %s", text)
	}
	var forms []struct{ Label string }
	e.call("textDocument/colorPresentation", map[string]any{"textDocument": map[string]any{"uri": e.uri(sheet)},
		"color": map[string]any{"red": 0.2, "green": 0.4, "blue": 1, "alpha": 0.25}, "range": colors[0].Range}, &forms)
	if len(forms) != 2 || forms[0].Label != "#3366ff40" || forms[1].Label != "rgb(51 102 255 / 0.25)" {
		t.Errorf("%+v", forms)
	}
	var names []struct{ Name string }
	e.call("workspace/symbol", map[string]any{"query": "color.s"}, &names)
	if len(names) != 1 || names[0].Name != "color.sea" {
		t.Errorf("%+v", names)
	}

	// closing a file: what is on disk counts again
	e.write(sheet, "a { color: const(nothing) }")
	e.await(sheet, "unknown constant")
	e.notify("textDocument/didClose", map[string]any{"textDocument": map[string]any{"uri": e.uri(sheet)}})
	e.await(sheet, "")
}

// TestFixes applies all fixes that the server proposes for a sheet with mistakes.
func TestFixes(t *testing.T) {
	dir := newDemo(t)
	e := newEditor(t, dir)
	const sheet = "site/css/pages/notices.css"
	text := e.open(sheet)
	const bad = "@import \"../parts/notic.css\";\n.x { colr: red; color: const(color.see); position: relativ; @apply --none; }\n"
	const good = "@import \"../parts/notice.css\";\n.x { color: red; color: const(color.sea); position: relative; @apply --none; }\n"
	e.write(sheet, bad+text)
	e.await(sheet, "did you mean \"relative\"?")
	var actions []action
	all := map[string]any{"start": map[string]any{"line": 0, "character": 0}, "end": map[string]any{"line": 9999, "character": 0}}
	e.call("textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": e.uri(sheet)}, "range": all}, &actions)
	lines := strings.SplitAfter(bad, "\n")
	slices.SortFunc(actions, func(a, b action) int { // from the end of a line
		column := func(x action) int { return x.Edit.DocumentChanges[0].Edits[0].Range.Start.Character }
		return column(b) - column(a)
	})
	for _, a := range actions {
		edit := a.Edit.DocumentChanges[0].Edits[0]
		line := &lines[edit.Range.Start.Line]
		*line = (*line)[:edit.Range.Start.Character] + edit.NewText + (*line)[edit.Range.End.Character:]
	}
	if got := strings.Join(lines, ""); got != good {
		t.Errorf("the fixes make\n%s, want\n%s", got, good)
	}
}

// TestFindings compares the findings of the server with those of a check.
func TestFindings(t *testing.T) {
	dir := newDemo(t)
	for name, text := range map[string]string{"board.css": ".board { colour: red; width: 3 } .x { color: const(nothing) }", "hero.css": "a { b: c"} {
		f, err := os.OpenFile(filepath.Join(dir, "site/css/parts", name), os.O_APPEND|os.O_WRONLY, 0)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := f.WriteString(text); err != nil {
			t.Fatal(err)
		}
		if err := f.Close(); err != nil {
			t.Fatal(err)
		}
	}
	p, found, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
	if err != nil || len(found) > 0 {
		t.Fatal(err, found)
	}
	defer p.Close()
	checked, err := site.Check(t.Context(), p, nil, site.Options{})
	if err != nil {
		t.Fatal(err)
	}
	want := make(map[string]int) // by file
	total := 0
	for _, d := range checked.Diagnostics {
		f := p.Tree.Set.File(d.Span.Start.File)
		if f != nil {
			rel, err := filepath.Rel(dir, f.Name)
			if err != nil {
				t.Fatal(err)
			}
			want[filepath.ToSlash(rel)]++
			total++
		}
	}
	if total < 5 {
		t.Fatalf("%d findings", total)
	}
	e := newEditor(t, dir)
	e.await("site/css/parts/board.css", `unknown property "colour"`)
	e.await("site/css/parts/hero.css", "unclosed")
	e.mu.Lock()
	defer e.mu.Unlock()
	for name, n := range want {
		if len(e.found[name]) != n {
			t.Errorf("%s has %d findings, want %d", name, len(e.found[name]), n)
		}
	}
}

// TestSettingsChange saves settings with a mistake, and without it again.
func TestSettingsChange(t *testing.T) {
	dir := newDemo(t)
	e := newEditor(t, dir)
	const sheet = "site/css/parts/footer.css"
	text := e.open(sheet)
	settings := filepath.Join(dir, "rinzel.toml")
	good, err := os.ReadFile(settings)
	if err != nil {
		t.Fatal(err)
	}
	save := func(text string) {
		if err := os.WriteFile(settings, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		e.notify("workspace/didChangeWatchedFiles", map[string]any{"changes": []any{map[string]any{"uri": e.uri("rinzel.toml"), "type": 2}}})
	}
	save("sauce = \"site\"\n" + string(good))
	e.await("rinzel.toml", `unknown key "sauce"`)
	if got := e.labels(sheet, text+".a { text-al|"); !slices.Contains(got, "text-align") {
		t.Errorf("with invalid settings %q are proposed", got)
	}
	e.labels(sheet, text+".a { color: const(co|") // whatever is known
	e.write(sheet, text+".a { color: const(nothing) }")
	save(string(good))
	e.await("rinzel.toml", "")
	e.await(sheet, "unknown constant") // the text that is not saved is still that of the editor
	if err := os.Remove(settings); err != nil {
		t.Fatal(err)
	}
	e.notify("workspace/didChangeWatchedFiles", map[string]any{"changes": []any{map[string]any{"uri": e.uri("rinzel.toml"), "type": 3}}})
	e.write(sheet, text)
	e.await("site/css/kit.css", `unknown root "kit"`)
}

// TestProtocol sends what a client must not send: the server answers with errors, and goes
// on.
func TestProtocol(t *testing.T) {
	e := newEditor(t, newDemo(t))
	for method, params := range map[string]any{
		"nothing/here":                nil,
		"textDocument/hover":          []int{1},
		"textDocument/completion":     "x",
		"initialize":                  map[string]any{},
		"textDocument/documentSymbol": 7,
	} {
		if err := e.conn.Call(context.Background(), method, params, nil); err == nil {
			t.Errorf("%s is accepted", method)
		}
	}
	e.notify("nothing/else", nil)
	e.notify("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": "file:///none.css"}})
	for _, uri := range []string{"untitled:1", "file:///elsewhere/x.css", "http://x/y.css", "%%%"} {
		e.notify("textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": uri, "version": 1, "text": "a{"}})
		var answer any
		e.call("textDocument/hover", map[string]any{"textDocument": map[string]any{"uri": uri}, "position": map[string]any{"line": 900, "character": 3}}, &answer)
		if answer != nil {
			t.Errorf("%s: %v", uri, answer)
		}
	}
}

// BenchmarkRequests asks after each edit of a sheet of a site with 500 sheets and 25 pages,
// and reports how long the answers take, in milliseconds.
func BenchmarkRequests(b *testing.B) {
	dir, err := filepath.EvalSymlinks(b.TempDir())
	if err != nil {
		b.Fatal(err)
	}
	write := func(name, text string) {
		file := filepath.Join(dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o755), os.WriteFile(file, []byte(text), 0o644)); err != nil {
			b.Fatal(err)
		}
	}
	for p := range 25 {
		links := ""
		for i := range 20 {
			name := fmt.Sprintf("css/s%d.css", p*20+i)
			links += "<link rel=stylesheet href=" + name + ">"
			text := fmt.Sprintf("@default tone-%d: teal;\n", i)
			for k := range 20 {
				text += fmt.Sprintf(".s%d-%d { color: const(tone-%d); margin: %dpx; &:hover { top: 0 } }\n", p*20+i, k, i, k)
			}
			write(name, text)
		}
		write(fmt.Sprintf("page%d.html", p), "<!doctype html><html lang=en>"+links+"<p class=s1-1>")
	}
	e := newEditor(b, dir)
	const sheet = "css/s7.css"
	text := e.open(sheet)
	e.await(sheet, "")
	var took []time.Duration
	n := 0
	for b.Loop() {
		n++
		marked := text + fmt.Sprintf(".x%d { color: const(to|", n)
		params := e.at(sheet, marked)
		time.Sleep(time.Duration(n%20) * 10 * time.Millisecond) // somewhere in the search for findings
		start := time.Now()
		var list struct{ Items []struct{ Label string } }
		e.call("textDocument/completion", params, &list)
		took = append(took, time.Since(start))
		if len(list.Items) == 0 {
			b.Fatal("nothing is proposed")
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "p50-ms")
	b.ReportMetric(float64(took[len(took)*9/10].Microseconds())/1000, "p90-ms")
	b.ReportMetric(float64(took[len(took)-1].Microseconds())/1000, "max-ms")
}
