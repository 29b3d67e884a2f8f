package tokens

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// value is a JSON value with its position. Objects preserve the order of their
// keys.
type value struct {
	at    source.Span
	kind  kind
	text  string  // of a string
	num   float64 // of a number
	truth bool    // of a boolean
	keys  []key   // of an object
	list  []value // of an array

	index map[string]int // index of the keys, for large objects
}

// kind is the kind of a value.
type kind uint8

// The kinds of values.
const (
	null kind = iota
	boolean
	number
	text
	list
	object
	invalid // the target of an unresolved reference
)

// key is a key of an object with its value.
type key struct {
	name  string
	at    source.Span
	value value
}

// kindNames are the names of the kinds in messages.
var kindNames = [...]string{"null", "true or false", "a number", "a string", "a list", "an object", "nothing"}

// String returns the name in messages.
func (k kind) String() string { return kindNames[k] }

// get returns the value of a key of an object, or nil.
func (v *value) get(name string) *value {
	const many = 16
	if len(v.keys) > many {
		if v.index == nil {
			v.index = make(map[string]int, len(v.keys))
			for i, k := range slices.Backward(v.keys) {
				v.index[k.name] = i
			}
		}
		if i, ok := v.index[name]; ok {
			return &v.keys[i].value
		}
		return nil
	}
	for i := range v.keys {
		if v.keys[i].name == name {
			return &v.keys[i].value
		}
	}
	return nil
}

// maxDepth limits the nesting of objects and lists.
const maxDepth = 100

// jsonReader parses JSON with positions.
type jsonReader struct {
	file *source.File
	dec  *json.Decoder
}

// errJSON is a finding that stops parsing.
type errJSON struct{ diag diag.Diagnostic }

// Error returns the message.
func (e errJSON) Error() string { return e.diag.Message }

// readJSON parses a file with a single value.
func readJSON(f *source.File) (value, error) {
	r := jsonReader{f, json.NewDecoder(strings.NewReader(f.Text))}
	r.dec.UseNumber()
	v, err := r.value(0)
	if err != nil {
		return v, err
	}
	end := int(r.dec.InputOffset())
	if _, err := r.dec.Token(); !errors.Is(err, io.EOF) {
		return v, r.fail(end, "unexpected text after the end of the tokens", "")
	}
	return v, nil
}

// fail returns an error at an offset.
func (r *jsonReader) fail(off int, message, fix string) error {
	off = max(0, min(off, len(r.file.Text)))
	off += len(r.file.Text[off:]) - len(strings.TrimLeft(r.file.Text[off:], " \t\r\n"))
	return errJSON{diag.Diagnostic{Code: code.BadTokens, Severity: diag.Error,
		Span: source.SpanOf(r.file.Pos(off), min(1, len(r.file.Text)-off)), Message: message, Fix: fix}}
}

// next returns the next token and its span.
func (r *jsonReader) next() (json.Token, source.Span, error) {
	start := int(r.dec.InputOffset())
	t, err := r.dec.Token()
	if err != nil {
		var syntax *json.SyntaxError
		switch {
		case errors.As(err, &syntax):
			return nil, source.Span{}, r.fail(int(syntax.Offset)-1, "invalid JSON: "+expectation(syntax.Error()), "")
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			return nil, source.Span{}, r.fail(len(r.file.Text), "incomplete JSON: unclosed bracket or quote", "")
		}
		return nil, source.Span{}, r.fail(start, "invalid tokens: "+err.Error(), "")
	}
	end := int(r.dec.InputOffset())
	start += len(r.file.Text[start:end]) - len(strings.TrimLeft(r.file.Text[start:end], " \t\r\n,:"))
	return t, source.SpanOf(r.file.Pos(start), end-start), nil
}

// expectation rewords an error of the JSON parser.
func expectation(message string) string {
	for _, known := range []struct{ part, words string }{
		{"after object key:value pair", "expected ',' or '}' here"},
		{"after object key", "expected ':' after the name"},
		{"after array element", "expected ',' or ']' here"},
		{"beginning of object key", "expected a name in double quotes"},
		{"beginning of value", "expected a value"},
		{"in string", "a string contains a line end or an invalid escape"},
	} {
		if strings.Contains(message, known.part) {
			return known.words
		}
	}
	return "invalid JSON here"
}

// value parses a value.
func (r *jsonReader) value(depth int) (value, error) {
	t, at, err := r.next()
	if err != nil {
		return value{}, err
	}
	if depth > maxDepth {
		return value{}, r.fail(int(at.Start.Off), fmt.Sprintf("tokens are nested deeper than %d levels", maxDepth), "")
	}
	switch t := t.(type) {
	case json.Delim:
		if t == '{' {
			return r.object(at, depth)
		}
		return r.list(at, depth)
	case string:
		return value{at: at, kind: text, text: t}, nil
	case json.Number:
		f, err := t.Float64()
		if err != nil {
			return value{}, r.fail(int(at.Start.Off), "the number is too large", "")
		}
		return value{at: at, kind: number, num: f}, nil
	case bool:
		return value{at: at, kind: boolean, truth: t}, nil
	}
	return value{at: at}, nil
}

// object parses the members of an object.
func (r *jsonReader) object(at source.Span, depth int) (value, error) {
	v := value{kind: object}
	for r.dec.More() {
		t, keyAt, err := r.next()
		if err != nil {
			return v, err
		}
		name, _ := t.(string)
		inner, err := r.value(depth + 1)
		if err != nil {
			return v, err
		}
		v.keys = append(v.keys, key{name, keyAt, inner})
	}
	return r.closed(v, at)
}

// list parses the elements of a list.
func (r *jsonReader) list(at source.Span, depth int) (value, error) {
	v := value{kind: list}
	for r.dec.More() {
		inner, err := r.value(depth + 1)
		if err != nil {
			return v, err
		}
		v.list = append(v.list, inner)
	}
	return r.closed(v, at)
}

// closed parses the closing bracket of v.
func (r *jsonReader) closed(v value, at source.Span) (value, error) {
	_, end, err := r.next()
	v.at = at.Start.To(end.End)
	return v, err
}
