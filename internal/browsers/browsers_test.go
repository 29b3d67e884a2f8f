package browsers

import (
	"slices"
	"strings"
	"testing"
)

func TestVersions(t *testing.T) {
	for in, want := range map[string]string{"109": "109", "15.4": "15.4", "15.4.1": "15.4", "0.5": "0.5"} {
		v, err := ParseVersion(in)
		if err != nil || v.String() != want {
			t.Errorf("ParseVersion(%q) = %v, %v, want %s", in, v, err, want)
		}
	}
	for _, bad := range []string{"", "x", "1.x", "-1", "1.-1", "99999", "1.1000"} {
		if v, err := ParseVersion(bad); err == nil {
			t.Errorf("ParseVersion(%q) = %v, want an error", bad, v)
		}
	}
}

func TestPrefixes(t *testing.T) {
	tests := []struct {
		property, targets, want string
	}{
		{"user-select", "safari 17", "-webkit-"},
		{"user-select", "chrome 109, edge 109, firefox 115", ""},
		{"user-select", "firefox 40", "-moz-"},
		{"user-select", "firefox 60", "-moz-"},
		{"user-select", "firefox 40, safari 12", "-moz- -webkit-"},
		{"backdrop-filter", "safari 17.6", "-webkit-"},
		{"backdrop-filter", "safari 18", ""},
		{"hyphens", "safari-ios 16.4", "-webkit-"},
		{"hyphens", "safari-ios 17", ""},
		{"color", "safari 10", ""},
	}
	for _, test := range tests {
		got := strings.Join(parseTargets(t, test.targets).Prefixes(Property(test.property)), " ")
		if got != test.want {
			t.Errorf("%s for %s: got %q, want %q", test.property, test.targets, got, test.want)
		}
	}
}

func TestLacking(t *testing.T) {
	got := parseTargets(t, "chrome 119, edge 120, safari 17.1").Lacking(Nesting)
	if want := []string{"chrome 119", "safari 17.1"}; !slices.Equal(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
	if got := Default().Lacking("css.no.such"); got != nil {
		t.Errorf("an unknown feature is lacked by %v", got)
	}
}

func TestFactsAreComplete(t *testing.T) {
	for name := range Default() {
		if !slices.Contains(Names, name) {
			t.Errorf("default target %q has no name", name)
		}
		if len(facts()[Nesting][name]) == 0 {
			t.Errorf("no fact about nesting in %s", name)
		}
	}
	if !strings.Contains(Source(), " ") {
		t.Errorf("source %q has no version", Source())
	}
}

func parseTargets(t *testing.T, s string) Targets {
	t.Helper()
	targets := make(Targets)
	for _, part := range strings.Split(s, ", ") {
		name, version, _ := strings.Cut(part, " ")
		v, err := ParseVersion(version)
		if err != nil {
			t.Fatal(err)
		}
		targets[name] = v
	}
	return targets
}
