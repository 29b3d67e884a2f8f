package cli_test

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// startServe starts the serve command, and returns the URL that it prints.
func startServe(t testing.TB, dir string, args ...string) (*watched, string) {
	t.Helper()
	w := startAs(t, dir, nil, append([]string{"serve"}, args...)...)
	w.expect("serving at http://")
	line := w.seen[len(w.seen)-1]
	return w, strings.TrimSuffix(strings.TrimPrefix(line, "serving at "), "/")
}

// fetched returns the status and the body of a URL.
func fetched(t *testing.T, url string) (int, string) {
	t.Helper()
	r, err := http.NewRequest("GET", url, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Accept", "text/html")
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(body)
}

// TestServe serves a site, changes it, breaks and repairs it and its settings,
// and interrupts the server.
func TestServe(t *testing.T) {
	dir := lay(t, "rinzel.toml", "base = \"/quay/\"\n", "index.html", "<link rel=stylesheet href=main.css><p class=a>",
		"main.css", ".a { top: 1px; background: url(sea.svg) }\n", "sea.svg", "<svg/>")
	w, address := startServe(t, dir)
	if !regexp.MustCompile(`^http://127\.0\.0\.1:\d+/quay$`).MatchString(address) {
		t.Errorf("address %s", address)
	}
	w.expect("  /quay/")
	w.expect("built 1 page")
	w.expect("watching")
	status, page := fetched(t, address+"/")
	if status != 200 || !strings.Contains(page, "<link rel=stylesheet href=index.css>") ||
		!strings.Contains(page, "/.rinzel/client.js") {
		t.Errorf("%d %s", status, page)
	}
	if _, sheet := fetched(t, address+"/index.css"); !strings.Contains(sheet, "top: 1px") {
		t.Errorf("sheet %s", sheet)
	}
	if _, err := os.Stat(filepath.Join(dir, "public")); err == nil {
		t.Error("the output folder was written")
	}
	w.write("main.css", ".a { top: 2px; background: url(sea.svg) }\n")
	w.expect("updated index.css, in ")
	if _, sheet := fetched(t, address+"/index.css"); !strings.Contains(sheet, "top: 2px") {
		t.Errorf("sheet %s", sheet)
	}
	w.write("main.css", ".a { top: const(x); background: url(sea.svg) }\n")
	w.expect("1 error: pages remain as they were")
	if _, sheet := fetched(t, address+"/index.css"); !strings.Contains(sheet, "top: 2px") {
		t.Errorf("sheet after an error: %s", sheet)
	}
	w.write("rinzel.toml", "bse = 1\n")
	w.expect("unknown key")
	// Files that are copied remain available.
	if status, picture := fetched(t, address+"/sea.svg"); status != 200 || picture != "<svg/>" {
		t.Errorf("picture with broken settings: %d %s", status, picture)
	}
	w.write("rinzel.toml", "base = \"/quay/\"\n[constants]\nx = \"3px\"\n")
	w.expect("updated index.css, in ")
	if _, sheet := fetched(t, address+"/index.css"); !strings.Contains(sheet, "top: 3px") {
		t.Errorf("sheet after a change of the settings: %s", sheet)
	}
	if status, page := fetched(t, address+"/tide.html"); status != 404 || !strings.Contains(page, "No such page") {
		t.Errorf("%d %s", status, page)
	}
	if runtime.GOOS == "windows" {
		return
	}
	res, err := http.Get(address[:len(address)-len("/quay")] + "/.rinzel/events?sum=x") // an open stream
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	begin := time.Now()
	_ = w.cmd.Process.Signal(os.Interrupt)
	if err := w.cmd.Wait(); err != nil {
		t.Errorf("after an interrupt: %v", err)
	}
	if took := time.Since(begin); took > time.Second { // 100 ms on a machine that does nothing else
		t.Errorf("ending took %v", took)
	}
}

// TestServeOptions checks a site that never built, --write, and ports.
func TestServeOptions(t *testing.T) {
	dir := lay(t, "index.html", "<link rel=stylesheet href=main.css><p class=a>", "main.css", ".a { top: const(x) }\n")
	w, address := startServe(t, dir, "--write")
	w.expect("1 error: pages show the errors until they are fixed")
	status, page := fetched(t, address+"/")
	if status != 500 || !strings.Contains(page, `main.css:1:17</a>: <span class="severity">error:</span> unknown constant &#34;x&#34;`) {
		t.Errorf("%d %s", status, page)
	}
	w.write("main.css", ".a { top: 1px }\n")
	w.expect("built 1 page")
	w.has("public/index.css", "top: 1px")
	if data, err := os.ReadFile(filepath.Join(dir, "public", "index.html")); err != nil ||
		strings.Contains(string(data), ".rinzel") {
		t.Errorf("the written page: %v %s", err, data)
	}
	port := address[strings.LastIndexByte(address, ':')+1:]
	for _, test := range []struct{ args, want string }{
		{"--port " + port, "port " + port + " is in use"},
		{"--port 70000", "port 70000 does not exist: ports are between 1 and 65535"},
		{"--address 256.0.0.1", "cannot listen on 256.0.0.1"},
		{"--prot 1", "did you mean --port?"},
	} {
		code, out, errs := runIn(t, dir, append([]string{"serve"}, strings.Fields(test.args)...)...)
		if code != 2 || !strings.Contains(errs, test.want) {
			t.Errorf("%s: %d\n%s%s", test.args, code, out, errs)
		}
	}
	if _, second := startServe(t, dir); second == address {
		t.Errorf("two servers at %s", second)
	}
}

// startDemo serves the sample site, and returns its folder and its URL.
func startDemo(t testing.TB) (w *watched, dir, address string) {
	t.Helper()
	dir = filepath.Join(t.TempDir(), "harbour")
	w = startAs(t, ".", nil, "demo", dir, "--serve")
	w.expect("serving at http://")
	address = strings.TrimPrefix(w.seen[len(w.seen)-1], "serving at ")
	w.expect("watching")
	return w, dir, address
}

// TestServeDemo changes a token of the sample site, and waits for its colour on
// an open page.
func TestServeDemo(t *testing.T) {
	b := browsertest.Start(t)
	_, dir, address := startDemo(t)
	page := b.Open(address)
	tokens := filepath.Join(dir, "site", "harbour.tokens.json")
	text, err := os.ReadFile(tokens)
	if err != nil {
		t.Fatal(err)
	}
	page.Eval(`window.mark = 1; 0`, new(int))
	const fill = `getComputedStyle(document.querySelector(".button, [class*=button]")).backgroundColor`
	var before string
	page.Eval(fill, &before)
	for i := range 10 {
		want := fmt.Sprintf("rgb(%d, 2, 3)", 100+i)
		changed := strings.Replace(string(text), "#c8501f", fmt.Sprintf("#%02x0203", 100+i), 1)
		if err := os.WriteFile(tokens, []byte(changed), 0o644); err != nil {
			t.Fatal(err)
		}
		var got string
		for end := time.Now().Add(10 * time.Second); got != want && time.Now().Before(end); {
			page.Eval(`[`+fill+`, window.mark].join()`, &got)
			got = strings.TrimSuffix(got, ",1")
		}
		if got != want {
			t.Fatalf("the button is %s, want %s (%s before)", got, want, before)
		}
	}

	// One token has all shades of blue.
	const shades = `["header", "h1", ".board", ".site-footer", ".scene .sea", ".scene .hills", ".scene .bluff", ".tide-next", ".hero"]
		.map(e => { const s = getComputedStyle(document.querySelector(e)); return [s.color, s.fill, s.backgroundColor, s.backgroundImage] })`
	var old, now [][]string
	page.Eval(shades, &old)
	if err := os.WriteFile(tokens, []byte(strings.Replace(string(text), "#14697a", "#7a1f5c", 1)), 0o644); err != nil {
		t.Fatal(err)
	}
	same := len(old)
	for end := time.Now().Add(10 * time.Second); same > 0 && time.Now().Before(end); {
		page.Eval(shades, &now)
		same = 0
		for i := range old {
			if slices.Equal(old[i], now[i]) {
				same++
			}
		}
	}
	var mark int
	if page.Eval(`window.mark`, &mark); same > 0 || mark != 1 {
		t.Errorf("%d of %d elements have the old colours; marker %d\n%q", same, len(old), mark, now)
	}
}

// awaitServed waits until a URL has a status and contains a text.
func awaitServed(t *testing.T, url string, status int, want string) {
	t.Helper()
	var got int
	var text string
	for end := time.Now().Add(15 * time.Second); time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		if got, text = fetched(t, url); got == status && strings.Contains(text, want) {
			return
		}
	}
	t.Fatalf("%s: %d without %q:\n%.2000s", url, got, want, text)
}

