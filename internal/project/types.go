package project

import (
	"fmt"
	"maps"
	"math"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// This file compares a settings file with the structure of the settings, so
// that all mismatches are reported at once, in the terms of the settings.

// fit returns the parts of a value that fit a type: unknown keys and values of
// other types are reported and omitted. path leads to the value, with "#"
// before the index of an element. ok is false if nothing fits.
func (r *reader) fit(v any, t reflect.Type, path string) (fitting any, ok bool) {
	switch t.Kind() {
	case reflect.Pointer:
		return r.fit(v, t.Elem(), path)
	case reflect.Interface:
		return v, true
	case reflect.Struct, reflect.Map:
		if table, isTable := v.(map[string]any); isTable {
			return r.fitTable(table, t, path), true
		}
	case reflect.Slice:
		if list, isList := v.([]any); isList {
			return r.fitList(list, t, path), true
		}
		// [chain] instead of [[chain]]
		if table, isTable := v.(map[string]any); isTable && t.Elem().Kind() == reflect.Struct {
			return r.fitList([]any{table}, t, path), true
		}
	case reflect.String:
		_, ok = v.(string)
	case reflect.Bool:
		_, ok = v.(bool)
	case reflect.Int:
		_, ok = v.(int64)
	case reflect.Float64:
		_, isInt := v.(int64)
		_, isFloat := v.(float64)
		ok = isInt || isFloat
	default:
		panic("project: settings of kind " + t.Kind().String())
	}
	if !ok {
		r.mismatch(v, t, path)
	}
	return v, ok
}

// fitTable is fit for a table.
func (r *reader) fitTable(table map[string]any, t reflect.Type, path string) map[string]any {
	out := make(map[string]any)
	types := keysOf(t)
	for _, key := range slices.Sorted(maps.Keys(table)) {
		deeper := key
		if path != "" {
			deeper = path + "." + key
		}
		elem := types[key]
		if t.Kind() == reflect.Map {
			elem = t.Elem()
		}
		if elem == nil {
			r.unknownKey(strings.Split(index.ReplaceAllString(deeper, ""), "."), find(r.positions.keys, r.file, deeper))
			continue
		}
		if v, ok := r.fit(table[key], elem, deeper); ok {
			out[key] = v
		}
	}
	return out
}

// assign sets a part of the settings to a value that fits its type.
func assign(to reflect.Value, v any) {
	switch to.Kind() {
	case reflect.Pointer:
		to.Set(reflect.New(to.Type().Elem()))
		assign(to.Elem(), v)
	case reflect.Struct:
		table := v.(map[string]any)
		for i := range to.NumField() {
			f := to.Type().Field(i)
			if f.Anonymous {
				assign(to.Field(i), v)
			} else if value, ok := table[f.Tag.Get("toml")]; ok {
				assign(to.Field(i), value)
			}
		}
	case reflect.Map:
		table := v.(map[string]any)
		to.Set(reflect.MakeMapWithSize(to.Type(), len(table)))
		for key, value := range table {
			elem := reflect.New(to.Type().Elem()).Elem()
			assign(elem, value)
			to.SetMapIndex(reflect.ValueOf(key), elem)
		}
	case reflect.Slice:
		list := v.([]any)
		to.Set(reflect.MakeSlice(to.Type(), len(list), len(list)))
		for i, value := range list {
			assign(to.Index(i), value)
		}
	case reflect.Float64:
		if n, ok := v.(int64); ok {
			v = float64(n)
		}
		to.Set(reflect.ValueOf(v))
	case reflect.Int:
		to.SetInt(v.(int64))
	default:
		to.Set(reflect.ValueOf(v))
	}
}

// index matches the index of an element in a path.
var index = regexp.MustCompile(`#\d+`)

// fitList is fit for a list.
func (r *reader) fitList(list []any, t reflect.Type, path string) []any {
	var out []any
	for i, v := range list {
		if fitting, ok := r.fit(v, t.Elem(), path+"#"+strconv.Itoa(i)); ok {
			out = append(out, fitting)
		}
	}
	return out
}

// keysOf returns the types of the keys of a table, including embedded structs;
// nil for a map.
func keysOf(t reflect.Type) map[string]reflect.Type {
	if t.Kind() != reflect.Struct {
		return nil
	}
	out := make(map[string]reflect.Type)
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous {
			maps.Copy(out, keysOf(f.Type))
			continue
		}
		out[f.Tag.Get("toml")] = f.Type
	}
	return out
}

