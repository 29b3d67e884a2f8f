package cli_test

import (
	"fmt"
	"html/template"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// ferries starts an application server that makes pages from the templates in
// a folder, and serves the folder static of dir at /static/, unbuilt.
func ferries(t *testing.T, dir string) string {
	t.Helper()
	mux := http.NewServeMux()
	mux.Handle("/static/", http.StripPrefix("/static/", http.FileServer(http.Dir(filepath.Join(dir, "static")))))
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		page, err := template.ParseFiles(filepath.Join(dir, "static", "templates", "page.gohtml"))
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, map[string]string{"Path": r.URL.Path})
	})
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	return server.URL
}

// await waits until an expression in a page, which may be loading, has a value.
func await(t *testing.T, page *browsertest.Page, expression, want string) {
	t.Helper()
	var got string
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); time.Sleep(2 * time.Millisecond) {
		if page.TryEval(`(() => { try { return String(`+expression+`) } catch (e) { return "error " + e } })()`, &got) == nil && got == want {
			return
		}
	}
	t.Fatalf("%s is %q, want %q", expression, got, want)
}

// TestServeApplication puts the server in front of an application server, and
// changes sheets, bundles, templates and settings.
func TestServeApplication(t *testing.T) {
	b := browsertest.Start(t)
	const page = `<!doctype html><html><head><title>{{.Path}}</title><link rel=stylesheet href="/static/css/site.css?v=3">` +
		`<link rel=stylesheet href=/static/app.css></head><body><p id=boat class=boat>Petrel</p><p id=tide class=tide>Low</p></body></html>`
	dir := lay(t, "rinzel.toml", "source = \"static\"\nbase = \"/static/\"\n[bundles.app]\nfrom = [\"widgets/*.css\"]\n",
		"static/css/site.css", "@import \"tone.css\";\n.boat { color: const(tone); &:hover { top: 0 } }\n",
		"static/css/tone.css", "@const tone: rgb(1, 0, 0);\n", "static/widgets/tide.css", ".tide { color: rgb(1, 1, 0) }\n",
		"static/templates/page.gohtml", page, "static/css/other.css", "p { left: 1px }\n")
	application := ferries(t, dir)
	port := application[strings.LastIndexByte(application, ':')+1:]
	w, address := startServe(t, dir, "--behind", port)
	w.expect("pages come from " + application)
	w.expect("built 1 bundle")
	open := b.Open(address + "/islands?day=1")
	color := func(id string) string { return `getComputedStyle(` + id + `).color` }
	await(t, open, color("boat")+`+"/"+`+color("tide")+` + document.title`, "rgb(1, 0, 0)/rgb(1, 1, 0)/islands")
	w.expect("updated css/site.css")
	open.Eval(`window.mark = 1`, new(int))
	w.write("static/css/tone.css", "@const tone: rgb(2, 0, 0);\n")
	await(t, open, color("boat")+`+ mark`, "rgb(2, 0, 0)1")
	w.write("static/widgets/tide.css", ".tide { color: rgb(2, 1, 0) }\n")
	await(t, open, color("tide")+`+ mark`, "rgb(2, 1, 0)1")

	// An error is shown over the page, which remains as it was.
	w.write("static/css/tone.css", "@const ton: rgb(3, 0, 0);\n")
	w.expect("1 error: pages remain as they were")
	await(t, open, `document.documentElement.lastChild.shadowRoot.querySelector("h2").textContent.includes("unknown constant")`, "true")
	await(t, open, color("boat")+`+ mark`, "rgb(2, 0, 0)1")
	w.write("static/css/tone.css", "@const tone: rgb(4, 0, 0);\n")
	await(t, open, color("boat")+`+ mark + document.documentElement.children.length`, "rgb(4, 0, 0)12")

	// Templates load the page again.
	w.write("static/templates/page.gohtml", strings.Replace(page, "Petrel", "Gannet", 1))
	w.expect("reloaded pages of the application server")
	await(t, open, `boat.textContent + typeof mark`, "Gannetundefined")

	// A sheet that a page links later, and one that is deleted.
	w.write("static/templates/page.gohtml", strings.Replace(page, "</head>", "<link rel=stylesheet href=/static/css/other.css></head>", 1))
	await(t, open, `[document.querySelectorAll("link").length, document.styleSheets.length, getComputedStyle(boat).left].join()`, "3,3,1px")
	status, text := fetched(t, address+"/static/css/site.css")
	if status != 200 || !strings.Contains(text, ".boat:hover") {
		t.Errorf("%d %s", status, text)
	}
	if err := os.Remove(filepath.Join(dir, "static", "css", "other.css")); err != nil {
		t.Fatal(err)
	}
	await(t, open, `getComputedStyle(boat).left`, "auto")

	// Other files come from the application server, and the outputs do not
	// replace its pages.
	if _, text := fetched(t, address+"/static/templates/page.gohtml"); !strings.Contains(text, "{{.Path}}") {
		t.Errorf("a file of the application server: %s", text)
	}
	for _, path := range []string{"/static/css/../../rinzel.toml", "/static/css/%2e%2e/%2e%2e/rinzel.toml", "/static/..%2frinzel.toml"} {
		if _, text := fetched(t, address+path); strings.Contains(text, "bundles") {
			t.Errorf("%s: %s", path, text)
		}
	}
}