// TestServeFollows installs a package, moves the source folder away and back,
// and switches between two versions of the whole site, as a change of branches
// does.
func TestServeFollows(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><title>One</title><link rel=stylesheet href=css/main.css><p class=a>", "site/css/main.css",
		"@import \"package:@quay/gauge\";\n.a { top: 1px }\n")
	w, address := startServe(t, dir)
	awaitServed(t, address+"/", 500, "is not installed")
	w.write("node_modules/@quay/gauge/package.json", `{"name": "@quay/gauge", "style": "gauge.css"}`)
	w.write("node_modules/@quay/gauge/gauge.css", ".gauge { left: 1px }\n")
	awaitServed(t, address+"/", 200, "<title>One</title>")
	awaitServed(t, address+"/index.css", 200, "left: 1px")
	w.write("node_modules/@quay/gauge/gauge.css", ".gauge { left: 2px }\n")
	awaitServed(t, address+"/index.css", 200, "left: 2px")

	source := filepath.Join(dir, "site")
	for i := range 3 {
		if err := os.Rename(source, filepath.Join(dir, "away")); err != nil {
			t.Fatal(err)
		}
		awaitServed(t, address+"/.rinzel/findings", 200, "error")
		if err := os.Rename(filepath.Join(dir, "away"), source); err != nil {
			t.Fatal(err)
		}
		w.write("site/css/main.css", fmt.Sprintf("@import \"package:@quay/gauge\";\n.a { top: %dpx }\n", i+2))
		awaitServed(t, address+"/index.css", 200, fmt.Sprintf("top: %dpx", i+2))
		awaitServed(t, address+"/.rinzel/findings", 200, "No errors")
	}

	// Another branch has other folders, pages and settings.
	branches := []map[string]string{{}, {}}
	for i := range 30 {
		for n, files := range branches {
			folder := fmt.Sprintf("site/part%d", i%(3+n*4))
			files[fmt.Sprintf("%s/page%d.html", folder, i)] = fmt.Sprintf(
				"<!doctype html><title>Branch %d</title><link rel=stylesheet href=/css/main.css><link rel=stylesheet href=own%d.css><p class=b>", n, i)
			files[fmt.Sprintf("%s/own%d.css", folder, i)] = fmt.Sprintf("@import \"/css/common.css\";\n.b { top: %dpx }\n", 100*n+i)
			files["site/css/common.css"] = fmt.Sprintf(".common { left: %dpx }\n", n)
			files["site/css/main.css"] = fmt.Sprintf(".a { right: %dpx }\n", n)
			files["rinzel.toml"] = fmt.Sprintf("source = \"site\"\n[split]\nmin-bytes = %d\n", n*100)
		}
	}
	for i := range 6 {
		n := i % 2
		if err := os.RemoveAll(filepath.Join(dir, "site")); err != nil {
			t.Fatal(err)
		}
		for name, text := range branches[n] {
			w.write(name, text)
		}
		awaitServed(t, fmt.Sprintf("%s/part%d/page29.html", address, 29%(3+n*4)), 200, fmt.Sprintf("Branch %d", n))
		built := t.TempDir()
		if code, out, errs := runIn(t, dir, "build", "--output", filepath.Join(built, "public")); code != 0 {
			t.Fatal(out, errs)
		}
		for name, text := range contents(t, filepath.Join(built, "public")) {
			if strings.HasSuffix(name, ".css") {
				awaitServed(t, address+"/"+name, 200, firstLines(text))
			}
		}
	}
}

// firstLines returns a sheet without its map.
func firstLines(text string) string {
	before, _, _ := strings.Cut(text, "/*# source")
	return before
}
