package project

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"testing"

	"github.com/pelletier/go-toml/v2"

	"rinzel/internal/diag"
)

// misfits returns where a value does not fit a schema: as much of JSON Schema as
// [Schema] writes.
func misfits(schema map[string]any, v any, at string) (out []string) {
	is := map[string]func() bool{
		"object":  func() bool { _, ok := v.(map[string]any); return ok },
		"array":   func() bool { _, ok := v.([]any); return ok },
		"string":  func() bool { _, ok := v.(string); return ok },
		"boolean": func() bool { _, ok := v.(bool); return ok },
		"integer": func() bool { _, ok := v.(int64); return ok },
		"number":  func() bool { _, isInt := v.(int64); _, ok := v.(float64); return ok || isInt },
	}
	if kind, ok := schema["type"].(string); ok && !is[kind]() {
		return []string{at + " is no " + kind}
	}
	if list, ok := schema["enum"].([]any); ok && !slices.Contains(list, v) {
		out = append(out, at+" is another word")
	}
	properties, _ := schema["properties"].(map[string]any)
	if table, ok := v.(map[string]any); ok {
		for key, value := range table {
			if p, known := properties[key].(map[string]any); known {
				out = append(out, misfits(p, value, at+"."+key)...)
			} else if p, named := schema["additionalProperties"].(map[string]any); named {
				out = append(out, misfits(p, value, at+"."+key)...)
			} else if schema["additionalProperties"] == false {
				out = append(out, at+"."+key+" is unknown")
			}
		}
	}
	if list, ok := v.([]any); ok {
		for i, value := range list {
			if items, ok := schema["items"].(map[string]any); ok {
				out = append(out, misfits(items, value, fmt.Sprintf("%s#%d", at, i))...)
			}
		}
	}
	return out
}

// TestSchema checks that the schema accepts what the reader accepts, and refuses what it
// refuses because of its structure.
func TestSchema(t *testing.T) {
	data, err := json.Marshal(Schema(func([]string) string { return "" }))
	if err != nil {
		t.Fatal(err)
	}
	var schema map[string]any
	if err := json.Unmarshal(data, &schema); err != nil {
		t.Fatal(err)
	}
	demo, err := os.ReadFile("../../demo/harbour/rinzel.toml")
	if err != nil {
		t.Fatal(err)
	}
	for text, valid := range map[string]bool{
		string(demo): true,
		"":           true,
		"version = 1\nextends = \"x.toml\"\nsource = \"site\"\nexclude = [\"a/**\"]":                        true,
		"[browsers]\nshare = 1\nrecent = 2\nfloor = { chrome = \"100\" }\n[browsers.sets.old]\nshare = 0.5": true,
		"[bundles.app]\nfrom = [\"a.css\"]\n[constants]\na = 1\nb = [\"x\", 2]\n[constants.c]\nd = \"e\"":   true,
		"[profile.production]\nmaps = \"none\"\nfinish = []\n[check.levels]\nunknown-property = \"off\"":    true,
		"[step.tide]\non = \"sheet\"\nrun = [\"a\"]\noptions = { a = 1, b = { c = true } }":                 true,
		"[budget]\npage = \"10 kB\"\n[budget.\"a.html\"]\nbundle = 5":                                       true,
		"sauce = \"site\"":                     false,
		"source = 1":                           false,
		"exclude = \"a\"":                      false,
		"exclude = [1]":                        false,
		"[purge]\nkeeps = []":                  false,
		"[purge]\nproperties = 1":              false,
		"[profile.production]\nmaps = \"no\"":  false,
		"[profile.x]\nmap = \"none\"":          false,
		"[step.a]\non = \"boat\"":              false,
		"[check.levels]\nmissing-size = \"x\"": false,
		"[[chain]]\nmatches = \"a\"":           false,
		"[browsers.sets.a]\nshares = 1":        false,
		"[minify]\nsize = \"small\"":           false,
		"[split]\nshared = 1.5":                false,
		"[scripts]\npreload = \"yes\"":         false,
	} {
		var table map[string]any
		if err := toml.Unmarshal([]byte(text), &table); err != nil {
			t.Fatal(text, err)
		}
		_, found, _ := read(text)
		structural := diag.HasErrors(found)
		if valid && structural {
			t.Errorf("the reader refuses %q: %v", text, found)
		}
		if got := misfits(schema, any(table), ""); (len(got) == 0) != valid {
			t.Errorf("the schema finds %q in %q", got, text)
		}
		if !valid && !structural {
			t.Errorf("the reader accepts %q", text)
		}
	}
}
