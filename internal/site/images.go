package site

import (
	"fmt"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/picture"
	"rinzel/internal/project"
)

// missingSizes reports images of pages without width and height, in builds for
// release and in checks. It is one finding for each page.
func (b *builder) missingSizes() {
	level, set := b.project.Settings.Check.Levels[code.MissingSize]
	if level == project.LevelOff || !b.linker.ChecksRoot("") || !b.profile.Release && !b.linker.CheckAll {
		return
	}
	for _, p := range b.pages {
		for _, r := range p.Unsized {
			d := diag.Diagnostic{Code: code.MissingSize, Severity: diag.Note, Span: p.Position(r), Cause: p.File.Name,
				Message: "image without width and height: if no sheet sets its size, the page moves when it arrives",
				Fix:     "add width and height"}
			if set {
				d.Severity = level.Severity()
			}
			if graph.IsTemplate(r.Address) {
				continue
			}
			if width, height, ok := b.sizeOf(p, r); ok {
				d.Fix = fmt.Sprintf(`add width="%d" height="%d"`, width, height)
			}
			b.mu.Lock()
			b.checks.Add(d)
			b.mu.Unlock()
		}
	}
}

// sizeOf returns the size of the picture of an image.
func (b *builder) sizeOf(p *graph.Page, r graph.Ref) (width, height int, ok bool) {
	t := b.files.ResolveIn(p, r)
	if t.Kind != graph.Local || !picture.HasSize(t.Path.Name) || !b.files.Exists(t.Path) {
		return 0, 0, false
	}
	file, err := b.files.Copy(t.Path)
	if err != nil || file.Size > maxPicture {
		return 0, 0, false
	}
	data, err := file.Read()
	if err != nil {
		return 0, 0, false
	}
	return picture.Size(data)
}
