package browsers

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"fmt"
	"os"
	"os/exec"
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
	got := parseTargets(t, "chrome 119, edge 120, safari 17.1").Unsupported(Nesting)
	if want := []string{"chrome 119", "safari 17.1"}; !slices.Equal(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
	if got := Default().Unsupported("css.no.such"); got != nil {
		t.Errorf("an unknown feature is lacked by %v", got)
	}
}

// TestFactsAreAsGenerated checks that nobody edited the table and, where the
// data that it is generated from is available, that gen reproduces it.
func TestFactsAreAsGenerated(t *testing.T) {
	facts := factsText(t)
	body, sum, _ := strings.Cut(facts, "\nsum ")
	if want := fmt.Sprintf("%x\n", sha256.Sum256([]byte(body+"\n"))); sum != want {
		t.Errorf("facts.txt was changed by hand: its sum is %q, want %q", sum, want)
	}
	code, err := exec.Command("go", "run", "./gen", "-table", "facts.txt").Output()
	if have, readErr := os.ReadFile("facts.go"); err != nil || readErr != nil || !bytes.Equal(code, have) {
		t.Errorf("facts.go is not what gen makes of facts.txt: %v, %v", err, readErr)
	}
	compat, usage := os.Getenv("COMPAT_DATA"), os.Getenv("USAGE_DATA")
	if compat == "" || usage == "" {
		return
	}
	made, err := exec.Command("go", "run", "./gen", "-compat", compat, "-usage", usage).Output()
	if err != nil || string(made) != facts {
		t.Errorf("facts.txt is not what gen makes of %s and %s: %v", compat, usage, err)
	}
}

func TestFactsAreComplete(t *testing.T) {
	spans, _ := supportOf(Nesting)
	for i, name := range Names {
		if !slices.ContainsFunc(spans, func(s span) bool { return int(s.browser) == i }) {
			t.Errorf("no fact about nesting in %s", name)
		}
		releases := Releases(name)
		if len(releases) < 20 ||
			!slices.IsSortedFunc(releases, func(a, b Release) int { return cmp.Compare(a.Version, b.Version) }) {
			t.Errorf("%s has %d releases, or they are not sorted", name, len(releases))
		}
	}
	if n := len(Features()); n < 3000 || !slices.IsSorted(Features()) {
		t.Errorf("%d features, or they are not sorted", n)
	}
	if len(Sources()) != 2 {
		t.Errorf("sources %q", Sources())
	}
}

func TestFind(t *testing.T) {
	for name, want := range map[string]string{
		"css.properties.gap": "css.properties.gap", "oklch": "css.types.color.oklch", "selectors.nesting": "css.selectors.nesting", "no-such": "",
	} {
		if got := strings.Join(Find(name), " "); got != want {
			t.Errorf("%s: got %q, want %q", name, got, want)
		}
	}
}

// shown formats ranges of targets.
func shown(t Targets) string {
	var out []string
	for _, r := range t.Ranges() {
		text := r.Browser + " " + r.From.String()
		switch {
		case r.Open:
			text += "+"
		case r.To != r.From:
			text += "-" + r.To.String()
		}
		out = append(out, text+" by "+strings.Join(r.By, " and "))
	}
	return strings.Join(out, "; ")
}

func TestQuery(t *testing.T) {
	newest := func(name string, n int) Version { list := Releases(name); return list[len(list)-n].Version }
	if got, want := shown(Query{Recent: 2, Without: withoutAllBut("edge")}.Targets()),
		fmt.Sprintf("edge %s-%s by recent 2", newest("edge", 2), newest("edge", 1)); got != want {
		t.Errorf("got %s, want %s", got, want)
	}
	if got, want := shown(Query{Floor: map[string]Version{"safari": 27000}, Recent: 1,
		Without: withoutAllBut("safari")}.Targets()),
		"safari "+newest("safari", 1).String()+"+ by recent 1 and floor 27; safari 27-"+newest("safari", 2).String()+" by floor 27"; got != want {
		t.Errorf("got %s, want %s", got, want)
	}
	for _, r := range (Query{Share: 1}).Targets().Ranges() {
		for _, release := range Releases(r.Browser) {
			if r.From <= release.Version && release.Version <= r.To && release.Share < 1 {
				t.Errorf("%s %s has a share of %v and was selected", r.Browser, release.Version, release.Share)
			}
		}
	}
	all := Query{Share: 0.0001}.Targets().Share()
	some := Query{Share: 1}.Targets().Share()
	if all < some || some < 20 || all > 100 {
		t.Errorf("shares of %v and %v", all, some)
	}
	without := Query{Floor: map[string]Version{"safari": 27000, "edge": 150000},
		Without: []Without{{"safari", 0}, {"edge", newest("edge", 1)}}}.Targets()
	if got := shown(without); strings.Contains(got, "safari") || strings.Contains(got, "-"+newest("edge", 1).String()) {
		t.Errorf("got %s", got)
	}
	if !(Query{}).Targets().Empty() || (Query{Recent: 1}).Targets().Empty() {
		t.Error("a query for nothing selects something, or one for something nothing")
	}
}

