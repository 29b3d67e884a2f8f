package main

import (
	"bytes"
	"context"
	"debug/buildinfo"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"rinzel/internal/browsers"
	"rinzel/internal/css/grammar"
)

// ledger lists what is in programs: modules with their licences.
type ledger struct {
	modules map[string]component // by module path
	library component            // Go's standard library
}

// component is a part of a program.
type component struct {
	name, version string
	license       string // SPDX expression
	text          []byte // of the licence
	url           string // package URL
}

// newLedger returns an empty ledger.
func newLedger() *ledger { return &ledger{modules: make(map[string]component)} }

// add adds what a program says of itself.
func (l *ledger) add(ctx context.Context, program string) error {
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		return err
	}
	if l.library.name == "" {
		text, err := licenceFrom(ctx, "env", "GOROOT")
		if err != nil {
			return err
		}
		version := strings.TrimPrefix(info.GoVersion, "go")
		l.library = component{"go", version, licenceOf(text), text, "pkg:generic/go@" + version}
	}
	for _, m := range info.Deps {
		if _, known := l.modules[m.Path]; known {
			continue
		}
		text, err := licenceFrom(ctx, "list", "-m", "-f", "{{.Dir}}", m.Path)
		if err != nil {
			return err
		}
		l.modules[m.Path] = component{m.Path, m.Version, licenceOf(text), text, "pkg:golang/" + m.Path + "@" + m.Version}
	}
	return nil
}

// licenceFile matches the names of files with licences, and with what they require.
var licenceFile = regexp.MustCompile(`^(?i:licen[sc]e|copying|notice)([.-].*)?$`)

// licenceFrom returns the licences in the folder that a command of Go prints.
func licenceFrom(ctx context.Context, args ...string) ([]byte, error) {
	dir, err := exec.CommandContext(ctx, "go", args...).Output()
	if err != nil {
		return nil, fmt.Errorf("go %s: %w", strings.Join(args, " "), err)
	}
	return licenceIn(strings.TrimSpace(string(dir)))
}

// licenceIn returns the licences in a folder.
func licenceIn(dir string) (text []byte, err error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		if !e.Type().IsRegular() || !licenceFile.MatchString(e.Name()) {
			continue
		}
		data, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return nil, err
		}
		text = append(append(text, data...), '\n')
	}
	if len(text) == 0 {
		return nil, fmt.Errorf("no licence in %s", dir)
	}
	return text, nil
}

// licenceOf returns the licences that a text contains, as an SPDX expression.
func licenceOf(text []byte) string {
	plain := bytes.Join(bytes.Fields(text), []byte(" "))
	has := func(phrase string) bool { return bytes.Contains(plain, []byte(phrase)) }
	var out []string
	if has("Apache License Version 2.0") {
		out = append(out, "Apache-2.0")
	}
	switch {
	case !has("Redistribution and use in source and binary forms"):
	case has("Neither the name") || has("endorse or promote"):
		out = append(out, "BSD-3-Clause")
	default:
		out = append(out, "BSD-2-Clause")
	}
	if has("Permission is hereby granted, free of charge") {
		out = append(out, "MIT")
	}
	if len(out) == 0 {
		return "NOASSERTION"
	}
	return strings.Join(out, " AND ")
}

// components returns all parts, in the order of their names.
func (l *ledger) components() []component {
	out := []component{l.library}
	for _, name := range sortedKeys(l.modules) {
		out = append(out, l.modules[name])
	}
	for _, source := range append(slices.Clone(browsers.Sources()), grammar.Source()) {
		name, version, _ := strings.Cut(source, " ")
		url := "pkg:npm/" + strings.Replace(name, "@", "%40", 1) + "@" + version
		out = append(out, component{name, version, dataLicences[name], nil, url})
	}
	return out
}

// dataLicences are the licences of the embedded data. NOTICE has their texts.
var dataLicences = map[string]string{
	"@mdn/browser-compat-data": "CC0-1.0",
	"caniuse-db":               "CC-BY-4.0",
	"@webref/css":              "MIT",
}

// licences returns the licences of the modules in the programs, as those require.
func (l *ledger) licences() []byte {
	var b bytes.Buffer
	b.WriteString("Licences of the modules that Rinzel is built with. NOTICE is about its data.\n")
	for _, c := range l.components() {
		if c.text != nil {
			fmt.Fprintf(&b, "\n%s\n%s %s\n\n%s\n", strings.Repeat("=", 80), c.name, c.version, bytes.TrimSpace(c.text))
		}
	}
	return b.Bytes()
}

// object is an object of a JSON text.
type object = map[string]any

// spdx returns what is in a release as a document of SPDX 2.3 in JSON.
func (l *ledger) spdx(r *release) ([]byte, error) {
	const rinzel = "SPDXRef-rinzel"
	one := func(id, name, version, licence, url string) object {
		p := object{"SPDXID": id, "name": name, "versionInfo": version, "downloadLocation": "NOASSERTION",
			"filesAnalyzed": false, "licenseConcluded": licence, "licenseDeclared": licence, "copyrightText": "NOASSERTION"}
		if url != "" {
			p["externalRefs"] = []object{{"referenceCategory": "PACKAGE-MANAGER", "referenceType": "purl", "referenceLocator": url}}
		}
		return p
	}
	packages := []object{one(rinzel, "rinzel", r.version, "NOASSERTION", "")}
	relations := []object{{"spdxElementId": "SPDXRef-DOCUMENT", "relationshipType": "DESCRIBES", "relatedSpdxElement": rinzel}}
	for i, c := range l.components() {
		id := fmt.Sprintf("SPDXRef-%d", i+1)
		packages = append(packages, one(id, c.name, c.version, c.license, c.url))
		relations = append(relations, object{"spdxElementId": rinzel, "relationshipType": "CONTAINS", "relatedSpdxElement": id})
	}
	return json.MarshalIndent(object{
		"spdxVersion": "SPDX-2.3", "dataLicense": "CC0-1.0", "SPDXID": "SPDXRef-DOCUMENT",
		"name":              "rinzel-" + r.version,
		"documentNamespace": "urn:rinzel:" + r.version + ":" + r.commit,
		"creationInfo":      object{"created": r.time.UTC().Format(time.RFC3339), "creators": []string{"Tool: rinzel-release"}},
		"packages":          packages,
		"relationships":     relations,
	}, "", "  ")
}
