package project

import "reflect"

// Schema returns the structure of settings files as a JSON Schema (draft 2020-12).
// describe returns the description of a key, given the keys that lead to it, with "*" for
// names of the user's; empty for none.
func Schema(describe func(path []string) string) map[string]any {
	out := schemaOf(reflect.TypeFor[fileSettings](), nil, describe)
	out["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	out["title"] = "Settings of Rinzel (" + FileName + ")"
	return out
}

// schemaOf returns the schema of a type at a path.
func schemaOf(t reflect.Type, path []string, describe func([]string) string) map[string]any {
	out := make(map[string]any)
	if text := describe(path); text != "" {
		out["description"] = text
	}
	deeper := func(key string) []string { return append(path[:len(path):len(path)], key) }
	switch t.Kind() {
	case reflect.Pointer:
		return schemaOf(t.Elem(), path, describe)
	case reflect.Struct:
		properties := make(map[string]any)
		for key, elem := range keysOf(t) {
			properties[key] = schemaOf(elem, deeper(key), describe)
		}
		out["type"], out["properties"], out["additionalProperties"] = "object", properties, false
	case reflect.Map:
		out["type"], out["additionalProperties"] = "object", schemaOf(t.Elem(), deeper("*"), describe)
	case reflect.Slice:
		out["type"], out["items"] = "array", schemaOf(t.Elem(), deeper("#"), describe)
	case reflect.String:
		out["type"] = "string"
		if list := wordsFor(path); list != nil {
			out["enum"] = list
		}
	case reflect.Bool:
		out["type"] = "boolean"
	case reflect.Int:
		out["type"] = "integer"
	case reflect.Float64:
		out["type"] = "number"
	}
	return out
}