// mismatch reports a value of the wrong type.
func (r *reader) mismatch(v any, t reflect.Type, path string) {
	at, ok := r.positions.values[path]
	if !ok {
		at = find(r.positions.keys, r.file, path)
	}
	name := index.ReplaceAllString(path, "")
	what := fmt.Sprintf("%q must be %s", name, typeName(t))
	key := name[strings.LastIndexByte(name, '.')+1:]
	fix := fitInstead(v, t, key)
	switch {
	case index.MatchString(path[strings.LastIndexByte(path, '.')+1:]):
		what = fmt.Sprintf("an element of %q must be %s", name, typeName(t))
		fix = strings.Replace(fix, key+" = ", "", 1)
	case (t.Kind() == reflect.Struct || t.Kind() == reflect.Map) && strings.HasPrefix(name, "profile.") &&
		slices.Contains(knownKeys["profile.*"], key):
		fix = "add the name of the profile: [profile.production]"
	case t.Kind() == reflect.Struct || t.Kind() == reflect.Map:
		fix = fmt.Sprintf("write [%s], with its keys below", name)
	case misplaced(name):
		fix = aboveTables
	}
	r.unfit[path] = true
	r.fail(at, fmt.Sprintf("%s, got %s", what, valueName(v)), fix)
}

// aboveTables is the fix for a top-level key inside a table.
const aboveTables = "move it above the first table: keys after [table] belong to that table"

// misplaced reports whether a key in a table is a top-level key.
func misplaced(path string) bool {
	i := strings.LastIndexByte(path, '.')
	return i > 0 && slices.Contains(knownKeys[""], path[i+1:])
}

// typeName names a type in messages.
func typeName(t reflect.Type) string {
	switch t.Kind() {
	case reflect.String:
		return "a quoted string"
	case reflect.Bool:
		return "true or false"
	case reflect.Int:
		return "an integer"
	case reflect.Float64:
		return "a number"
	case reflect.Slice:
		if t.Elem().Kind() == reflect.String {
			return "a list of strings"
		}
		return "a list of tables"
	}
	return "a table"
}

// valueName describes a value in messages.
func valueName(v any) string {
	switch v := v.(type) {
	case string:
		return fmt.Sprintf("the string %q", abridged(v))
	case bool, int64, float64:
		return fmt.Sprint(v)
	case []any:
		return "a list"
	case map[string]any:
		return "a table"
	}
	return "a date or a time"
}

// number matches a number at the start of a text.
var number = regexp.MustCompile(`^\s*-?\d+(\.\d+)?`)

// fitInstead suggests a replacement of a value of the wrong type, or "".
func fitInstead(v any, t reflect.Type, key string) string {
	text, isText := v.(string)
	switch t.Kind() {
	case reflect.Slice:
		if isText && t.Elem().Kind() == reflect.String {
			return fmt.Sprintf("write %s = [%q]", key, text)
		}
		if t.Elem().Kind() == reflect.Struct {
			return fmt.Sprintf("write [[%s]], with its keys below", key)
		}
	case reflect.Int, reflect.Float64:
		if n := strings.TrimSpace(number.FindString(text)); n != "" {
			return fmt.Sprintf("write %s = %s", key, n)
		}
		if f, ok := v.(float64); ok {
			return fmt.Sprintf("write %s = %.0f", key, math.Max(1, math.Round(f)))
		}
	case reflect.Bool:
		switch strings.ToLower(text) {
		case "true", "yes", "on":
			return fmt.Sprintf("write %s = true", key)
		case "false", "no", "off":
			return fmt.Sprintf("write %s = false", key)
		}
	case reflect.String:
		switch v.(type) {
		case int64, float64:
			return fmt.Sprintf("write %s = \"%v\"", key, v)
		case []any:
			if list := v.([]any); len(list) == 1 {
				if text, ok := list[0].(string); ok {
					return fmt.Sprintf("write %s = %q", key, text)
				}
			}
		}
	}
	return ""
}