// withoutAllBut excludes all browsers but one.
func withoutAllBut(name string) []Without {
	var out []Without
	for _, n := range Names {
		if n != name {
			out = append(out, Without{Browser: n})
		}
	}
	return out
}

func TestTargetsToCome(t *testing.T) {
	// Supported by every future version, removed, and never supported.
	for _, test := range []struct {
		browser, feature, want string
		floor                  Version
	}{
		{"chrome", Nesting, "", 150000},
		{"chrome", "css.at-rules.media.prefers-color-scheme.no-preference", "chrome", 76000},
		{"samsung", Property("position-visibility"), "samsung", 5000},
	} {
		got := strings.Join(AtLeast(map[string]Version{test.browser: test.floor}).Unsupported(test.feature), " ")
		if !Known(test.feature) || !strings.HasPrefix(got, test.want) || test.want == "" && got != "" {
			t.Errorf("%s is lacked by %q, want %q", test.feature, got, test.want)
		}
	}
}

// TestAllPrefixes compares the table of all needs with single questions.
func TestAllPrefixes(t *testing.T) {
	targets := AtLeast(map[string]Version{"chrome": 20000, "firefox": 10000, "safari": 7000})
	all := targets.AllPrefixes()
	if len(all) < 50 {
		t.Errorf("only %d features need a prefix", len(all))
	}
	for _, feature := range Features() {
		if got := targets.Prefixes(feature); !slices.Equal(got, all[feature]) {
			t.Errorf("%s: %q and %q", feature, got, all[feature])
		}
	}
	if (Targets{}).AllPrefixes() != nil {
		t.Error("no targets need prefixes")
	}
}

// BenchmarkTargets measures the first question to targets.
func BenchmarkTargets(b *testing.B) {
	for b.Loop() {
		Default().AllPrefixes()
	}
}

// BenchmarkQuestion measures a new question and a cached one.
func BenchmarkQuestion(b *testing.B) {
	t := Default()
	b.Run("first", func(b *testing.B) {
		for b.Loop() {
			t.unsupported.Delete(Nesting)
			t.Unsupported(Nesting)
		}
	})
	b.Run("again", func(b *testing.B) {
		for b.Loop() {
			t.Unsupported(Nesting)
		}
	})
}

func parseTargets(t *testing.T, s string) Targets {
	t.Helper()
	floor := make(map[string]Version)
	for _, part := range strings.Split(s, ", ") {
		name, version, _ := strings.Cut(part, " ")
		v, err := ParseVersion(version)
		if err != nil {
			t.Fatal(err)
		}
		floor[name] = v
	}
	return AtLeast(floor)
}

// TestMissing checks which features have support in no form. Prefixed and
// partial support count. Features that only mobile browsers lack for good are
// missing only where desktop browsers lack them too.
func TestMissing(t *testing.T) {
	tests := []struct{ feature, targets, want string }{
		{"css.properties.user-select", "safari 15", ""},                                        // with a prefix
		{"css.selectors.has", "chrome 100, firefox 115, safari 16", "chrome 104, firefox 120"}, // supported by safari
		{"css.properties.cursor.pointer", "safari 15, safari-ios 15", ""},                      // not supported by mobile browsers
		{"css.properties.resize", "firefox 115, firefox-android 115", ""},                      // also not
		{"css.properties.field-sizing", "firefox 140", "firefox 151"},                          // supported later
		{"css.properties.no-such", "chrome 100", ""},
	}
	for _, test := range tests {
		targets := parseTargets(t, test.targets)
		for range 2 { // not removed
			if got := strings.Join(targets.Missing(test.feature), ", "); got != test.want {
				t.Errorf("%s for %s: got %q, want %q", test.feature, test.targets, got, test.want)
			}
		}
	}
	if got := (Targets{}).Missing(Nesting); got != nil {
		t.Errorf("no targets lack %v", got)
	}
}

