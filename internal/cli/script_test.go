package cli_test

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/css/parse"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// program is the path of the built command, which the tests run as a user
// would.
var program string

func TestMain(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "rinzel-test-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	program = filepath.Join(dir, "rinzel")
	if runtime.GOOS == "windows" {
		program += ".exe"
	}
	args := []string{"build", "-o", program}
	if os.Getenv("RINZEL_RACE") != "" {
		args = append(args, "-race")
	}
	build := exec.Command("go", append(args, "rinzel/cmd/rinzel")...)
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "build: %v\n%s", err, out)
		return 1
	}
	return m.Run()
}

// TestScripts runs the scripts in testdata. Each is a txtar archive: its files
// are laid into an empty folder, and the commands before them are run there:
//
//	rinzel ARG...        runs the program; the exit status must be 0
//	status N rinzel …    runs it; the exit status must be N
//	stdout REGEXP        the last run wrote this to standard output; !stdout, not
//	stderr REGEXP        the same for standard error
//	cmp FILE WANT        two files are the same; FILE may be stdout or stderr
//	grep REGEXP FILE     FILE, in which * stands for any text, has this; !grep, not
//	exists FILE          FILE is there; !exists, it is not
//	sh COMMAND           runs a shell command
//	stdin FILE           the next run reads it as standard input
//	in FOLDER            the runs after it are in a folder
func TestScripts(t *testing.T) {
	files, err := filepath.Glob("testdata/*.txtar")
	if err != nil || len(files) == 0 {
		t.Fatal("no scripts", err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".txtar"), func(t *testing.T) {
			t.Parallel()
			archive, err := txtar.ParseFile(file)
			if err != nil {
				t.Fatal(err)
			}
			s := &script{t: t, dir: t.TempDir()}
			for _, f := range archive.Files {
				name := filepath.Join(s.dir, filepath.FromSlash(f.Name))
				if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
					t.Fatal(err)
				}
				if err := os.WriteFile(name, f.Data, 0o644); err != nil {
					t.Fatal(err)
				}
			}
			for i, line := range strings.Split(string(archive.Comment), "\n") {
				s.line = fmt.Sprintf("%s:%d: %s", file, i+1, line)
				s.run(line)
			}
		})
	}
}

// script is a running script.
type script struct {
	t              *testing.T
	dir, line      string
	stdin, folder  string
	stdout, stderr string
}

func (s *script) failf(format string, args ...any) {
	s.t.Helper()
	s.t.Fatalf("%s\n%s\nstdout:\n%s\nstderr:\n%s", s.line, fmt.Sprintf(format, args...), s.stdout, s.stderr)
}

func (s *script) run(line string) {
	line = strings.TrimSpace(line)
	if line == "" || strings.HasPrefix(line, "#") {
		return
	}
	verb, rest, _ := strings.Cut(line, " ")
	verb, negated := strings.CutPrefix(verb, "!")
	switch verb {
	case "rinzel":
		s.exec(0, words(rest))
	case "status":
		code, command, _ := strings.Cut(rest, " ")
		n, err := strconv.Atoi(code)
		args := words(command)
		if err != nil || len(args) == 0 || args[0] != "rinzel" {
			s.failf("expected: status N rinzel ARG...")
		}
		s.exec(n, args[1:])
	case "stdin":
		s.stdin = s.read(rest)
	case "in":
		s.folder = rest
	case "stdout":
		s.match(rest, s.stdout, negated)
	case "stderr":
		s.match(rest, s.stderr, negated)
	case "grep":
		args := words(rest)
		s.match(args[0], s.read(args[1]), negated)
	case "cmp":
		args := words(rest)
		if got, want := s.read(args[0]), s.read(args[1]); got != want {
			s.failf("%s is\n%s\nwant\n%s", args[0], got, want)
		}
	case "exists":
		found, _ := filepath.Glob(filepath.Join(s.dir, rest))
		if (len(found) > 0) == negated {
			s.failf("found: %q", found)
		}
	case "sh":
		cmd := exec.Command("sh", "-c", strings.Trim(rest, "'"))
		cmd.Dir = s.dir
		if out, err := cmd.CombinedOutput(); err != nil {
			s.failf("%v\n%s", err, out)
		}
	default:
		s.failf("unknown command %q", verb)
	}
}

// words splits a line at spaces. Text in single quotes is one word.
func words(line string) []string {
	var out []string
	for i, part := range strings.Split(line, "'") {
		if i%2 == 1 {
			out = append(out, part)
		} else {
			out = append(out, strings.Fields(part)...)
		}
	}
	return out
}

func (s *script) exec(status int, args []string) {
	s.t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = filepath.Join(s.dir, s.folder)
	cmd.Stdin = strings.NewReader(s.stdin)
	s.stdin = ""
	cmd.Env = append(os.Environ(), "TMPDIR="+s.dir)
	var stdout, stderr bytes.Buffer
	cmd.Stdout, cmd.Stderr = &stdout, &stderr
	err := cmd.Run()
	s.stdout, s.stderr = stdout.String(), stderr.String()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		s.failf("%v", err)
	}
	if got := cmd.ProcessState.ExitCode(); got != status {
		s.failf("exit status %d, want %d", got, status)
	}
	s.finished()
}

// finished checks that the sheets in the output folder contain no build-time
// syntax.
func (s *script) finished() {
	s.t.Helper()
	public := filepath.Join(s.dir, s.folder, "public")
	for name, text := range contents(s.t, public) {
		if !strings.HasSuffix(name, ".css") {
			continue
		}
		sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, name, text))
		if _, what, ok := compose.Leftover(sheet.Nodes); ok {
			s.failf("%s holds %s:\n%s", name, what, text)
		}
	}
}

func (s *script) match(pattern, text string, negated bool) {
	s.t.Helper()
	re, err := regexp.Compile("(?m)" + strings.Trim(pattern, "'"))
	if err != nil {
		s.failf("%v", err)
	}
	if re.MatchString(text) == negated {
		s.failf("the pattern %q, in\n%s", pattern, text)
	}
}

func (s *script) read(name string) string {
	s.t.Helper()
	switch name {
	case "stdout":
		return s.stdout
	case "stderr":
		return s.stderr
	}
	found, _ := filepath.Glob(filepath.Join(s.dir, name))
	if len(found) != 1 {
		s.failf("%s stands for %d files", name, len(found))
	}
	data, err := os.ReadFile(found[0])
	if err != nil {
		s.failf("%v", err)
	}
	return string(data)
}
