package graph_test

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// readComponent parses a component.
func readComponent(text string) *graph.Component {
	return graph.ReadComponent(new(source.Set).Add(source.Path{Name: "board.card"}, "board.card", text))
}

// TestReadComponent checks which style and script blocks components have.
func TestReadComponent(t *testing.T) {
	for _, test := range []struct {
		text string
		want string // the language of each style block, "+" if it has other attributes, and its text; then the imports
	}{
		{"<style>a{}</style>", "css[a{}]"},
		{"<p>Tern</p>\n<style type='text/css'>a{}</style>\n<style TYPE=text/ink>b</style>", "css[a{}] ink[b]"},
		{"<style lang=ink scoped>a</style><style media=print>b</style><style lang></style>", "ink+[a] css+[b] css[]"},
		{"<style lang=ink type=text/css>a</style>", "ink+[a]"},
		{"<template><style>a{}</style><p>Tern<br></template><style>b{}</style>", "css[b{}]"},
		{"<svg><style>a{}</style><path/></svg><style>b{}</style>", "css[b{}]"},
		{"<p class=row>Tern<style>a{}</style><tr><td><style>b{}</style>", "css[a{}] css[b{}]"},
		{"<ul><li>Tern<li>Gannet</ul><img src=a><input><style>b{}</style>", "css[b{}]"},
		{"<div></p></b><style>a{}</style></div><style>b{}</style>", "css[b{}]"},
		{"<style>a{}", ""},
		{"<script>import './a.css'</script><script lang=ts>import x from './b'; x as y</script><style>a{}</style>",
			"css[a{}] ./a.css ./b"},
		{"<script src=a.js>import './a.css'</script><div><script>import './b.css'</script></div>", ""},
		{"<script>'<style>x</style>'</script><!-- <style>y</style> --><style>a{}</style>", "css[a{}]"},
		{"<Board.Row :key='x' @click='y'/><style>a{}</style>", "css[a{}]"},
		{"---\nconst x = 1 < 2;\n---\n<b>{x}</b><style>a{}</style>", "css[a{}]"},
	} {
		c := readComponent(test.text)
		var got []string
		for _, b := range c.Styles {
			special := ""
			if b.Special {
				special = "+"
			}
			got = append(got, fmt.Sprintf("%s%s[%s]", b.Language, special, test.text[b.Text.Start:b.Text.End]))
			whole := test.text[b.Whole.Start:b.Whole.End]
			if !strings.HasPrefix(whole, "<style") || !strings.HasSuffix(whole, "</style>") {
				t.Errorf("%q has the block %q", test.text, whole)
			}
		}
		for _, imp := range c.Script.Imports {
			if at := test.text[imp.At.Start:imp.At.End]; at != imp.Specifier {
				t.Errorf("%q has an import of %q at %q", test.text, imp.Specifier, at)
			}
			got = append(got, imp.Specifier)
		}
		if got := strings.Join(got, " "); got != test.want {
			t.Errorf("%q has the blocks %s, want %s", test.text, got, test.want)
		}
	}
}

// FuzzReadComponent checks that blocks are where they say, and do not overlap.
func FuzzReadComponent(f *testing.F) {
	for _, text := range []string{"<style lang=ink>a</style><script>import './a'</script>", "<p><style>", "<svg><style></svg></style>",
		"<style></style/></style >"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		end := 0
		for _, b := range readComponent(text).Styles {
			if b.Whole.Start < end || b.Text.Start <= b.Whole.Start || b.Text.End < b.Text.Start || b.Whole.End <= b.Text.End ||
				b.Whole.End > len(text) {
				t.Fatalf("%q has a block %+v after %d", text, b, end)
			}
			end = b.Whole.End
		}
	})
}
