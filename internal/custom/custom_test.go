package custom_test

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"rinzel/internal/custom"
)

// built returns the step of testdata/step, compiled for a system.
func built(t *testing.T, system, arch string) string {
	t.Helper()
	build := builds[system]
	build.once.Do(func() {
		dir, err := os.MkdirTemp("", "step")
		if err != nil {
			build.err = err
			return
		}
		build.file = filepath.Join(dir, "step")
		cmd := exec.Command("go", "build", "-o", build.file, "./testdata/step")
		cmd.Env = append(os.Environ(), "GOOS="+system, "GOARCH="+arch, "CGO_ENABLED=0")
		if out, err := cmd.CombinedOutput(); err != nil {
			build.err = fmt.Errorf("%w: %s", err, out)
		}
	})
	if build.err != nil {
		t.Fatal(build.err)
	}
	return build.file
}

var builds = map[string]*struct {
	once sync.Once
	file string
	err  error
}{"wasip1": {}, runtime.GOOS: {}}

func TestMain(m *testing.M) {
	code := m.Run()
	for _, build := range builds {
		if build.file != "" {
			_ = os.RemoveAll(filepath.Dir(build.file))
		}
	}
	os.Exit(code)
}

// program returns a runner of the step as a program.
func program(t *testing.T, limit time.Duration) *custom.Runner {
	r := custom.New(custom.Definition{Name: "tide", Run: []string{built(t, runtime.GOOS, runtime.GOARCH)},
		Dir: t.TempDir(), Time: limit})
	t.Cleanup(r.Close)
	return r
}

// module returns a runner of the step as a module.
func module(t *testing.T, limit time.Duration) *custom.Runner {
	code, err := os.ReadFile(built(t, "wasip1", "wasm"))
	if err != nil {
		t.Fatal(err)
	}
	r := custom.New(custom.Definition{Name: "tide", Module: code, Time: limit, Memory: 64,
		Compiled: filepath.Join(os.TempDir(), "rinzel-test-modules")})
	t.Cleanup(r.Close)
	return r
}

// both calls test with the step as a program and as a module.
func both(t *testing.T, limit time.Duration, test func(*testing.T, *custom.Runner)) {
	t.Run("program", func(t *testing.T) { test(t, program(t, limit)) })
	t.Run("module", func(t *testing.T) { test(t, module(t, limit)) })
}

// files is a host with some files.
type files map[string]string

func (f files) Read(from, address string) (path, text string, err error) {
	path = filepath.ToSlash(filepath.Join(filepath.Dir(from), address))
	if text, ok := f[path]; ok {
		return path, text, nil
	}
	return path, "", errors.New("no such file")
}

// call asks a step to do what text tells.
func call(r *custom.Runner, text string) (string, error) {
	res, err := r.Call(context.Background(), custom.Request{On: "sheet", Path: "quay/a.ink", Profile: "production", Text: &text},
		files{"quay/tides.ink": "high", "tides.ink": "low"})
	if err != nil || res.Text == nil {
		return "", err
	}
	return *res.Text, nil
}

func TestCall(t *testing.T) {
	tests := []struct{ text, want string }{
		{"a { b: c }", "A { B: C }"},
		{"about", "tide sheet quay/a.ink production quay/a.ink\n"},
		{"get tides.ink", "quay/tides.ink|high|"},
		{"get ../tides.ink", "tides.ink|low|"},
		{"get tides.ink missing.ink", "quay/missing.ink||no such file"},
		{"env AWAY", ""},
		{`wrong {"text": "é", "findings": [{"severity": "note", "message": "x"}], "read": ["a"], "map": {"version": 3}}`, "é"},
		{"wrong {\n\"text\"\n:\n\"lines\"\n}", "lines"},
		{"wrong {}", ""},
	}
	t.Setenv("AWAY", "secret")
	both(t, time.Minute, func(t *testing.T, r *custom.Runner) {
		for _, test := range tests {
			if got, err := call(r, test.text); err != nil || got != test.want {
				t.Errorf("%s: got %q, %v; want %q", test.text, got, err, test.want)
			}
		}
	})
}

