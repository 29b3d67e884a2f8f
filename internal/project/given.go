package project

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/source"
)

// This file lists what settings files set.

// Given is a value in a settings file.
type Given struct {
	Path  []string    // keys that lead to it; the index of an element of a list of tables is a number
	Value string      // as TOML, on one line
	At    source.Span // of the value
}

// given lists the values of a table, sorted by their paths.
func given(table map[string]any, positions *positions) (out []Given) {
	var visit func(v any, path []string, key string)
	visit = func(v any, path []string, key string) {
		switch v := v.(type) {
		case map[string]any:
			for _, name := range slices.Sorted(maps.Keys(v)) {
				deeper := name
				if key != "" {
					deeper = key + "." + name
				}
				visit(v[name], append(slices.Clip(path), name), deeper)
			}
			return
		case []any:
			if isTables(v) {
				for i := range v {
					visit(v[i], append(slices.Clip(path), strconv.Itoa(i)), key+"#"+strconv.Itoa(i))
				}
				return
			}
		}
		out = append(out, Given{path, tomlText(v), positions.value(key)})
	}
	visit(table, nil, "")
	return out
}

// isTables reports whether a list has only tables.
func isTables(list []any) bool {
	return len(list) > 0 && !slices.ContainsFunc(list, func(v any) bool { _, ok := v.(map[string]any); return !ok })
}

// tomlText returns a value as TOML.
func tomlText(v any) string {
	switch v := v.(type) {
	case string:
		return tomlString(v)
	case float64:
		if v == math.Trunc(v) && math.Abs(v) < 1e15 {
			return strconv.FormatFloat(v, 'f', 1, 64)
		}
		return strconv.FormatFloat(v, 'g', -1, 64)
	case []any:
		var list []string
		for _, e := range v {
			list = append(list, tomlText(e))
		}
		return "[" + strings.Join(list, ", ") + "]"
	case map[string]any:
		var list []string
		for _, key := range slices.Sorted(maps.Keys(v)) {
			list = append(list, TOMLKey(key)+" = "+tomlText(v[key]))
		}
		return "{ " + strings.Join(list, ", ") + " }"
	}
	return fmt.Sprint(v)
}

// tomlString returns a string as TOML.
func tomlString(s string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, c := range s {
		switch {
		case c == '"' || c == '\\':
			b.WriteByte('\\')
			b.WriteRune(c)
		case c < ' ' || c == 0x7f:
			fmt.Fprintf(&b, `\u%04X`, c)
		default:
			b.WriteRune(c)
		}
	}
	b.WriteByte('"')
	return b.String()
}

// TOMLKey returns a key as TOML: in quotes if it needs them.
func TOMLKey(key string) string {
	plain := key != "" && strings.Trim(key, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_") == ""
	if plain {
		return key
	}
	return tomlString(key)
}