// TestServeApplicationProduction serves what will be released in front of an
// application server.
func TestServeApplicationProduction(t *testing.T) {
	dir := lay(t, "static/css/site.css", ".boat { color: rgb(1, 0, 0); & .mast { top: 0px } }\n.unused { top: 1px }\n",
		"static/templates/page.gohtml", "<link rel=stylesheet href=/css/site.css><p class=boat><b class=mast>{{.Path}}",
		"rinzel.toml", "source = \"static\"\n[purge]\nevidence = [\"templates/**\"]\n")
	w, address := startServe(t, dir, "--behind", ferries(t, dir), "--profile", "production")
	w.expect("watching")
	if _, text := fetched(t, address+"/static/css/site.css"); !strings.Contains(text, ".mast { top") {
		t.Errorf("a sheet of the application server: %s", text)
	}
	w.expect(`/static/css/site.css comes from the application server: set base = "/static/" in rinzel.toml to build static/css/site.css`)
	status, text := fetched(t, address+"/css/site.css")
	if status != 200 || !strings.HasPrefix(text, ".boat{color:") || strings.Contains(text, "unused") {
		t.Errorf("%d %s", status, text)
	}
	w.write("static/templates/page.gohtml", "<link rel=stylesheet href=/css/site.css><p class='boat unused'>")
	w.expect("page.gohtml changed")
	w.expect("updated bundles.json, css/site.css")
	if _, text := fetched(t, address+"/css/site.css"); !strings.Contains(text, ".unused") {
		t.Errorf("after a change of the evidence: %s", text)
	}
}

// TestServeApplicationMistakes checks the messages for wrong URLs.
func TestServeApplicationMistakes(t *testing.T) {
	dir := lay(t, "index.html", "<p>")
	for arg, want := range map[string]string{
		"localhost:x":           `the URL of --behind is not a URL: "http://localhost:x"`,
		"ftp://127.0.0.1":       `the URL of --behind is not an http or https URL: "ftp://127.0.0.1"`,
		"http://":               `the URL of --behind has no host: "http://"`,
		"http://u:p@127.0.0.1/": `the URL of --behind has more than scheme, host and path`,
	} {
		code, out, errs := runIn(t, dir, "serve", "--behind", arg)
		if code != 2 || !strings.Contains(errs, want) {
			t.Errorf("%s: %d\n%s%s", arg, code, out, errs)
		}
	}
}

// TestServeProxy passes a path of the settings on, and changes it.
func TestServeProxy(t *testing.T) {
	answer := func(text string) string {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			fmt.Fprintf(w, "%s %s %s", text, r.Method, r.URL.Path)
		}))
		t.Cleanup(server.Close)
		return server.URL
	}
	settings := func(target string) string { return "[serve]\nproxy = { \"/api\" = \"" + target + "\" }\n" }
	dir := lay(t, "rinzel.toml", settings(answer("first")), "index.html", "<p>x", "api/x.txt", "own")
	w, address := startServe(t, dir)
	w.expect("watching")
	if status, text := fetched(t, address+"/api/x.txt"); status != 200 || text != "first GET /api/x.txt" {
		t.Errorf("%d %s", status, text)
	}
	w.write("rinzel.toml", settings(answer("second")))
	w.expect("rinzel.toml changed")
	w.expect("updated")
	if status, text := fetched(t, address+"/api/x.txt"); status != 200 || text != "second GET /api/x.txt" {
		t.Errorf("%d %s", status, text)
	}
}

// TestServeBrokenPage breaks the sheet of one page: it remains as it was and
// shows the error, while the other page is updated.
func TestServeBrokenPage(t *testing.T) {
	b := browsertest.Start(t)
	page := func(name string) string {
		return "<!doctype html><title>x</title><link rel=stylesheet href=all.css><link rel=stylesheet href=" + name + ".css><p id=p class=" + name + ">x"
	}
	dir := lay(t, "rinzel.toml", "[split]\nmin-bytes = 0\n", "good.html", page("good"), "bad.html", page("bad"),
		"all.css", "p { top: 1px }\n", "good.css", ".good { left: 1px }\n", "bad.css", ".bad { left: 1px }\n")
	w, address := startServe(t, dir)
	w.expect("watching")
	good, bad := b.Open(address+"/good.html"), b.Open(address+"/bad.html")
	const state = `[getComputedStyle(p).top, getComputedStyle(p).left, typeof mark, !!document.documentElement.lastChild.shadowRoot].join()`
	for _, page := range []*browsertest.Page{good, bad} {
		await(t, page, state, "1px,1px,undefined,false")
		page.Eval(`window.mark = 1`, new(int))
	}
	w.write("bad.css", ".bad { left: const(x) }\n")
	await(t, bad, state, "1px,1px,number,true")
	w.write("good.css", ".good { left: 2px }\n")
	await(t, good, state, "1px,2px,number,false")
	w.write("all.css", "p { top: 2px }\n") // of both
	await(t, good, state, "2px,2px,number,false")
	await(t, bad, state, "2px,1px,number,true")
	fresh := b.Open(address + "/bad.html")
	await(t, fresh, state, "2px,1px,undefined,true")
	if _, text := fetched(t, address+"/bad.html"); strings.Contains(text, `role="alert"`) {
		t.Errorf("the page itself shows the error: %s", text)
	}
	w.write("bad.css", ".bad { left: 3px }\n")
	await(t, bad, state, "2px,3px,number,false")
	await(t, fresh, state, "2px,3px,undefined,false")
}