// TestFailures makes steps fail in all ways: each is an error that shows what
// the step wrote last.
func TestFailures(t *testing.T) {
	tests := []struct{ text, reason, last string }{
		{"exit", "exit status 3", "line 3: no such tide"},
		{"half", "it ended without a complete answer", `{"text": "qua`},
		{"halffails", "exit status 4", `{"text": "qua`},
		{"silent", "it ended without a complete answer", ""},
		{"late", "exit status 5", `{"text": "ok"}`},
		{"trap", "exit status 2", "nil pointer dereference"},
		{"chatter", "it wrote more than 64 MB", ""},
		{"wrong quay", "its answer is not valid JSON: invalid character 'q' looking for beginning of value", "quay"},
		{"wrong [1]", "its answer is not as documented: cannot unmarshal array", "[1]"},
		{`wrong {"txt": "a"}`, `its answer is not as documented: unknown field "txt"`, `{"txt": "a"}`},
		{`wrong {"get": "a", "to": "b"}`, `its answer is not as documented: unknown field "to"`, `{"get"`},
		{`wrong {"text": "a"} {"text": "b"}`, "it wrote more after its answer", `{"text": "a"}`},
		{`wrong {"findings": [{"severity": "fatal", "message": "x"}]}`, `the severity "fatal"`, "fatal"},
		{`wrong {"findings": [{"severity": "note", "message": " "}]}`, "without a message", "note"},
	}
	both(t, time.Minute, func(t *testing.T, r *custom.Runner) {
		for _, test := range tests {
			_, err := call(r, test.text)
			var failure *custom.Failure
			if !errors.As(err, &failure) || !strings.Contains(failure.Reason, test.reason) ||
				!strings.Contains(failure.Last, test.last) {
				t.Errorf("%s: got %#v, want %q and %q", test.text, err, test.reason, test.last)
			}
		}
		if got, err := call(r, "still here"); err != nil || got != "STILL HERE" {
			t.Errorf("after failures: %q, %v", got, err)
		}
	})
}

// TestLimits lets steps run too long.
func TestLimits(t *testing.T) {
	both(t, time.Second, func(t *testing.T, r *custom.Runner) {
		for _, text := range []string{"loop", "noise", "hang"} {
			if text == "hang" && strings.Contains(t.Name(), "module") {
				continue // modules do not sleep
			}
			start := time.Now()
			_, err := call(r, text)
			var failure *custom.Failure
			if !errors.As(err, &failure) || failure.Reason != "no answer in 1s" {
				t.Errorf("%s: %v", text, err)
			}
			if took := time.Since(start); took > 20*time.Second {
				t.Errorf("%s: it took %v", text, took)
			}
			if text != "loop" && !strings.Contains(failure.Last, "tide") {
				t.Errorf("%s: it wrote last %q", text, failure.Last)
			}
		}
	})
}

// TestCancel cancels calls.
func TestCancel(t *testing.T) {
	both(t, time.Hour, func(t *testing.T, r *custom.Runner) {
		for _, text := range []string{"loop", "noise"} {
			ctx, cancel := context.WithTimeout(context.Background(), 500*time.Millisecond)
			if _, err := r.Call(ctx, custom.Request{Text: &text}, files{}); !errors.Is(err, context.DeadlineExceeded) {
				t.Errorf("%s: %v", text, err)
			}
			cancel()
		}
	})
}

// TestMemory gives a module less memory than it wants.
func TestMemory(t *testing.T) {
	_, err := call(module(t, time.Minute), "eat")
	var failure *custom.Failure
	if !errors.As(err, &failure) || !strings.Contains(failure.Last, "out of memory") {
		t.Errorf("got %#v", err)
	}
}

// TestSandbox lets a module try to reach files, the network, and what differs
// from run to run.
func TestSandbox(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	file := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(file, []byte("x"), 0o600); err != nil {
		t.Fatal(err)
	}
	r := module(t, time.Minute)
	for _, text := range []string{"open " + file, "open /etc/passwd", "open .", "create " + file, "create x",
		"dial " + listener.Addr().String()} {
		if got, err := call(r, text); err != nil || got != "true" {
			t.Errorf("%s: refused is %q, %v", text, got, err)
		}
	}
	first, err := call(r, "random")
	if err != nil {
		t.Fatal(err)
	}
	if second, err := call(module(t, time.Minute), "random"); err != nil || first != second {
		t.Errorf("random numbers and time: %q and %q, %v", first, second, err)
	}
}

