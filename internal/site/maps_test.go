package site_test

import (
	"context"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/sourcemap"
)

// TestMapsLeadThroughMixins checks that the output of mixins, loops, imports
// with set() and contents blocks is mapped to its source lines.
func TestMapsLeadThroughMixins(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=main.css>
-- site/main.css --
@import "mixins.css";
@import "plain.css" set(--tide: 2px);
.card {
  @apply --card(4px) {
    color: teal;
  }
}
@loop side over top, left {
  .flush {
    margin-(side): 0;
  }
}
-- site/mixins.css --
@mixin --card(--pad) {
  padding: var(--pad);
  @contents;
  --edge: calc(var(--pad) * 2);
}
-- site/plain.css --
:root {
  --tide: 1px;
}
`)
	p, _, err := project.Open(project.Options{Settings: filepath.Join(s.dir, project.FileName), Output: s.output("x")})
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	res, err := site.Build(context.Background(), p, site.Options{})
	if err != nil || len(res.Diagnostics) > 0 {
		t.Fatal(err, res.Diagnostics)
	}
	css := string(res.Outputs[0].Data)
	m, err := sourcemap.ReadDataURL(sourcemap.Address(css))
	if err != nil {
		t.Fatal(err)
	}
	for _, test := range []struct {
		written, file string
		line          int // from 1
	}{
		{"padding: 4px", "mixins.css", 2}, {"color: teal", "main.css", 5}, {"--edge: 8px", "mixins.css", 4},
		{"margin-top: 0", "main.css", 10}, {"margin-left: 0", "main.css", 10}, {"--tide: 2px", "plain.css", 2},
	} {
		before, _, ok := strings.Cut(css, test.written)
		if !ok {
			t.Errorf("no %q in\n%s", test.written, css)
			continue
		}
		line := strings.Count(before, "\n")
		found, ok := m.Find(line, len(before)-strings.LastIndex(before, "\n")-1)
		if !ok || !strings.HasSuffix(m.Sources[found.Source].URL, test.file) || found.SourceLine+1 != test.line {
			t.Errorf("%q leads to %+v, want line %d of %s", test.written, found, test.line, test.file)
		}
	}
}
