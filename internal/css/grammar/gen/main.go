// Gen generates the table of definitions that package grammar embeds, from the W3C's
// machine-readable definitions of CSS (npm: @webref/css, MIT).
//
// Usage:
//
//	go run ./internal/css/grammar/gen -definitions DIR > internal/css/grammar/definitions.txt
//
// DIR is the unpacked package. The table is text, with a definition per line:
//
//	source NAME VERSION
//	property NAME SYNTAX
//	alias NAME STANDARD-NAME
//	longhands NAME LONGHAND…
//	type NAME SYNTAX
//	function NAME SYNTAX
//	at-rule NAME
//	descriptor AT-RULE/NAME SYNTAX
//	selector NAME
//
// Lines are sorted; the last one is a checksum of the others.
package main

import (
	"cmp"
	"crypto/sha256"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// definition is any object in the data.
type definition struct {
	Name        string       `json:"name"`
	Syntax      string       `json:"syntax"`
	Alias       string       `json:"legacyAliasOf"`
	Longhands   []string     `json:"longhands"`
	Descriptors []definition `json:"descriptors"`
}

// data is the file css.json of the package.
type data struct {
	AtRules    []definition `json:"atrules"`
	Functions  []definition `json:"functions"`
	Properties []definition `json:"properties"`
	Selectors  []definition `json:"selectors"`
	Types      []definition `json:"types"`
}

// main writes the table to standard output.
func main() {
	dir := flag.String("definitions", "", "the folder of the definitions")
	flag.Parse()
	if err := run(*dir, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, "gen:", err)
		os.Exit(1)
	}
}

// run writes the table.
func run(dir string, w io.Writer) error {
	var d data
	var about struct{ Name, Version string }
	if err := cmp.Or(read(filepath.Join(dir, "css.json"), &d),
		read(filepath.Join(dir, "package.json"), &about)); err != nil {
		return err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "source %s %s\n", about.Name, about.Version)
	for _, line := range slices.Sorted(maps.Keys(lines(&d))) {
		fmt.Fprintln(&b, line)
	}
	_, err := fmt.Fprintf(w, "%ssum %x\n", b.String(), sha256.Sum256([]byte(b.String())))
	return err
}

// read decodes a JSON file.
func read(name string, into any) error {
	raw, err := os.ReadFile(name)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(raw, into); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	return nil
}

// lines returns the lines of the table. Functions and types with the same name for different
// contexts become one, with either syntax.
func lines(d *data) map[string]bool {
	out := make(map[string]bool)
	add := func(format string, args ...any) { out[strings.TrimSpace(fmt.Sprintf(format, args...))] = true }
	for _, p := range d.Properties {
		switch {
		case p.Alias != "":
			add("alias %s %s", p.Name, p.Alias)
		default:
			add("property %s %s", p.Name, oneLine(p.Syntax))
		}
		if len(p.Longhands) > 0 {
			add("longhands %s %s", p.Name, strings.Join(p.Longhands, " "))
		}
	}
	for name, syntax := range merged(d.Types) {
		add("type %s %s", name, syntax)
	}
	for name, syntax := range merged(d.Functions) {
		add("function %s %s", name, syntax)
	}
	for _, r := range d.AtRules {
		name := strings.TrimPrefix(r.Name, "@")
		add("at-rule %s", name)
		for _, desc := range r.Descriptors {
			add("descriptor %s/%s %s", name, desc.Name, oneLine(desc.Syntax))
		}
	}
	for _, s := range d.Selectors {
		if strings.HasPrefix(s.Name, ":") {
			add("selector %s", s.Name)
		}
	}
	return out
}

// merged returns the syntax of each name; several are joined by '|'.
func merged(list []definition) map[string]string {
	out := make(map[string]string)
	for _, d := range list {
		syntax := oneLine(d.Syntax)
		if have := out[d.Name]; have != "" && syntax != "" {
			syntax = have + " | " + syntax
		}
		out[d.Name] = cmp.Or(syntax, out[d.Name])
	}
	return out
}

// oneLine replaces white space by single spaces.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