// syntax reports invalid TOML, with a suggestion.
func (r *reader) syntax(line, column int, message string) {
	at := r.lineSpan(line, column)
	text := strings.TrimSpace(r.file.LineText(min(max(line, 1), r.file.Lines()) - 1))
	whole := r.lineSpan(line, 1)
	report := func(at source.Span, message, fix string) {
		r.diags = append(r.diags,
			diag.Diagnostic{Code: code.BadSettings, Severity: diag.Error, Span: at, Message: message, Fix: fix})
	}
	if m := twice.FindStringSubmatch(message); m != nil {
		r.reportTwice(at, text, m[1]+m[2])
		return
	}
	key, value, hasValue := strings.Cut(text, "=")
	key, value = strings.TrimSpace(key), strings.TrimSpace(value)
	switch bare := bareText.FindString(value); {
	case strings.HasPrefix(text, "//") || strings.HasPrefix(text, "/*"):
		report(whole, "a comment starts with '#'", "write # "+strings.TrimLeft(text, "/* "))
	case strings.HasPrefix(text, "{"):
		report(whole, "expected a key: settings are TOML, without surrounding braces", `write source = "site"`)
	case strings.HasPrefix(text, "[") && !strings.Contains(text, "]"):
		report(at, "unclosed table name: expected ']'", "write "+strings.TrimSpace(text)+"]")
	case !hasValue && colonKey.MatchString(text):
		m := colonKey.FindStringSubmatch(text)
		report(at, "expected '=' between key and value, got ':'", fmt.Sprintf("write %s = %s", m[1], quotedText(m[2])))
	case !hasValue && bareKey.MatchString(text):
		report(at, fmt.Sprintf("key %q has no value: expected '='", text), fmt.Sprintf(`write %s = "…"`, text))
	case hasValue && strings.ContainsAny(key, " \t") && !strings.ContainsAny(key, `"'`):
		report(whole, fmt.Sprintf("unquoted keys cannot contain spaces: %q", key), "")
	case bare != "" && hasValue:
		report(at, fmt.Sprintf("strings must be quoted, got %s", bare), fmt.Sprintf("write %s = %q", key, bare))
	case hasValue && strings.HasSuffix(value, ";"):
		report(at, "expected the end of the line, got ';'", "write "+strings.TrimRight(text, "; "))
	case hasValue && (strings.Count(value, `"`) == 1 || strings.HasPrefix(value, "'") && strings.Count(value, "'") == 1):
		report(at, "unclosed string: expected a quote", "write "+text+value[:1])
	case strings.Contains(message, "after array value"):
		report(at, "expected ',' between the elements of a list, or ']' after them", "")
	case strings.Contains(message, "array is incomplete"):
		report(at, "unclosed list: expected ']'", "")
	default:
		report(at, "invalid settings: "+message, "")
	}
}

// Patterns of messages of the TOML parser.
var (
	twice    = regexp.MustCompile(`^table (\S+) already exists|^key (\S+) is already defined`)
	bareText = regexp.MustCompile(`^[A-Za-z./~*](?:[^"'#,\[\]{}=]*[^"'#,\[\]{}=\s])?`)
	colonKey = regexp.MustCompile(`^([\w.-]+)\s*:\s*(\S.*)$`)
	bareKey  = regexp.MustCompile(`^[\w.-]+$`)
)

// quotedText returns a value in TOML syntax: text without quotes is quoted.
func quotedText(text string) string {
	if text[0] == '"' || text[0] == '\'' || text[0] == '[' || text[0] == '{' || text == "true" || text == "false" ||
		number.FindString(text) == text {
		return text
	}
	return strconv.Quote(text)
}

// reportTwice reports a duplicate table or key.
func (r *reader) reportTwice(at source.Span, text, name string) {
	what := fmt.Sprintf("duplicate key %q", name)
	fix := "remove one of the two"
	if strings.HasPrefix(text, "[") {
		what = fmt.Sprintf("duplicate table %s", text)
		fix = "merge the two tables, or rename one"
	}
	d := diag.Diagnostic{Code: code.BadSettings, Severity: diag.Error, Span: at, Message: what, Fix: fix}
	for line := range r.file.Lines() {
		start := r.file.LineStart(line)
		if start >= at.Start.Off {
			break
		}
		first := strings.TrimSpace(r.file.LineText(line))
		before, _, _ := strings.Cut(first, "=")
		if first == text || text[0] != '[' && strings.TrimSpace(before) == name {
			d.Related = []diag.Related{{Span: r.lineSpan(line+1, 1), Message: "first defined here"}}
			break
		}
	}
	r.diags = append(r.diags, d)
}
