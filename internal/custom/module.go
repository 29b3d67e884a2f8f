package custom

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"sync"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/imports/wasi_snapshot_preview1"
	"github.com/tetratelabs/wazero/sys"
)

// pagesPerMB is the number of WebAssembly pages in a MB.
const pagesPerMB = 16

// module is a compiled module.
type module struct {
	runtime wazero.Runtime
	code    wazero.CompiledModule
	cache   wazero.CompilationCache // nil without a folder for it
}

// compile compiles the module of a definition.
func compile(ctx context.Context, def *Definition) (*module, error) {
	m := &module{}
	config := wazero.NewRuntimeConfig().WithCloseOnContextDone(true).
		WithMemoryLimitPages(uint32(def.Memory) * pagesPerMB)
	if def.Compiled != "" {
		if cache, err := wazero.NewCompilationCacheWithDir(def.Compiled); err == nil {
			m.cache = cache
			config = config.WithCompilationCache(cache)
		}
	}
	m.runtime = wazero.NewRuntimeWithConfig(ctx, config)
	if _, err := wasi_snapshot_preview1.Instantiate(ctx, m.runtime); err != nil {
		m.close()
		return nil, err
	}
	code, err := m.runtime.CompileModule(ctx, def.Module)
	if err != nil {
		m.close()
		return nil, fmt.Errorf("the module cannot be loaded: %w", err)
	}
	if _, ok := code.ExportedFunctions()["_start"]; !ok {
		m.close()
		return nil, errors.New("the module has no function _start: build it as a command for WASI preview 1")
	}
	m.code = code
	return m, nil
}

// close releases the module.
func (m *module) close() {
	_ = m.runtime.Close(context.Background())
	if m.cache != nil {
		_ = m.cache.Close(context.Background())
	}
}

// instance is a running instance of a module.
type instance struct {
	input   *io.PipeWriter
	inside  *io.PipeReader // the other end
	output  *io.PipeReader
	outside *io.PipeWriter
	errors  tail
	cancel  context.CancelFunc
	done    chan struct{}
	err     error // valid once done is closed
	once    sync.Once
}

// start starts an instance. It has no files, no network and no sleep; the clock
// is fixed, and random numbers are the same each time.
func (m *module) start(name string, env []string) process {
	ctx, cancel := context.WithCancel(context.Background())
	i := &instance{cancel: cancel, done: make(chan struct{})}
	i.inside, i.input = io.Pipe()
	i.output, i.outside = io.Pipe()
	config := wazero.NewModuleConfig().WithName("").WithArgs(name).
		WithStdin(i.inside).WithStdout(i.outside).WithStderr(&i.errors).
		WithRandSource(rand.NewChaCha8([32]byte{}))
	for _, pair := range env {
		key, value, _ := strings.Cut(pair, "=")
		config = config.WithEnv(key, value)
	}
	go func() {
		defer close(i.done)
		instance, err := m.runtime.InstantiateModule(ctx, m.code, config)
		if instance != nil {
			_ = instance.Close(context.Background())
		}
		i.err = exitError(err)
		_ = i.outside.Close()
		_ = i.inside.Close()
	}()
	return i
}

// exitError returns the error that an instance ended with, or nil.
func exitError(err error) error {
	var exit *sys.ExitError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &exit) && exit.ExitCode() == 0:
		return nil
	case errors.As(err, &exit):
		return fmt.Errorf("exit status %d", exit.ExitCode())
	}
	what, _, _ := strings.Cut(err.Error(), "\n") // a stack trace follows
	what = strings.TrimPrefix(what, "module[] function[_start] failed: ")
	return fmt.Errorf("trap: %s", strings.TrimPrefix(what, "wasm error: "))
}

// Read reads from the standard output.
func (i *instance) Read(data []byte) (int, error) { return i.output.Read(data) }

// Write writes to the standard input.
func (i *instance) Write(data []byte) (int, error) { return i.input.Write(data) }

// Close closes the standard input.
func (i *instance) Close() error { return i.input.Close() }

// kill ends the instance.
func (i *instance) kill() {
	i.once.Do(func() {
		i.cancel()
		_ = i.inside.CloseWithError(io.EOF)
		_ = i.outside.CloseWithError(io.EOF)
	})
}

// wait waits for the end of the instance.
func (i *instance) wait() error {
	<-i.done
	i.cancel()
	return i.err
}

// stderr returns what the instance wrote last to its standard error.
func (i *instance) stderr() string { return i.errors.String() }
