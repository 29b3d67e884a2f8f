// Package internal_test checks the rules that apply to all packages.
package internal_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"rinzel/internal/pipeline"
)

// allowed lists the packages of the project that each package may import. The
// folders are the pipeline: imports run one way only.
var allowed = map[string]string{
	"cmd/rinzel":                    "internal/cli",
	"demo":                          "",
	"docs":                          "",
	"docs/steps/ink":                "",
	"internal/source":               "",
	"internal/cache":                "internal/source",
	"internal/diag":                 "internal/diag/code internal/source",
	"internal/diag/code":            "",
	"internal/css/token":            "",
	"internal/css/scan":             "internal/css/token",
	"internal/css/ast":              "internal/css/token internal/source",
	"internal/css/parse":            "internal/css/ast internal/css/known internal/css/scan internal/css/token internal/diag internal/diag/code internal/source",
	"internal/css/print":            "internal/css/ast internal/css/scan internal/css/token internal/source",
	"internal/css/selector":         "internal/css/ast internal/css/known internal/css/token",
	"internal/css/format":           "internal/css/ast internal/css/parse internal/css/scan internal/css/token internal/diag internal/source",
	"internal/css/replace":          "internal/css/ast internal/css/known internal/css/print internal/css/token internal/css/value internal/source",
	"internal/css/value":            "internal/css/ast internal/css/known internal/css/print internal/css/token internal/source",
	"internal/compare":              "internal/css/cascade internal/css/parse internal/emit internal/project internal/source",
	"internal/css/intern":           "internal/css/ast internal/css/token",
	"internal/css/cascade":          "internal/css/ast internal/css/grammar internal/css/intern internal/css/known internal/css/print internal/css/property internal/css/selector internal/css/token internal/css/value internal/source",
	"internal/css/property":         "internal/css/ast internal/css/grammar internal/css/token",
	"internal/css/accept":           "internal/browsers internal/css/ast internal/css/grammar internal/css/token internal/css/value",
	"internal/css/csstest":          "",
	"internal/markup":               "",
	"internal/css/known":            "",
	"internal/css/known/gen":        "internal/css/grammar internal/css/known",
	"internal/css/grammar":          "internal/css/ast internal/css/known internal/css/token internal/css/value",
	"internal/css/grammar/gen":      "",
	"internal/sourcemap":            "internal/css/token internal/source",
	"internal/script":               "internal/css/token",
	"internal/tokens":               "internal/css/token internal/diag internal/diag/code internal/source",
	"internal/browsers":             "",
	"internal/browsers/gen":         "",
	"internal/browsertest":          "",
	"internal/objects":              "",
	"internal/custom":               "internal/objects",
	"internal/custom/testdata/step": "",
	"internal/picture":              "",
	"internal/origin":               "internal/source internal/sourcemap",
	"internal/own":                  "internal/browsers internal/cache internal/css/ast internal/css/parse internal/css/print internal/custom internal/diag internal/diag/code internal/graph internal/inventory internal/objects internal/origin internal/pipeline internal/project internal/source internal/sourcemap internal/step",
	"internal/std":                  "internal/source",
	"internal/lsp":                  "internal/browsers internal/css/ast internal/css/format internal/css/grammar internal/css/parse internal/css/print internal/css/scan internal/css/selector internal/css/token internal/css/value internal/diag internal/inventory internal/markup internal/project internal/query internal/script internal/session internal/site internal/source internal/step/compose internal/tokens",
	"internal/start":                "internal/graph internal/inventory internal/project internal/site internal/source",
	"internal/step":                 "internal/css/ast internal/diag internal/diag/code internal/source",
	"internal/pipeline":             "internal/diag internal/diag/code internal/step internal/step/check internal/step/compose internal/step/lower internal/step/minify internal/step/prefix internal/step/purge",
	"internal/step/asis":            "internal/css/ast internal/diag internal/diag/code",
	"internal/step/check":           "internal/browsers internal/css/accept internal/css/ast internal/css/grammar internal/css/known internal/css/print internal/css/token internal/css/value internal/diag internal/diag/code internal/source internal/step/asis",
	"internal/step/compose":         "internal/css/ast internal/css/grammar internal/css/known internal/css/parse internal/css/print internal/css/token internal/css/value internal/diag internal/diag/code internal/source internal/step internal/tokens",
	"internal/step/lower":           "internal/browsers internal/css/ast internal/css/known internal/css/print internal/css/selector internal/css/token internal/css/value internal/diag internal/diag/code internal/step internal/step/asis",
	"internal/step/prefix":          "internal/browsers internal/css/ast internal/css/print internal/css/token internal/step internal/step/asis",
	"internal/step/purge":           "internal/css/ast internal/css/known internal/css/selector internal/css/token internal/markup internal/script internal/source internal/step internal/step/asis",
	"internal/step/minify":          "internal/browsers internal/css/accept internal/css/ast internal/css/cascade internal/css/grammar internal/css/intern internal/css/known internal/css/print internal/css/property internal/css/scan internal/css/selector internal/css/token internal/css/value internal/diag internal/diag/code internal/source internal/step",
	"internal/step/steptest":        "internal/css/ast internal/css/csstest internal/css/parse internal/css/print internal/diag internal/diag/code internal/source",
	"internal/project":              "internal/browsers internal/diag internal/diag/code internal/pipeline internal/source internal/std internal/step/check internal/step/lower internal/step/minify",
	"internal/split":                "internal/css/ast internal/css/known internal/css/print internal/css/selector internal/css/token",
	"internal/graph":                "internal/cache internal/css/ast internal/css/parse internal/css/scan internal/css/token internal/diag internal/diag/code internal/markup internal/project internal/script internal/source internal/tokens",
	"internal/inventory":            "internal/cache internal/diag internal/diag/code internal/graph internal/project internal/script internal/source",
	"internal/modules":              "internal/diag internal/diag/code internal/graph internal/inventory internal/script internal/source",
	"internal/evidence":             "internal/cache internal/diag internal/diag/code internal/graph internal/inventory internal/project internal/source internal/step/purge",
	"internal/link":                 "internal/cache internal/css/ast internal/css/parse internal/css/print internal/css/replace internal/css/selector internal/css/token internal/diag internal/diag/code internal/graph internal/inventory internal/pipeline internal/project internal/source internal/sourcemap internal/std internal/step internal/step/asis internal/step/check internal/step/compose internal/step/lower internal/step/prefix internal/tokens",
	"internal/bundle":               "internal/css/ast internal/css/print internal/css/token internal/diag internal/diag/code internal/graph internal/link internal/pipeline internal/source internal/sourcemap internal/step internal/step/lower internal/step/prefix internal/step/purge",
	"internal/emit":                 "internal/cache internal/diag internal/diag/code internal/inventory internal/project internal/source",
	"internal/site":                 "internal/bundle internal/cache internal/css/ast internal/css/known internal/css/parse internal/css/print internal/css/selector internal/css/token internal/diag internal/diag/code internal/emit internal/evidence internal/graph internal/inventory internal/link internal/markup internal/modules internal/objects internal/origin internal/own internal/picture internal/pipeline internal/project internal/script internal/source internal/sourcemap internal/split internal/step internal/step/check internal/step/compose internal/step/lower internal/step/minify internal/step/prefix internal/step/purge",
	"internal/query":                "internal/css/ast internal/css/parse internal/css/print internal/css/replace internal/css/selector internal/css/token internal/css/value internal/diag internal/diag/code internal/emit internal/evidence internal/inventory internal/link internal/markup internal/project internal/site internal/source internal/step/compose internal/step/purge",
	"internal/trace":                "internal/css/ast internal/css/parse internal/css/print internal/css/property internal/css/selector internal/css/token internal/diag internal/emit internal/graph internal/link internal/project internal/site internal/source internal/step/compose internal/step/minify internal/step/purge",
	"internal/release":              "internal/browsers internal/cli internal/css/grammar",
	"internal/report":               "internal/css/print internal/css/token internal/css/value internal/diag internal/emit internal/link internal/markup internal/project internal/query internal/site internal/source internal/sourcemap internal/step/purge",
	"internal/session":              "internal/diag internal/emit internal/project internal/site internal/source internal/watch",
	"internal/serve":                "internal/css/scan internal/css/token internal/diag internal/emit internal/markup internal/source",
	"internal/watch":                "",
	"internal/cli":                  "demo docs internal/browsers internal/compare internal/css/accept internal/css/format internal/css/grammar internal/css/replace internal/css/value internal/diag internal/diag/code internal/emit internal/inventory internal/link internal/lsp internal/pipeline internal/project internal/query internal/report internal/serve internal/session internal/site internal/source internal/start internal/std internal/step/check internal/step/compose internal/step/prefix internal/step/purge internal/trace",
}

