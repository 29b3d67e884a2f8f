package script

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"rinzel/internal/browsertest"
)

// trialDir is the environment variable with the folder of scripts for the
// trial, which scripts/trial fills from packages.
const trialDir = "RINZEL_TRIAL"

// quoted matches text in quotes.
var quoted = regexp.MustCompile("[\"']([^\"'\\n\\\\]+)[\"']")

// moduleServer serves a script, and an empty module at every other address. It
// records the requests.
type moduleServer struct {
	mu    sync.Mutex
	text  string
	asked map[string]bool
}

func (s *moduleServer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch name := r.URL.Path; {
	case name == "/deep/er/page.html":
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		imports := make(map[string]string) // every quoted word may be a specifier
		for _, m := range quoted.FindAllStringSubmatch(s.text, -1) {
			if !strings.HasPrefix(m[1], ".") && !strings.HasPrefix(m[1], "/") {
				imports[m[1]] = "/named/" + hexed(m[1])
			}
		}
		text, _ := json.Marshal(map[string]any{"imports": imports})
		fmt.Fprintf(w, "<script type=importmap>%s</script><script type=module src=module.js></script>",
			strings.ReplaceAll(string(text), "<", `\u003c`))
	case name == "/deep/er/module.js":
		w.Header().Set("Content-Type", "text/javascript; charset=utf-8")
		fmt.Fprint(w, s.text)
	default:
		s.asked[name] = true
		if strings.HasSuffix(name, ".css") && r.Header.Get("Sec-Fetch-Dest") == "style" {
			w.Header().Set("Content-Type", "text/css")
			return
		}
		if strings.HasSuffix(name, ".json") {
			w.Header().Set("Content-Type", "application/json")
			fmt.Fprint(w, "{}")
			return
		}
		w.Header().Set("Content-Type", "text/javascript")
	}
}

func hexed(name string) string { return fmt.Sprintf("%x", name) }

// declared returns the addresses that the browser must request: those of the
// declarations that Imports finds.
func declared(text string) []string {
	var out []string
	for _, imp := range Imports(text) {
		if imp.Kind > ReExport {
			continue
		}
		switch name, _, _ := strings.Cut(imp.Specifier, "?"); {
		case strings.HasPrefix(name, "./"), strings.HasPrefix(name, "../"):
			out = append(out, path.Join("/deep/er", name))
		case strings.HasPrefix(name, "/"):
			out = append(out, name)
		default:
			out = append(out, "/named/"+hexed(imp.Specifier))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// compare loads a script as a module in the browser. ok is false if the browser
// cannot parse it.
func compare(t *testing.T, page *browsertest.Page, server *moduleServer, url, name, text string) (imports int,
	ok bool) {
	t.Helper()
	server.mu.Lock()
	server.text, server.asked = text, make(map[string]bool)
	server.mu.Unlock()
	page.Load(url + "/deep/er/page.html")
	problems := strings.Join(page.Problems(), " ")
	server.mu.Lock()
	defer server.mu.Unlock()
	var asked []string
	for a := range server.asked {
		if a != "/favicon.ico" {
			asked = append(asked, a)
		}
	}
	slices.Sort(asked)
	want := declared(text)
	if len(asked) == 0 && strings.Contains(problems, "SyntaxError") &&
		!strings.Contains(problems, "does not provide an export") {
		return 0, false
	}
	// Running code may request more; the declarations are requested in any
	// case.
	for _, a := range want {
		if !server.asked[a] {
			t.Errorf("%s: the browser does not ask for %s; it asks for %s: %s", name, a, asked, problems)
		}
	}
	for _, a := range asked {
		if !slices.Contains(want, a) && !mayAsk(text, a) {
			t.Errorf("%s: the browser asks for %s, and the declarations are %s", name, a, want)
		}
	}
	return len(want), true
}

// mayAsk reports whether the code of a script may request an address when it
// runs.
func mayAsk(text, address string) bool {
	return slices.ContainsFunc(Imports(text), func(imp Import) bool {
		return imp.Kind > ReExport && strings.HasSuffix(address, strings.TrimLeft(imp.Specifier, "./"))
	}) || strings.Contains(text, "import(") && !slices.Contains(declared(text), address)
}

// TestImportsInBrowser loads the cases as modules in a browser, and compares
// its requests with the imports found.
func TestImportsInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	server := &moduleServer{}
	s := httptest.NewServer(server)
	t.Cleanup(s.Close)
	imports := 0
	for _, c := range moduleCases {
		n, _ := compare(t, page, server, s.URL, c.name, c.src)
		imports += n
	}
	if imports < 20 {
		t.Errorf("only %d imports were compared", imports)
	}
}

// TestTrial does the same with the scripts of a folder.
func TestTrial(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip(trialDir + " names no folder of scripts; see scripts/trial")
	}
	page := browsertest.Start(t).Open("about:blank")
	server := &moduleServer{}
	s := httptest.NewServer(server)
	t.Cleanup(s.Close)
	files, modules, imports := 0, 0, 0
	err := filepath.WalkDir(dir, func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".js") && !strings.HasSuffix(file, ".mjs") {
			return err
		}
		text, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		files++
		rel, _ := filepath.Rel(dir, file)
		n, ok := compare(t, page, server, s.URL, rel, string(text))
		if imports += n; ok && n > 0 {
			modules++
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d scripts, of which %d import %d others", files, modules, imports)
}
