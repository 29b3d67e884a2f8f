package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"debug/elf"
	"encoding/json"
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"rinzel/internal/cli"
)

// TestRelease builds a release twice, and installs it as users would.
func TestRelease(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the program for two platforms")
	}
	const linux = "rinzel-1.2.3-linux-amd64"
	if runtime.GOOS+"/"+runtime.GOARCH != "linux/amd64" {
		t.Skip("starts a program for linux/amd64")
	}
	t.Chdir("../..")
	root, err := os.Getwd()
	if err != nil {
		t.Fatal(err)
	}
	first, second := t.TempDir(), t.TempDir()
	for _, dir := range []string{first, second} {
		args := []string{"--out", dir, "--platforms", "linux/amd64,windows/amd64", "--draft", "1.2.3"}
		if err := run(t.Context(), args); err != nil {
			t.Fatal(err)
		}
	}
	one, two := filesIn(t, first), filesIn(t, second)
	names := []string{"SHA256SUMS", "npm/rinzel-1.2.3.tgz", "npm/rinzel-linux-x64-1.2.3.tgz", "npm/rinzel-win32-x64-1.2.3.tgz",
		linux + ".tar.gz", "rinzel-1.2.3-windows-amd64.zip", "rinzel-1.2.3.spdx.json"}
	if got := sortedKeys(one); !slices.Equal(got, names) {
		t.Fatalf("wrote %q", got)
	}
	for name, data := range one {
		if !bytes.Equal(data, two[name]) {
			t.Errorf("%s differs in the second run", name)
		}
	}
	command(t, first, "sha256sum", "--check", "--strict", "SHA256SUMS")

	unpacked := untarred(t, one[linux+".tar.gz"])
	for _, name := range []string{"NOTICE", "README.md", "LICENSES.txt", "man/rinzel-build.1", "completions/rinzel.bash"} {
		if len(unpacked[linux+"/"+name]) == 0 {
			t.Errorf("%s is not in the archive", name)
		}
	}
	program := unpacked[linux+"/rinzel"]
	checkProgram(t, program, root)
	zipped := one["rinzel-1.2.3-windows-amd64.zip"]
	archive, err := zip.NewReader(bytes.NewReader(zipped), int64(len(zipped)))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := archive.Open("rinzel-1.2.3-windows-amd64/rinzel.exe"); err != nil {
		t.Error(err)
	}
	checkList(t, one["rinzel-1.2.3.spdx.json"], string(unpacked[linux+"/LICENSES.txt"]))
	install(t, filepath.Join(first, "npm"))
}

// checkProgram checks that a program needs no libraries, and names no folder of this
// machine.
func checkProgram(t *testing.T, program []byte, root string) {
	t.Helper()
	file, err := elf.NewFile(bytes.NewReader(program))
	if err != nil {
		t.Fatal(err)
	}
	if libraries, err := file.ImportedLibraries(); err == nil && len(libraries) > 0 {
		t.Errorf("the program needs %q", libraries)
	}
	for _, p := range file.Progs {
		if p.Type == elf.PT_INTERP {
			t.Error("the program needs a dynamic linker")
		}
	}
	modules, err := exec.CommandContext(t.Context(), "go", "env", "GOMODCACHE").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, folder := range []string{root, strings.TrimSpace(string(modules))} {
		if bytes.Contains(program, []byte(folder)) {
			t.Errorf("the program names the folder %s", folder)
		}
	}
}

// checkList checks that every part in a list has a licence, and every module its text.
func checkList(t *testing.T, list []byte, licences string) {
	t.Helper()
	var doc struct {
		SPDXVersion string
		Packages    []struct{ Name, VersionInfo, LicenseDeclared string }
	}
	if err := json.Unmarshal(list, &doc); err != nil {
		t.Fatal(err)
	}
	if doc.SPDXVersion != "SPDX-2.3" || len(doc.Packages) < 20 {
		t.Errorf("%s, %d packages", doc.SPDXVersion, len(doc.Packages))
	}
	for _, p := range doc.Packages {
		if p.Name == "rinzel" {
			continue
		}
		if p.VersionInfo == "" || p.LicenseDeclared == "" || p.LicenseDeclared == "NOASSERTION" {
			t.Errorf("%+v", p)
		}
		if dataLicences[p.Name] == "" && !strings.Contains(licences, "\n"+p.Name+" "+p.VersionInfo+"\n") {
			t.Errorf("LICENSES.txt has no licence of %s", p.Name)
		}
	}
}

