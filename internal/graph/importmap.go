package graph

import (
	"encoding/json"
	"errors"
	"net/url"
	"slices"
	"strings"

	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file resolves module specifiers with the import maps of a page (HTML,
// sections 8.1.5.4 and following).

// Modules resolves the module specifiers of a page. The zero Modules has no
// import map.
type Modules struct {
	Files   source.Reader
	Base    string // URL path at which the source folder is published
	imports []mapping
	scopes  []scope
}

// mapping is an entry of an import map: a prefix and its replacement.
type mapping struct{ from, to string }

// scope is the mappings for modules below a URL.
type scope struct {
	prefix  string
	imports []mapping
}

// errMap is the error for an import map that is not a JSON object, or has
// invalid parts.
var errMap = errors.New("is not a valid import map: expected a JSON object with \"imports\" or \"scopes\", with URLs as values")

// AddMap adds an import map, whose relative URLs are relative to from. Existing
// entries are preserved (HTML, section 8.1.5.5).
func (m *Modules) AddMap(text string, from source.Path) error {
	var read struct {
		Imports map[string]any            `json:"imports"`
		Scopes  map[string]map[string]any `json:"scopes"`
	}
	if json.Unmarshal([]byte(text), &read) != nil {
		return errMap
	}
	page := m.urlOf(from)
	m.imports = m.mappings(m.imports, read.Imports, page)
	for prefix, imports := range read.Scopes {
		address, err := page.Parse(prefix)
		if err != nil {
			continue
		}
		prefix := address.String()
		i := slices.IndexFunc(m.scopes, func(s scope) bool { return s.prefix == prefix })
		if i < 0 {
			i = len(m.scopes)
			m.scopes = append(m.scopes, scope{prefix: prefix})
		}
		m.scopes[i].imports = m.mappings(m.scopes[i].imports, imports, page)
	}
	longestFirst := func(a, b scope) int { return strings.Compare(b.prefix, a.prefix) }
	slices.SortFunc(m.scopes, longestFirst)
	return nil
}

// mappings adds entries to sorted ones, the longest keys first.
func (m *Modules) mappings(list []mapping, add map[string]any, page *url.URL) []mapping {
	for key, value := range add {
		to, ok := value.(string)
		if key == "" || !ok {
			continue // the entry blocks resolution
		}
		if u := m.addressLike(key, page); u != nil {
			key = u.String()
		}
		target := m.addressLike(to, page)
		if target == nil || strings.HasSuffix(key, "/") && !strings.HasSuffix(target.String(), "/") {
			continue
		}
		if !slices.ContainsFunc(list, func(have mapping) bool { return have.from == key }) {
			list = append(list, mapping{key, target.String()})
		}
	}
	slices.SortFunc(list, func(a, b mapping) int { return strings.Compare(b.from, a.from) })
	return list
}

// here stands for the origin of the published site.
const here = "site://here"

// urlOf returns the URL of a file of the project.
func (m *Modules) urlOf(p source.Path) *url.URL {
	name := p.Name
	if p.Root != "" {
		name = "_" + p.Root + "/" + name
	}
	u, err := url.Parse(here + m.Base + escapePath(name))
	if err != nil {
		panic(err) // the path is escaped
	}
	return u
}

// addressLike returns a specifier as a URL if it is relative, starting with a
// slash or dots, or absolute; otherwise nil.
func (m *Modules) addressLike(specifier string, from *url.URL) *url.URL {
	if strings.HasPrefix(specifier, "/") || strings.HasPrefix(specifier, "./") || strings.HasPrefix(specifier, "../") {
		u, err := from.Parse(specifier)
		if err != nil {
			return nil
		}
		return u
	}
	if u, err := url.Parse(specifier); err == nil && u.Scheme != "" {
		return u
	}
	return nil
}

// Resolve returns the target of a specifier in a module. bare is set if it is a
// bare specifier that no import map resolves.
func (m *Modules) Resolve(from source.Path, specifier string) (t Target, bare bool) {
	base := m.urlOf(from)
	address := m.addressLike(specifier, base)
	key := specifier
	if address != nil {
		key = address.String()
	}
	for _, s := range m.scopes {
		if s.prefix == base.String() || strings.HasSuffix(s.prefix, "/") && strings.HasPrefix(base.String(), s.prefix) {
			if to, ok := mapped(s.imports, key, address); ok {
				return m.target(to), false
			}
		}
	}
	if to, ok := mapped(m.imports, key, address); ok {
		return m.target(to), false
	}
	if name, _, ok := strings.Cut(specifier, ":"); ok && (m.Files.HasRoot(name) || name == project.PackageRoot) {
		return Resolve(m.Files, from, m.Base, specifier), false
	}
	if address == nil {
		return Target{}, true
	}
	return Resolve(m.Files, from, m.Base, specifier), false
}

// mapped applies mappings to a specifier. A prefix of a URL is only mapped if
// its scheme is hierarchical.
func mapped(list []mapping, key string, address *url.URL) (to string, ok bool) {
	for _, entry := range list {
		if entry.from == key {
			return entry.to, true
		}
		rest, starts := strings.CutPrefix(key, entry.from)
		if !starts || !strings.HasSuffix(entry.from, "/") || address != nil && address.Opaque != "" {
			continue
		}
		base, err := url.Parse(entry.to)
		if err != nil {
			return "", false
		}
		joined, err := base.Parse("./" + rest)
		if err != nil || !strings.HasPrefix(joined.String(), entry.to) {
			return "", false // it leads out of the scope of the entry
		}
		return joined.String(), true
	}
	return "", false
}

// target returns the target of an absolute URL.
func (m *Modules) target(address string) Target {
	path, ok := strings.CutPrefix(address, here)
	if !ok {
		return Resolve(m.Files, source.Path{}, m.Base, address)
	}
	if rest, ok := strings.CutPrefix(path, m.Base); ok {
		for _, root := range m.Files.Roots() {
			if below, ok := strings.CutPrefix(rest, "_"+root+"/"); ok {
				return Resolve(m.Files, source.Path{Root: root}, m.Base, "/"+below)
			}
		}
	}
	return Resolve(m.Files, source.Path{}, m.Base, path)
}
