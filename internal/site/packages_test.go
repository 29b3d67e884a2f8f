package site_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rinzel/internal/project"
)

// TestChangedPackages checks that sheets of packages that were changed after
// their installation are reported, and no others.
func TestChangedPackages(t *testing.T) {
	const archive = `-- site/index.html --
<!doctype html><link rel=stylesheet href=main.css><p class="gauge dial">
-- site/main.css --
@import "package:gauge"; @import "package:@quay/dial/dial.css"; @import "package:linked/linked.css"; @import "package:gauge/node_modules/needle/needle.css";
-- node_modules/.package-lock.json --
{"packages": {"": {}, "node_modules/gauge": {"version": "2.1.0"}, "node_modules/@quay/dial": {"version": "1.0.0"},
 "node_modules/gauge/node_modules/needle": {"version": "3.0.0"}, "node_modules/linked": {"resolved": "linked", "link": true}}}
-- node_modules/gauge/package.json --
{"name": "gauge", "version": "2.1.0", "style": "gauge.css"}
-- node_modules/gauge/gauge.css --
@import "part.css"; .gauge { height: 14px }
-- node_modules/gauge/part.css --
.gauge { width: 14px }
-- node_modules/gauge/unused.css --
.gauge { width: 14px }
-- node_modules/gauge/node_modules/needle/package.json --
{"name": "needle", "version": "3.0.0"}
-- node_modules/gauge/node_modules/needle/needle.css --
.gauge { color: teal }
-- node_modules/@quay/dial/package.json --
{"name": "@quay/dial", "version": "1.0.0"}
-- node_modules/@quay/dial/dial.css --
.dial { width: 14px }
-- node_modules/linked/linked.css --
.dial { height: 14px }
`
	for _, c := range []struct {
		name    string
		change  []string // files that are written an hour after the installation
		version string   // of gauge
		lock    string   // instead of the lock file; "-" for none
		want    []string
	}{
		{name: "nothing changed"},
		{name: "a sheet", change: []string{"gauge/gauge.css"}, want: []string{`gauge/gauge.css" was changed after package "gauge" was installed`}},
		{name: "an imported sheet", change: []string{"gauge/part.css"}, want: []string{`gauge/part.css" was changed`}},
		{name: "a sheet that is not read", change: []string{"gauge/unused.css"}},
		{name: "a package with a scope", change: []string{"@quay/dial/dial.css"}, want: []string{`package "@quay/dial" was installed`}},
		{name: "a package in a package", change: []string{"gauge/node_modules/needle/needle.css"}, want: []string{`package "gauge/node_modules/needle" was installed`}},
		{name: "a linked folder", change: []string{"linked/linked.css"}},
		{name: "another version", version: "2.2.0", want: []string{`package "gauge" in node_modules has version 2.2.0, but the lock file says 2.1.0`}},
		{name: "no lock file", change: []string{"gauge/gauge.css"}, lock: "-"},
		{name: "a lock file that cannot be read", change: []string{"gauge/gauge.css"}, lock: "{"},
		{name: "a lock file of another form", change: []string{"gauge/gauge.css"}, lock: `{"packages": [1]}`},
	} {
		t.Run(c.name, func(t *testing.T) {
			text := archive
			if c.version != "" {
				text = strings.Replace(text, `"version": "2.1.0", "style"`, `"version": "`+c.version+`", "style"`, 1)
			}
			s := newSite(t, text)
			modules := filepath.Join(s.dir, "node_modules")
			switch c.lock {
			case "":
			case "-":
				os.Remove(filepath.Join(modules, ".package-lock.json"))
			default:
				if err := os.WriteFile(filepath.Join(modules, ".package-lock.json"), []byte(c.lock), 0o644); err != nil {
					t.Fatal(err)
				}
			}
			later := time.Now().Add(time.Hour)
			for _, name := range c.change {
				if err := os.Chtimes(filepath.Join(modules, name), later, later); err != nil {
					t.Fatal(err)
				}
			}
			_, found := s.build(t, project.Development)
			if got := strings.Count(found, "[package-changed]"); got != len(c.want) {
				t.Errorf("got %d findings, want %d\n%s", got, len(c.want), found)
			}
			for _, want := range c.want {
				if !strings.Contains(found, want) {
					t.Errorf("no finding %q in\n%s", want, found)
				}
			}
		})
	}
}
