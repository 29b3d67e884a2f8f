package cli_test

import (
	"bufio"
	"fmt"
	"io"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"
)

// TestLanguageServer speaks with the built program: it answers, and ends on request.
func TestLanguageServer(t *testing.T) {
	dir := lay(t, "index.html", "<!doctype html><html lang=en><link rel=stylesheet href=a.css>", "a.css", "p { colour: red }")
	cmd := exec.Command(program, "language-server", "--stdio")
	cmd.Dir = dir
	in, err1 := cmd.StdinPipe()
	out, err2 := cmd.StdoutPipe()
	if err1 != nil || err2 != nil {
		t.Fatal(err1, err2)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	late := time.AfterFunc(30*time.Second, func() { _ = cmd.Process.Kill() })
	defer late.Stop()
	send := func(text string) {
		if _, err := fmt.Fprintf(in, "Content-Length: %d\r\n\r\n%s", len(text), text); err != nil {
			t.Fatal(err)
		}
	}
	answers := bufio.NewReader(out)
	receive := func(want string) {
		t.Helper()
		for {
			line, err := answers.ReadString('\n')
			if err != nil {
				t.Fatalf("no %q: %v", want, err)
			}
			length, ok := strings.CutPrefix(strings.TrimSpace(line), "Content-Length: ")
			if !ok {
				continue
			}
			n, err := strconv.Atoi(length)
			if err != nil {
				t.Fatal(err)
			}
			for strings.TrimSpace(line) != "" {
				if line, err = answers.ReadString('\n'); err != nil {
					t.Fatal(err)
				}
			}
			body := make([]byte, n)
			if _, err := io.ReadFull(answers, body); err != nil {
				t.Fatal(err)
			}
			if strings.Contains(string(body), want) {
				return
			}
		}
	}
	send(`{"jsonrpc":"2.0","id":1,"method":"initialize","params":{"rootUri":"file://` + dir + `"}}`)
	receive(`"name":"rinzel"`)
	send(`{"jsonrpc":"2.0","method":"initialized","params":{}}`)
	receive(`unknown property \"colour\"`)
	send(`{"jsonrpc":"2.0","id":2,"method":"shutdown"}`)
	receive(`"id":2`)
	send(`{"jsonrpc":"2.0","method":"exit"}`)
	if err := cmd.Wait(); err != nil {
		t.Errorf("the program ends with %v", err)
	}
}