// install installs the packages with npm in a fresh folder, and builds the demo there.
func install(t *testing.T, packages string) {
	t.Helper()
	if _, err := exec.LookPath("npm"); err != nil {
		t.Skip("npm is not installed")
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "package.json"), []byte(`{"private": true}`), 0o600); err != nil {
		t.Fatal(err)
	}
	// npm's cache is empty, as on a machine that never saw these packages.
	t.Setenv("npm_config_cache", filepath.Join(t.TempDir(), "cache"))
	npm := []string{"npm", "install", "--offline", "--no-audit", "--no-fund"}
	launcher := filepath.Join(packages, "rinzel-1.2.3.tgz")
	command(t, dir, append(npm, launcher)...)
	linked := filepath.Join(dir, "node_modules/.bin/rinzel")
	out, err := exec.CommandContext(t.Context(), linked, "version").CombinedOutput()
	var exit *exec.ExitError
	if !errors.As(err, &exit) || exit.ExitCode() != 2 || !strings.Contains(string(out), "the package rinzel-linux-x64 is not installed") {
		t.Errorf("without the package of the platform: %v, %s", err, out)
	}
	command(t, dir, append(npm, launcher, filepath.Join(packages, "rinzel-linux-x64-1.2.3.tgz"))...)
	if got := command(t, dir, "npx", "--offline", "rinzel", "--version"); !strings.Contains(got, "rinzel 1.2.3") {
		t.Errorf("--version: %s", got)
	}
	command(t, dir, "npx", "--offline", "rinzel", "demo", "harbour")
	if _, err := os.Stat(filepath.Join(dir, "harbour/public/index.html")); err != nil {
		t.Error(err)
	}
	cmd := exec.CommandContext(t.Context(), "npx", "--offline", "rinzel", "buildd")
	cmd.Dir = dir
	if out, err := cmd.CombinedOutput(); !errors.As(err, &exit) || exit.ExitCode() != 2 {
		t.Errorf("the exit status is lost: %v, %s", err, out)
	}
}

// TestManuals checks that the man pages have all words of the help of commands, also those
// that mean something in Markdown.
func TestManuals(t *testing.T) {
	files, err := manuals("1.2.3", time.Unix(0, 0))
	if err != nil {
		t.Fatal(err)
	}
	pages := make(map[string]string)
	roff := strings.NewReplacer(`\-`, "-", `\&`, "", `\fB`, "", `\fI`, "", `\fP`, "", `\\`, `\`)
	for _, f := range files {
		pages[f.name] = roff.Replace(string(f.data))
	}
	starred := 0
	for _, cmd := range cli.Command().Commands() {
		page := pages["man/rinzel-"+cmd.Name()+".1"]
		if page == "" && cmd.IsAvailableCommand() {
			t.Errorf("%s has no man page", cmd.Name())
			continue
		}
		starred += strings.Count(page, "*")
		for word := range strings.FieldsSeq(cmd.Long) {
			if page != "" && !strings.Contains(page, word) {
				t.Errorf("the man page of %s has no %q", cmd.Name(), word)
			}
		}
	}
	if starred == 0 {
		t.Error("no man page has an asterisk")
	}
}

// TestWrongReleases checks what is refused.
func TestWrongReleases(t *testing.T) {
	full := t.TempDir()
	if err := os.WriteFile(filepath.Join(full, "a"), nil, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, test := range []struct {
		want string
		args []string
	}{
		{"name one version", nil},
		{"name one version", []string{"v1.2.3"}},
		{"name one version", []string{"1.2"}},
		{"name one version", []string{"1.02.3"}},
		{"name one version", []string{"1.2.3", "1.2.4"}},
		{`no platform "plan9/amd64": there are [linux/amd64`, []string{"--platforms", "linux/amd64,plan9/amd64", "1.2.3"}},
		{"is not empty", []string{"--draft", "--out", full, "1.2.3"}},
	} {
		if err := run(t.Context(), test.args); err == nil || !strings.Contains(err.Error(), test.want) {
			t.Errorf("%q: %v", test.args, err)
		}
	}
}

// filesIn returns the files in a folder, by slash-separated path.
func filesIn(t *testing.T, dir string) map[string][]byte {
	t.Helper()
	out := make(map[string][]byte)
	err := filepath.WalkDir(dir, func(name string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		rel, _ := filepath.Rel(dir, name)
		out[filepath.ToSlash(rel)], err = os.ReadFile(name)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// untarred returns the files in a compressed tar archive.
func untarred(t *testing.T, data []byte) map[string][]byte {
	t.Helper()
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	out := make(map[string][]byte)
	for r := tar.NewReader(z); ; {
		h, err := r.Next()
		if err == io.EOF {
			return out
		}
		if err != nil {
			t.Fatal(err)
		}
		if out[h.Name], err = io.ReadAll(r); err != nil {
			t.Fatal(err)
		}
	}
}

// command runs a command in a folder and returns what it prints.
func command(t *testing.T, dir string, args ...string) string {
	t.Helper()
	cmd := exec.CommandContext(t.Context(), args[0], args[1:]...)
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%q: %v\n%s", args, err, out)
	}
	return string(out)
}
