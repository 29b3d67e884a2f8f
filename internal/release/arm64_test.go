package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// TestOtherProcessor builds a site of colours and calculations with the program for arm64,
// in an emulator, and with the one for this machine: all files are the same. Compilers may
// join a multiplication and an addition on some processors, which rounds once instead of
// twice, so that a channel that is exactly between two values could become either.
func TestOtherProcessor(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the program for another processor")
	}
	emulator, err := exec.LookPath("qemu-aarch64")
	if err != nil {
		t.Skip("no emulator of arm64")
	}
	sheet := computedSheet()
	var outputs [2]map[string][]byte
	for i, processor := range []string{"", "arm64"} {
		dir := t.TempDir()
		program := filepath.Join(dir, "rinzel")
		compile := exec.CommandContext(t.Context(), "go", "build", "-o", program, "rinzel/cmd/rinzel")
		compile.Env = append(os.Environ(), "CGO_ENABLED=0")
		command := []string{program}
		if processor != "" {
			compile.Env = append(compile.Env, "GOOS=linux", "GOARCH="+processor)
			command = []string{emulator, program}
		}
		if text, err := compile.CombinedOutput(); err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		site := filepath.Join(dir, "site")
		for name, text := range map[string]string{
			"a.css":       sheet,
			"index.html":  `<!doctype html><html lang="en"><title>Quay</title><link rel="stylesheet" href="a.css"><p class="c0">`,
			"rinzel.toml": "[browsers]\nfloor = { chrome = \"90\", safari = \"13\" }\n[purge]\nkeep = [\"*\"]\n",
		} {
			if err := os.MkdirAll(site, 0o755); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(filepath.Join(site, name), []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		build := exec.CommandContext(t.Context(), command[0], append(command[1:], "build", "--profile", "production")...)
		build.Dir = site
		if text, err := build.CombinedOutput(); err != nil {
			t.Fatalf("%s: %v\n%s", processor, err, text)
		}
		outputs[i] = filesIn(t, filepath.Join(site, "public"))
	}
	size := 0
	for name, data := range outputs[0] {
		if size += len(data); name != ".rinzel/written.json" && !bytes.Equal(data, outputs[1][name]) {
			t.Errorf("%s differs on arm64", name)
		}
	}
	if len(outputs[0]) != len(outputs[1]) || size < 100_000 {
		t.Errorf("%d files of %d bytes, and %d files", len(outputs[0]), size, len(outputs[1]))
	}
}

// computedSheet returns a sheet with mixtures of colours in all spaces, many of which are
// exactly between two values, relative colours, and calculations.
func computedSheet() string {
	var b strings.Builder
	n := 0
	rule := func(format string, args ...any) {
		fmt.Fprintf(&b, ".c%d { ", n)
		fmt.Fprintf(&b, format, args...)
		b.WriteString(" }\n")
		n++
	}
	names := strings.Fields("white black red blue teal gray orange tomato rebeccapurple")
	for _, space := range strings.Fields("srgb srgb-linear lab oklab lch oklch hsl hwb xyz") {
		for i, one := range names {
			for _, other := range names[i+1:] {
				for _, part := range []int{25, 33, 50} {
					rule("color: color-mix(in %s, %s %d%%, %s)", space, one, part, other)
				}
			}
		}
	}
	for i := range 600 {
		rule("color: oklch(from #%06x calc(l * 0.%d) c h)", i*27799%(1<<24), 1+i%9)
		rule("color: lab(%d%% %d %d); width: calc(%dpx * %d / 7 + 1px)", i%100, i*7%160-80, i*13%160-80, i, 1+i%9)
		rule("left: calc(sin(%ddeg) * 1rem); top: calc(pow(%d.%d, 1.7) * 1px); rotate: calc(%dturn / 7)", i, i%9, i%7, i%5)
	}
	return b.String()
}
