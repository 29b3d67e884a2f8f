package cli

import (
	"encoding/json"
	"testing"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// TestSARIF checks a log against the standard: its version, a driver with a
// name, rules that results refer to, defined levels, and regions that count
// from 1.
func TestSARIF(t *testing.T) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a b.css"}, "site/a b.css", "é {}\n.x { colr: red; top: 0; top: 0 }\n")
	at := func(from, n int) source.Span { return source.SpanOf(f.Pos(from), n) }
	text, err := json.Marshal(sarifOf(set, []diag.Diagnostic{
		{Code: "unknown-property", Severity: diag.Error, Span: at(11, 4), Message: "unknown property", Fix: "did you mean"},
		{Code: "duplicate-declaration", Severity: diag.Warning, Span: at(22, 6), Message: "twice", Related: []diag.Related{{Span: at(30, 6), Message: "again"}}},
		{Code: "no-sheets", Severity: diag.Note, Message: "without a place"},
		{Code: "unknown-property", Severity: diag.Note, Span: at(0, 2), Message: "é"},
	}))
	if err != nil {
		t.Fatal(err)
	}
	type location struct {
		ID               int
		PhysicalLocation struct {
			ArtifactLocation struct{ URI string }
			Region           struct{ StartLine, StartColumn, EndLine, EndColumn int }
		}
		Message struct{ Text string }
	}
	var log struct {
		Version string
		Schema  string `json:"$schema"`
		Runs    []struct {
			ColumnKind string
			Tool       struct {
				Driver struct {
					Name  string
					Rules []struct {
						ID                   string
						DefaultConfiguration struct{ Level string }
					}
				}
			}
			Results []struct {
				RuleID, Level               string
				RuleIndex                   int
				Message                     struct{ Text string }
				Locations, RelatedLocations []location
			}
		}
	}
	if err := json.Unmarshal(text, &log); err != nil || log.Version != "2.1.0" || log.Schema == "" || len(log.Runs) != 1 {
		t.Fatalf("%v: %s", err, text)
	}
	run := log.Runs[0]
	rules := run.Tool.Driver.Rules
	if run.Tool.Driver.Name == "" || run.ColumnKind != "unicodeCodePoints" || len(rules) != 3 || len(run.Results) != 4 {
		t.Fatalf("%+v", run)
	}
	for _, r := range run.Results {
		if rules[r.RuleIndex].ID != r.RuleID || r.Message.Text == "" ||
			(r.Level != "error" && r.Level != "warning" && r.Level != "note") {
			t.Errorf("%+v", r)
		}
	}
	if rules[0].DefaultConfiguration.Level != "error" || rules[2].DefaultConfiguration.Level != "note" {
		t.Errorf("%+v", rules)
	}
	first, second := run.Results[0], run.Results[1]
	if p := first.Locations[0].PhysicalLocation; p.ArtifactLocation.URI != "site/a%20b.css" ||
		p.Region.StartLine != 2 || p.Region.StartColumn != 6 || p.Region.EndColumn != 10 ||
		first.Message.Text != "unknown property; did you mean" {
		t.Errorf("%+v", first)
	}
	if len(second.RelatedLocations) != 1 || second.RelatedLocations[0].ID != 1 ||
		second.RelatedLocations[0].Message.Text != "again" || len(run.Results[2].Locations) != 0 {
		t.Errorf("%+v", run.Results)
	}
	// é is one code point
	if p := run.Results[3].Locations[0].PhysicalLocation.Region; p.StartColumn != 1 || p.EndColumn != 2 {
		t.Errorf("%+v", p)
	}
}
