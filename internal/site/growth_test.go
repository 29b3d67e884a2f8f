package site_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// TestNoGrowth builds a site a thousand times with one cache, with a change of
// a large sheet and a page each time. The memory in use must not grow.
func TestNoGrowth(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes seconds")
	}
	var archive strings.Builder
	for i := range 10 {
		fmt.Fprintf(&archive,
			"-- site/p%d.html --\n<!doctype html><link rel=stylesheet href=s%d.css><link rel=stylesheet href=all.css><p class=\"c%d\">\n-- site/s%d.css --\n%s\n", i, i, i, i, strings.Repeat(fmt.Sprintf(".c%d { top: %dpx }\n", i, i), 30+max(0, i-8)*1000))
	}
	archive.WriteString("-- site/all.css --\n@import \"s1.css\"; p { color: red }\n")
	s := newSite(t, archive.String())
	p, _, err := project.Open(project.Options{Settings: filepath.Join(s.dir, project.FileName)})
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	memory := site.NewCache(p)
	inUse := func() int {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return int(m.HeapAlloc)
	}
	const rebuilds = 1000
	texts, after100 := 0, 0
	for i := range rebuilds {
		for _, name := range []string{"s9.css", "p4.html"} {
			file := filepath.Join(s.dir, "site", name)
			data, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			text := strings.TrimRight(string(data), "\n/* 0123456789") + fmt.Sprintf("\n/* %d */\n", i)
			if strings.HasSuffix(name, ".html") {
				text = strings.TrimRight(string(data), "\n0123456789") + fmt.Sprintf("%d\n", i)
			}
			if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
			texts += len(text)
			memory.Apply([]source.Path{{Name: name}})
		}
		if _, err := site.Build(context.Background(), p, site.Options{Cache: memory}); err != nil {
			t.Fatal(err)
		}
		if i == 99 {
			after100, texts = inUse(), 0
		}
	}
	grown := inUse() - after100
	t.Logf("%d kB in use after 100 builds, %d kB more after %d, in which %d kB of text were read", after100>>10,
		grown>>10, rebuilds, texts>>10)
	if grown > after100/20 {
		t.Errorf("%d bytes more are in use than %d", grown, after100)
	}
}
