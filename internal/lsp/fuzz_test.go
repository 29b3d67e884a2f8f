package lsp_test

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/sourcegraph/jsonrpc2"

	"rinzel/internal/lsp"
)

// fuzzFolder returns a folder with a small site that all runs of a fuzz target share.
func fuzzFolder(f *testing.F) string {
	dir, err := filepath.EvalSymlinks(f.TempDir())
	if err != nil {
		f.Fatal(err)
	}
	for name, text := range smallSite {
		file := filepath.Join(dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o755), os.WriteFile(file, []byte(text), 0o644)); err != nil {
			f.Fatal(err)
		}
	}
	return dir
}

// FuzzMessages opens a sheet and a page with any text, sends any message, and then a
// request that must be answered.
func FuzzMessages(f *testing.F) {
	dir := fuzzFolder(f)
	uri := "file://" + dir + "/site/a.css"
	const at = `{"textDocument":{"uri":"URI"},"position":{"line":6,"character":9}`
	for _, method := range []string{"completion", "hover", "definition", "references", "prepareRename", "documentColor",
		"documentSymbol", "foldingRange", "formatting", "didSave", "didClose"} {
		f.Add("textDocument/"+method, at+"}", smallSite["site/a.css"])
	}
	f.Add("textDocument/rename", at+`,"newName":"--x.y"}`, "@const a { b { c: 1 } } .x { color: const(a.b.c) }")
	f.Add("textDocument/rename", at+`,"newName":"z"}`, "@const a: 1;\n\n\n\n\n\n.a { b:const(a);")
	f.Add("textDocument/didChange", `{"textDocument":{"uri":"URI","version":2},"contentChanges":[{"range":{"start":{"line":9,"character":-1},"end":{"line":0,"character":99}},"text":"é\r\n"}]}`, "é😀\r\r\n")
	f.Add("textDocument/didChange", `{"textDocument":{"uri":"URI"},"contentChanges":[{"text":"<style>"}]}`, "")
	f.Add("textDocument/colorPresentation", `{"textDocument":{"uri":"URI"},"color":{"red":1e308,"green":-1,"alpha":2},"range":{}}`, "a{color:red")
	f.Add("textDocument/codeAction", `{"textDocument":{"uri":"URI"},"range":{"start":{"line":1}},"context":{"diagnostics":[null]}}`, "a{colr:red}")
	f.Add("workspace/symbol", `{"query":"`+"\x00"+`"}`, "")
	f.Add("workspace/didChangeWatchedFiles", `{"changes":[{"uri":"file:///"},{"uri":"URI"},{"uri":"file:///%zz"},{}]}`, "")
	f.Add("initialize", `{"rootUri":"file:///none","workspaceFolders":[{}]}`, "")
	f.Add("$/cancelRequest", `{"id":[1]}`, "@")
	f.Add("textDocument/didOpen", `{"textDocument":{"uri":"file://`+dir+`/site/../../x.css","text":"\ud800"}}`, "")
	f.Fuzz(func(t *testing.T, method, params, text string) {
		if method == "exit" || method == "shutdown" {
			t.Skip()
		}
		ours, theirs := net.Pipe()
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		defer cancel()
		ended := make(chan error, 1)
		go func() { ended <- lsp.Serve(ctx, theirs, lsp.Options{}) }()
		conn := jsonrpc2.NewConn(ctx, jsonrpc2.NewBufferedStream(ours, jsonrpc2.VSCodeObjectCodec{}),
			jsonrpc2.HandlerWithError(func(context.Context, *jsonrpc2.Conn, *jsonrpc2.Request) (any, error) { return nil, nil }))
		call := func(method string, params any) {
			if err := conn.Call(ctx, method, params, nil); ctx.Err() != nil {
				t.Fatalf("%s: %v", method, err)
			}
		}
		call("initialize", map[string]any{"rootUri": "file://" + dir, "capabilities": map[string]any{}})
		for _, uri := range []string{uri, "file://" + dir + "/site/index.html"} {
			err := conn.Notify(ctx, "textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": uri, "version": 1, "text": text}})
			if err != nil {
				t.Fatal(err)
			}
		}
		if raw := strings.ReplaceAll(params, "URI", uri); json.Valid([]byte(raw)) {
			call(method, json.RawMessage(raw))
		}
		var answer []any
		if err := conn.Call(ctx, "textDocument/documentColor", map[string]any{"textDocument": map[string]any{"uri": uri}}, &answer); err != nil {
			t.Fatalf("after %s: %v", method, err)
		}
		_ = conn.Close()
		if err := <-ended; err != nil {
			t.Error(err)
		}
	})
}

// FuzzStream sends any bytes: the server ends when the editor disconnects.
func FuzzStream(f *testing.F) {
	dir := fuzzFolder(f)
	frame := func(body string) string { return "Content-Length: " + strconv.Itoa(len(body)) + "\r\n\r\n" + body }
	begin := frame(`{"jsonrpc":"2.0","id":1,"method":"initialize","params":{"rootUri":"file://` + dir + `"}}`)
	f.Add(begin + frame(`{"jsonrpc":"2.0","id":2,"method":"shutdown"}`) + frame(`{"jsonrpc":"2.0","method":"exit"}`))
	f.Add(begin + frame(`{"jsonrpc":"2.0","id":{},"method":7}`) + frame(`[]`))
	f.Add(begin + frame(`{"jsonrpc":"2.0","id":3,"result":{}}`))
	f.Add("Content-Length: 99999999999\r\n\r\n{")
	f.Add("Content-Length: -1\r\n\r\n")
	f.Add("Content-Length: 2\r\n\r\n{}Content-Length: 2\r\n\r\n{")
	f.Add("\r\n\r\n\x00\xff" + begin)
	f.Add(begin[:40])
	f.Fuzz(func(t *testing.T, sent string) {
		ours, theirs := net.Pipe()
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		defer cancel()
		ended := make(chan error, 1)
		go func() { ended <- lsp.Serve(ctx, theirs, lsp.Options{}) }()
		go func() { _, _ = io.Copy(io.Discard, ours) }()
		_ = ours.SetWriteDeadline(time.Now().Add(10 * time.Second))
		_, _ = io.WriteString(ours, sent) // the server may have closed it
		_ = ours.Close()
		select {
		case <-ended:
		case <-ctx.Done():
			t.Fatal("the server does not end")
		}
	})
}