// onlyIn lists the packages that may import an external package.
var onlyIn = map[string]string{
	"github.com/sourcegraph/jsonrpc2":    "internal/lsp",
	"github.com/spf13/cobra":             "internal/cli internal/release",
	"os":                                 "internal/source internal/cli internal/release cmd/rinzel internal/browsers/gen internal/css/grammar/gen internal/css/known/gen internal/browsertest internal/watch internal/custom internal/objects internal/custom/testdata/step docs/steps/ink",
	"github.com/tetratelabs/wazero":      "internal/custom",
	"github.com/pelletier/go-toml/v2":    "internal/project",
	"golang.org/x/term":                  "internal/cli",
	"github.com/gofrs/flock":             "internal/source",
	"github.com/klauspost/compress/gzip": "internal/cli internal/emit internal/serve",
	"github.com/klauspost/compress/zlib": "internal/picture",
	"golang.org/x/image/webp":            "internal/picture",
	"github.com/andybalholm/brotli":      "internal/emit",
}

func TestImports(t *testing.T) {
	seen := make(map[string]bool)
	err := filepath.WalkDir("..", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && strings.HasPrefix(d.Name(), ".") && d.Name() != ".." {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return nil
		}
		rel, _ := filepath.Rel("..", name)
		dir := path.Dir(filepath.ToSlash(rel))
		seen[dir] = true
		f, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range f.Imports {
			imported, _ := strconv.Unquote(spec.Path.Value)
			own, isOwn := strings.CutPrefix(imported, "rinzel/")
			if isOwn && !contains(allowed[dir], own) {
				t.Errorf("%s imports %s", rel, own)
			}
			if where, ok := onlyIn[imported]; ok && !contains(where, dir) {
				t.Errorf("%s imports %s, which is for %s", rel, imported, where)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for dir := range seen {
		if _, ok := allowed[dir]; !ok {
			t.Errorf("%s is not in the table of packages", dir)
		}
	}
	for dir := range allowed {
		if !seen[dir] {
			t.Errorf("there is no package %s", dir)
		}
	}
}

func contains(list, word string) bool {
	for _, w := range strings.Fields(list) {
		if w == word {
			return true
		}
	}
	return false
}

// TestStepNames checks that only the package of a step and the table of steps
// contain the name of a step. The settings have tables of the same names.
func TestStepNames(t *testing.T) {
	names := append(pipeline.Names(pipeline.OnSheet), pipeline.Names(pipeline.OnBundle)...)
	err := filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		if name == "project/read.go" || strings.HasPrefix(name, "pipeline/") || strings.HasPrefix(name, "browsers/gen/") {
			return nil
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			lit, ok := n.(*ast.BasicLit)
			if !ok || lit.Kind != token.STRING {
				return true
			}
			text, err := strconv.Unquote(lit.Value)
			if err == nil && slices.Contains(names, text) && !strings.HasPrefix(name, "step/"+text+"/") {
				t.Errorf("%s has the name of the step %q", name, text)
			}
			return true
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
