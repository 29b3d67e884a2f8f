package custom

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

// program is a running program of the user.
type program struct {
	cmd    *exec.Cmd
	mark   string // identifies it and its children in their environment
	in     io.WriteCloser
	out    io.Reader
	errors tail

	mu   sync.Mutex
	over bool // it was waited for: its process ID may belong to another one
}

// usual are the environment variables that all programs get.
var usual = []string{"PATH", "HOME", "LANG", "TMPDIR", "TEMP", "TMP", "SYSTEMROOT", "USERPROFILE"}

// patience is how long a program that has ended may leave its output open.
const patience = 2 * time.Second

// Executable returns the path of the file that a program is started from. A name
// with a slash is relative to the folder dir, others are searched in PATH.
func Executable(dir, name string) (string, error) {
	if !strings.ContainsAny(name, `/\`) {
		return exec.LookPath(name)
	}
	if !filepath.IsAbs(name) {
		name = filepath.Join(dir, filepath.FromSlash(name))
	}
	return filepath.Abs(name)
}

// startProgram starts a program with additional environment variables.
func startProgram(def *Definition, env []string) (process, error) {
	file, err := Executable(def.Dir, def.Run[0])
	if err != nil {
		return nil, &Failure{Reason: startError(def.Run[0], err)}
	}
	p := &program{cmd: exec.Command(file, def.Run[1:]...), mark: newMark()}
	p.cmd.Dir, p.cmd.WaitDelay = def.Dir, patience
	p.cmd.Env = append(env, p.mark)
	for _, name := range append(usual, def.Env...) {
		if value, ok := os.LookupEnv(name); ok {
			p.cmd.Env = append(p.cmd.Env, name+"="+value)
		}
	}
	p.cmd.Stderr = &p.errors
	ownGroup(p.cmd)
	if p.in, err = p.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	if p.out, err = p.cmd.StdoutPipe(); err != nil {
		return nil, err
	}
	if err := p.cmd.Start(); err != nil {
		return nil, &Failure{Reason: startError(def.Run[0], err)}
	}
	return p, nil
}

// startError explains why a program did not start.
func startError(name string, err error) string {
	switch {
	case errors.Is(err, exec.ErrNotFound), errors.Is(err, fs.ErrNotExist):
		return fmt.Sprintf("there is no program %q", name)
	case errors.Is(err, fs.ErrPermission):
		return fmt.Sprintf("the program %q is not executable", name)
	}
	return fmt.Sprintf("the program %q cannot be started: %v", name, err)
}

// Read reads from the standard output.
func (p *program) Read(data []byte) (int, error) {
	n, err := p.out.Read(data)
	if errors.Is(err, fs.ErrClosed) {
		err = io.EOF
	}
	return n, err
}

// Write writes to the standard input.
func (p *program) Write(data []byte) (int, error) { return p.in.Write(data) }

// Close closes the standard input.
func (p *program) Close() error { return p.in.Close() }

// kill kills the program and its children.
func (p *program) kill() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if !p.over {
		killAll(p.cmd.Process, p.mark)
	}
}

// wait waits for the end of the program.
func (p *program) wait() error {
	err := p.cmd.Wait()
	p.mu.Lock()
	p.over = true
	p.mu.Unlock()
	if errors.Is(err, exec.ErrWaitDelay) { // a child still has its standard error
		return nil
	}
	return err
}

// stderr returns what the program wrote last to its standard error.
func (p *program) stderr() string { return p.errors.String() }
