package cli_test

import (
	"strings"
	"testing"
)

// TestCommandSlips checks that mistakes in command lines are answered with a
// working command.
func TestCommandSlips(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=a>", "site/main.css", "@const gap: 1px; .a { top: const(gap) }\n", "site/boat.svg", "<svg/>")
	for _, c := range []struct{ wrong, says, right string }{
		{"biuld", `"build"`, "build"},
		{"chekc", `"check"`, "check"},
		{"constans", `"constants"`, "constants"},
		{"import", `"imports"`, "imports"},
		{"repeat site/main.css", `"repeats"`, "repeats site/main.css"},
		{"build --profil production", "--profile", "build --profile production"},
		{"build --outptu out", "--output", "build --output out"},
		{"build --profile prodution", "the profiles are development, production", "build --profile production"},
		{"build --jsn", "--json", "build --json"},
		{"build site/mian.css -o out.css", "main.css", "build site/main.css -o out.css"},
		{"build site/index.html -o out.css", "", "build site/main.css -o out.css"},
		{"build site/main.css -o site/main.css", "name another output with -o", "build site/main.css -o other.css"},
		{"build site/main.css -o site/boat.svg", "name another output with -o", "build site/main.css -o boat.css"},
		{"build -o -", "-o - needs a SHEET", "build site/main.css -o -"},
		{"build site/main.css -o - --json", "name a file with -o", "build site/main.css -o out.css --json"},
		{"check site/mian.css", "main.css", "check site/main.css"},
		{"check --fail errors", "--fail expects error, warning, note or never", "check --fail error"},
		{"check --json --sarif", "use one of them", "check --sarif"},
		{"constants gap wide", "at most 1 argument", "constants gap"},
		{"why .aa", ".a", "why .a"},
		{"repeats", "takes a sheet", "repeats site/main.css"},
		{"repeats site/main.css '1px solid'", "is not a single value", "repeats site/main.css 1px"},
		{"build --settings rinzle.toml", "rinzle.toml", "build --settings rinzel.toml"},
	} {
		code, out, errs := runIn(t, dir, words(c.wrong)...)
		if code == 0 && c.wrong != "why .aa" || !strings.Contains(out+errs, c.says) {
			t.Errorf("rinzel %s: %d, no %q in\n%s%s", c.wrong, code, c.says, out, errs)
		}
		if code, out, errs := runIn(t, dir, words(c.right)...); code != 0 {
			t.Errorf("rinzel %s: %d\n%s%s", c.right, code, out, errs)
		}
	}
}
