package sourcemap

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"strings"
)

// This file updates existing maps of scripts that were edited.

// Move returns a map with updated output positions: to returns the new position
// for an old line and column, both from 0, columns in UTF-16 code units; ok is
// false if it no longer exists. to must preserve the order of positions.
// Everything else in the map is preserved; an index map becomes a plain one.
func Move(data []byte, to func(line, column int) (l, c int, ok bool)) ([]byte, error) {
	m, err := Read(data)
	if err != nil {
		return nil, err
	}
	fields := make(map[string]json.RawMessage)
	if err := json.Unmarshal(withoutGuard(data), &fields); err != nil {
		return nil, err
	}
	kept := m.Mappings[:0]
	for _, p := range m.Mappings {
		var ok bool
		if p.Line, p.Column, ok = to(p.Line, p.Column); ok {
			kept = append(kept, p)
		}
	}
	set := func(name string, value any) {
		if err == nil {
			fields[name], err = json.Marshal(value)
		}
	}
	if _, ok := fields["sections"]; ok {
		delete(fields, "sections")
		var urls, contents []string
		for _, s := range m.Sources {
			urls, contents = append(urls, s.URL), append(contents, s.Content)
		}
		set("sources", urls)
		set("sourcesContent", contents)
		set("names", m.Names)
	}
	set("mappings", string(encode(kept)))
	if err != nil {
		return nil, err
	}
	return json.Marshal(fields)
}

// encode encodes mappings (ECMA-426, section on mappings structure).
func encode(list []Mapping) []byte {
	var out []byte
	var last Mapping
	name, line := 0, 0
	for i, p := range list {
		for ; line < p.Line; line++ {
			out = append(out, ';')
			last.Column = 0
		}
		if i > 0 && list[i-1].Line == p.Line {
			out = append(out, ',')
		}
		out = appendVLQ(out, p.Column-last.Column)
		last.Column = p.Column
		if p.Source < 0 {
			continue
		}
		out = appendVLQ(out, p.Source-last.Source)
		out = appendVLQ(out, p.SourceLine-last.SourceLine)
		out = appendVLQ(out, p.SourceColumn-last.SourceColumn)
		last.Source, last.SourceLine, last.SourceColumn = p.Source, p.SourceLine, p.SourceColumn
		if p.Name >= 0 {
			out = appendVLQ(out, p.Name-name)
			name = p.Name
		}
	}
	return out
}

// withoutGuard returns a map without the line ")]}'", which prevents its use as
// a script.
func withoutGuard(data []byte) []byte {
	if text := string(data); strings.HasPrefix(text, ")]}'") {
		return data[strings.IndexByte(text, '\n')+1:]
	}
	return data
}

// DecodeDataURL returns the JSON of a map in a data URL.
func DecodeDataURL(address string) ([]byte, error) {
	head, data, ok := strings.Cut(address, ",")
	if !ok || !strings.HasPrefix(head, "data:") {
		return nil, errors.New("source map URL is not a data URL")
	}
	if strings.HasSuffix(head, ";base64") {
		raw, err := base64.StdEncoding.DecodeString(data)
		if err != nil {
			return nil, fmt.Errorf("source map URL is not valid base64: %w", err)
		}
		return raw, nil
	}
	text, err := url.PathUnescape(data)
	if err != nil {
		return nil, fmt.Errorf("invalid source map URL: %w", err)
	}
	return []byte(text), nil
}
