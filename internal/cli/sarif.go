package cli

import (
	"net/url"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/step/check"
)

// This file has the part of the Static Analysis Results Interchange Format
// (OASIS SARIF 2.1.0) that findings need; section numbers are those of the
// standard.

// sarifLog is the root object.
type sarifLog struct {
	Schema  string     `json:"$schema"`
	Version string     `json:"version"`
	Runs    []sarifRun `json:"runs"`
}

// sarifRun is a run.
type sarifRun struct {
	Tool       sarifTool     `json:"tool"`
	ColumnKind string        `json:"columnKind"` // section 3.14.17
	Results    []sarifResult `json:"results"`
}

// sarifTool is the tool of a run.
type sarifTool struct {
	Driver sarifDriver `json:"driver"`
}

// sarifDriver describes Rinzel.
type sarifDriver struct {
	Name    string      `json:"name"`
	Version string      `json:"version,omitempty"`
	Rules   []sarifRule `json:"rules"`
}

// sarifRule is a kind of finding.
type sarifRule struct {
	ID               code.Code          `json:"id"`
	ShortDescription *sarifText         `json:"shortDescription,omitempty"`
	Default          sarifConfiguration `json:"defaultConfiguration"`
}

// sarifConfiguration has the default level of a rule.
type sarifConfiguration struct {
	Level string `json:"level"`
}

// sarifText is a message.
type sarifText struct {
	Text string `json:"text"`
}

// sarifResult is a finding.
type sarifResult struct {
	RuleID    code.Code       `json:"ruleId"`
	RuleIndex int             `json:"ruleIndex"`
	Level     string          `json:"level"` // section 3.27.10: the same words as our severities
	Message   sarifText       `json:"message"`
	Locations []sarifLocation `json:"locations"`
	Related   []sarifLocation `json:"relatedLocations,omitempty"`
}

// sarifLocation is a position.
type sarifLocation struct {
	ID       int           `json:"id,omitempty"`
	Physical sarifPhysical `json:"physicalLocation"`
	Message  *sarifText    `json:"message,omitempty"`
}

// sarifPhysical is a position in a file.
type sarifPhysical struct {
	Artifact sarifArtifact `json:"artifactLocation"`
	Region   sarifRegion   `json:"region"`
}

// sarifArtifact is a file.
type sarifArtifact struct {
	URI string `json:"uri"`
}

// sarifRegion is a range in a file.
type sarifRegion struct {
	StartLine   int `json:"startLine"`
	StartColumn int `json:"startColumn"`
	EndLine     int `json:"endLine"`
	EndColumn   int `json:"endColumn"`
}

// sarifOf returns findings as a log of one run.
func sarifOf(files *source.Set, list []diag.Diagnostic) sarifLog {
	run := sarifRun{Tool: sarifTool{sarifDriver{Name: "rinzel", Rules: []sarifRule{}}},
		ColumnKind: "unicodeCodePoints", Results: []sarifResult{}}
	if info, ok := debug.ReadBuildInfo(); ok && strings.HasPrefix(info.Main.Version, "v") {
		run.Tool.Driver.Version = info.Main.Version
	}
	rules := &run.Tool.Driver.Rules
	for _, d := range list {
		index := slices.IndexFunc(*rules, func(r sarifRule) bool { return r.ID == d.Code })
		if index < 0 {
			index = len(*rules)
			*rules = append(*rules, sarifRuleOf(d))
		}
		r := sarifResult{RuleID: d.Code, RuleIndex: index, Level: d.Severity.String(), Message: sarifText{d.Message},
			Locations: []sarifLocation{}}
		if d.Fix != "" {
			r.Message.Text += "; " + d.Fix
		}
		if at, ok := sarifLocationOf(files, d.Span); ok {
			r.Locations = append(r.Locations, at)
		}
		for _, rel := range d.Related {
			if at, ok := sarifLocationOf(files, rel.Span); ok {
				at.ID, at.Message = len(r.Related)+1, &sarifText{rel.Message}
				r.Related = append(r.Related, at)
			}
		}
		run.Results = append(run.Results, r)
	}
	return sarifLog{"https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json", "2.1.0",
		[]sarifRun{run}}
}

// sarifRuleOf returns the rule of a finding: for a check its description,
// otherwise only its code.
func sarifRuleOf(d diag.Diagnostic) sarifRule {
	r := sarifRule{ID: d.Code, Default: sarifConfiguration{d.Severity.String()}}
	if c, ok := check.Find(d.Code); ok {
		r.ShortDescription, r.Default.Level = &sarifText{c.About}, c.Level.String()
	}
	return r
}

// sarifLocationOf returns the location of a span.
func sarifLocationOf(files *source.Set, at source.Span) (l sarifLocation, ok bool) {
	p := jsonPositionOf(files, at)
	if p == nil {
		return l, false
	}
	address := url.URL{Path: filepath.ToSlash(p.File)}
	l.Physical = sarifPhysical{sarifArtifact{address.String()}, sarifRegion{p.Line, p.Column, p.EndLine, p.EndColumn}}
	return l, true
}
