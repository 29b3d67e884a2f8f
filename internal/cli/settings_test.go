package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// settingsIn returns the settings in force in a folder, as JSON lists them: the values by
// table and key, and where they are set.
func settingsIn(t *testing.T, dir string) (values, from map[string]string) {
	t.Helper()
	code, out, errs := runIn(t, dir, "settings", "--json")
	if code != 0 {
		t.Fatalf("%d %s", code, errs)
	}
	var answer struct {
		Version  int
		Settings []struct{ Table, Key, Value, From string }
	}
	if err := json.Unmarshal([]byte(out), &answer); err != nil || answer.Version != 1 {
		t.Fatal(err, out)
	}
	values, from = make(map[string]string), make(map[string]string)
	for _, s := range answer.Settings {
		values[s.Table+"."+s.Key], from[s.Table+"."+s.Key] = s.Value, s.From
	}
	return values, from
}

// TestDefaultSettings writes the default settings into a file: everything stays as it is
// without settings, and every line is one that the program reads.
func TestDefaultSettings(t *testing.T) {
	dir := lay(t, "index.html", "<!doctype html><html lang=en><link rel=stylesheet href=a.css><p class=tern>", "a.css", ".tern { top: 0 }")
	before, _ := settingsIn(t, dir)
	_, plain, _ := runIn(t, dir, "build", "--profile", "production", "--json")
	code, text, errs := runIn(t, dir, "settings", "--defaults")
	if code != 0 {
		t.Fatal(errs)
	}
	if err := os.WriteFile(filepath.Join(dir, "rinzel.toml"), []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	after, from := settingsIn(t, dir)
	for key, value := range before {
		if after[key] != value {
			t.Errorf("%s is %q, and %q in the file", key, value, after[key])
		}
	}
	for key, value := range after {
		if before[key] == "" {
			t.Errorf("only the file sets %s: %s", key, value)
		}
		if !strings.HasPrefix(from[key], "rinzel.toml:") {
			t.Errorf("%s is set at %q", key, from[key])
		}
	}
	if len(after) < 45 {
		t.Errorf("%d settings", len(after))
	}
	code, built, errs := runIn(t, dir, "build", "--profile", "production", "--json")
	hash := func(out string) string {
		_, rest, _ := strings.Cut(out, `"path": "index.`)
		name, _, _ := strings.Cut(rest, `"`)
		return name
	}
	if code != 0 || errs != "" || hash(built) == "" || hash(built) != hash(plain) {
		t.Errorf("with the file, the build writes %q, without it %q: %s", hash(built), hash(plain), errs)
	}
	// keys in comments can be switched on: each of them is known
	for line := range strings.Lines(text) {
		key, value, ok := strings.Cut(strings.TrimPrefix(strings.TrimSpace(line), "# "), " = ")
		if ok && strings.HasPrefix(line, "# ") && value == "…" && strings.Contains(key, " ") {
			t.Errorf("this is no key: %s", line)
		}
	}
}

// TestSchema compares docs/rinzel.schema.json with what the program writes.
func TestSchema(t *testing.T) {
	const file = "../../docs/rinzel.schema.json"
	want, err := os.ReadFile(file)
	code, out, errs := runIn(t, t.TempDir(), "settings", "--schema")
	if code != 0 {
		t.Fatal(errs)
	}
	if err != nil || out != string(want) {
		t.Errorf("%s is not what the program writes: rinzel settings --schema > docs/rinzel.schema.json: %v", file, err)
	}
	if strings.Count(out, `"description"`) < 70 || strings.Count(out, `"enum"`) < 10 {
		t.Error("descriptions or words are missing")
	}
}
