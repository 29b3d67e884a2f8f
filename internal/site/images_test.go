package site_test

import (
	"bytes"
	"image"
	"image/png"
	"testing"

	"rinzel/internal/project"
)

// TestMissingSizes checks which images are reported, and with which size.
func TestMissingSizes(t *testing.T) {
	const page = `-- site/index.html --
<!doctype html><link rel=stylesheet href=a.css>
<img src="tern.png" width="4" height="3">
<img src="tern.png">
<img src="tern.png" width="4">
<img src="tern.png" style="aspect-ratio: 4 / 3">
<img src="tern.png" style="width: 4px; height: 3px">
<template><img src="tern.png"></template>
<noscript><img src="tern.png"></noscript>
<img alt="nothing">
<img src="{{ boat }}.png">
-- site/other.html --
<!doctype html><link rel=stylesheet href=a.css>
<img src="broken.png"><img src="tern.svg">
-- site/a.css --
img { color: red }
-- site/broken.png --
nothing
-- site/tern.svg --
<svg xmlns="http://www.w3.org/2000/svg" width="4" height="3"/>
`
	var tern bytes.Buffer
	if err := png.Encode(&tern, image.NewGray(image.Rect(0, 0, 40, 30))); err != nil {
		t.Fatal(err)
	}
	for _, test := range []struct {
		level, profile string
		checks         int // findings that the build only counts
	}{
		{"note", project.Development, 0},
		{"note", project.Production, 2},
		{"off", project.Production, 0},
		{"error", project.Production, 0},
	} {
		s := newSite(t, page+"-- rinzel.toml --\nsource = \"site\"\n[check.levels]\nmissing-size = \""+test.level+"\"\n")
		writeFile(t, s.dir, "site/tern.png", tern.String())
		res, found := s.build(t, test.profile)
		if res.Checks != test.checks {
			t.Errorf("%s: %d findings are counted, want %d", test.level, res.Checks, test.checks)
		}
		if test.level != "error" {
			if found != "" {
				t.Errorf("%s: the findings are %s", test.level, found)
			}
			continue
		}
		has(t, "the list of findings", found, []string{
			"site/index.html:3:11: warning: image without width and height", `fix: add width="40" height="30"`, "4:11",
			"site/other.html:2:11: warning: ", "fix: add width and height\n", "2:33"},
			[]string{"index.html:2:11", "5:11", "6:11", ":7:", ":8:", ":9:", ":10:"})
	}
}