// TestImplies checks which features all targets with others have.
func TestImplies(t *testing.T) {
	tests := []struct {
		targets, have, feature string
		want                   bool
	}{
		{"ie 11, safari 9, chrome 40", "css.properties.object-position", "css.properties.object-position.left", true},
		{"safari 9, chrome 40", "css.selectors.has", "css.properties.user-select", false},                   // safari needs a prefix
		{"chrome 40", "css.selectors.has", "css.properties.inset", true},                                    // chrome 105 and chrome 87
		{"chrome 40", "css.properties.inset", "css.selectors.has", false},                                   //
		{"chrome 40, firefox 66", "css.properties.inset css.properties.gap", "css.properties.inset", true},  // it is one of them
		{"chrome 40", "css.properties.no-such", "css.properties.inset", false},                              // restricts nothing
		{"chrome 40", "css.properties.inset", "css.properties.no-such", false},                              //
		{"chrome 120", "", "css.properties.inset", true},                                                    // all targets have it
		{"firefox 40, chrome 40", "css.properties.inset css.selectors.has", "css.properties.rotate", true},  //
		{"firefox 40, chrome 40", "css.properties.user-select", "css.properties.user-select", false},        // with a prefix only
		{"firefox 40, chrome 40", "css.properties.no-such css.selectors.has", "css.properties.inset", true}, //
	}
	for _, test := range tests {
		if got := parseTargets(t, test.targets).Implies(strings.Fields(test.have), test.feature); got != test.want {
			t.Errorf("%s: %s for %s: got %v", test.targets, test.have, test.feature, got)
		}
	}
	if (Targets{}).Implies([]string{Nesting}, Nesting) {
		t.Error("no targets imply a feature")
	}
}

// TestAlternatives checks the alternative to a missing feature: the flexible boxes
// of 2009.
func TestAlternatives(t *testing.T) {
	for targets, want := range map[string]string{"chrome 20": "-webkit-", "chrome 21": "", "firefox 15": "-moz-",
		"firefox 20": "", "chrome 15, firefox 10": "-moz- -webkit-"} {
		got := strings.Join(parseTargets(t, targets).InStead(Property("box-flex"), Property("display")+".flex"), " ")
		if got != want {
			t.Errorf("%s: got %q, want %q", targets, got, want)
		}
	}
}

func TestNeeding(t *testing.T) {
	targets := parseTargets(t, "chrome 40, firefox 60, safari 15")
	for feature, want := range map[string]string{Property("user-select"): "chrome 53, firefox 68, safari 27.2",
		Property("color"): "", "css.no.such": ""} {
		if got := strings.Join(targets.Needing(feature, "-webkit-"), ", "); got != want {
			t.Errorf("%s: got %q, want %q", feature, got, want)
		}
	}
}

func TestNewest(t *testing.T) {
	targets := parseTargets(t, "chrome 40, safari 15")
	for feature, want := range map[string]bool{Property("color"): true, Property("line-clamp"): false,
		Property("user-select"): true, "css.no.such": false} {
		if got := targets.Newest(feature); got != want {
			t.Errorf("%s: got %v", feature, got)
		}
	}
}

func TestPartsAndMarks(t *testing.T) {
	if parts := Parts(Property("overflow")); !slices.Contains(parts, "clip") ||
		!slices.Contains(parts, "multiple_keywords") ||
		slices.ContainsFunc(parts, func(p string) bool { return strings.Contains(p, ".") }) {
		t.Errorf("overflow has %v", parts)
	}
	if parts := Parts("css.no.such"); parts != nil {
		t.Errorf("an unknown feature has %v", parts)
	}
	if !Deprecated(Property("clip")) || Deprecated(Property("color")) || Deprecated("css.no.such") {
		t.Error("clip is out of date, and color is not")
	}
}