// TestMore calls a step that can take more than one request.
func TestMore(t *testing.T) {
	both(t, time.Minute, func(t *testing.T, r *custom.Runner) {
		for i := range 3 {
			if got, err := call(r, "again"); err != nil || got != fmt.Sprint(i+1) {
				t.Errorf("call %d: %q, %v", i+1, got, err)
			}
		}
		if got, err := call(r, "done"); err != nil || got != "DONE" {
			t.Errorf("the last one: %q, %v", got, err)
		}
		if got, err := call(r, "again"); err != nil || got != "1" {
			t.Errorf("a new one: %q, %v", got, err)
		}
		var group sync.WaitGroup
		for range 20 {
			group.Go(func() {
				if _, err := call(r, "again"); err != nil {
					t.Error(err)
				}
			})
		}
		group.Wait()
		r.Close()
		if _, err := call(r, "again"); err == nil {
			t.Error("a closed runner still runs")
		}
	})
}

// TestChildren checks that a program is killed with its children, also with
// those that left its process group.
func TestChildren(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("on other systems children can leave")
	}
	file := filepath.Join(t.TempDir(), "children")
	_, err := call(program(t, 2*time.Second), "fork "+file)
	if err == nil || err.Error() != "no answer in 2s" {
		t.Errorf("got %v", err)
	}
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	pids := strings.Fields(string(text))
	if len(pids) != 2 {
		t.Fatalf("children: %q", text)
	}
	for _, pid := range pids {
		for wait := 0; isRunning(pid); wait++ {
			if wait == 100 {
				t.Errorf("the child %s is still running", pid)
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
	}
}

// isRunning reports whether a process runs, and is no zombie.
func isRunning(pid string) bool {
	text, err := os.ReadFile("/proc/" + pid + "/stat")
	return err == nil && !strings.Contains(string(text), ") Z ")
}

// TestPlain runs programs that take and give the text alone.
func TestPlain(t *testing.T) {
	tests := []struct {
		run    []string
		want   string
		reason string
	}{
		{[]string{"tr", "a-z", "A-Z"}, "QUAY", ""},
		{[]string{"sh", "-c", `printf '%s' "$RINZEL_PATH $RINZEL_ON"`}, "quay/a.ink sheet", ""},
		{[]string{"true"}, "", ""}, // it does not read
		{[]string{"pwd"}, "DIR\n", ""},
		{[]string{"sh", "-c", "echo no tide >&2; exit 7"}, "", "exit status 7"},
		{[]string{"sh", "-c", "kill -9 $$"}, "", "signal: killed"},
		{[]string{"printf", `\377`}, "", "what it wrote is not UTF-8 text"},
		{[]string{"no-such-program"}, "", `there is no program "no-such-program"`},
		{[]string{"./no-such-program"}, "", `there is no program "./no-such-program"`},
		{[]string{"./plain-file"}, "", `the program "./plain-file" is not executable`},
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "plain-file"), nil, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, test := range tests {
		r := custom.New(custom.Definition{Name: "tide", Run: test.run, Plain: true, Dir: dir, Time: time.Minute})
		got, err := call(r, "quay")
		reason := ""
		if err != nil {
			reason = err.Error()
		}
		if got != strings.ReplaceAll(test.want, "DIR", dir) || reason != test.reason {
			t.Errorf("%q: got %q, %q; want %q, %q", test.run, got, reason, test.want, test.reason)
		}
		r.Close()
	}
}

// TestInvalidModules runs what is no module, or one without an entry point.
func TestInvalidModules(t *testing.T) {
	for code, want := range map[string]string{
		"quay":                    "the module cannot be loaded: invalid magic number",
		"\x00asm\x01\x00\x00\x00": "the module has no function _start",
		"\x00asm\x01\x00\x00\x00\x05\x03\x01\x00\x7f": "cannot be loaded",
	} {
		r := custom.New(custom.Definition{Name: "tide", Module: []byte(code), Time: time.Minute, Memory: 1})
		if _, err := call(r, "a"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: got %v, want %q", code, err, want)
		}
		r.Close()
	}
}

// BenchmarkCall measures a call of a step that starts each time, and of one that
// stays.
func BenchmarkCall(b *testing.B) {
	code, err := os.ReadFile(os.Getenv("RINZEL_STEP_MODULE"))
	if err != nil {
		b.Skip("RINZEL_STEP_MODULE names no module")
	}
	for _, text := range []string{"once", "again"} {
		r := custom.New(custom.Definition{Name: "tide", Module: code, Time: time.Minute, Memory: 64})
		b.Run(text, func(b *testing.B) {
			for b.Loop() {
				if _, err := call(r, text); err != nil {
					b.Fatal(err)
				}
			}
		})
		r.Close()
	}
}
