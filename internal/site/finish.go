package site

import (
	"context"
	"crypto/sha256"
	"path"
	"slices"
	"strings"

	"rinzel/internal/cache"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/objects"
	"rinzel/internal/origin"
	"rinzel/internal/own"
	"rinzel/internal/picture"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/script"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step"
)

// This file runs the steps of the settings on what is written: scripts, pages and
// other files.

// finishedFile is a file after the steps on it.
type finishedFile struct {
	data  []byte // nil if they changed nothing, or if one failed
	sum   source.Sum
	diags []diag.Diagnostic
}

// addFinishing makes the build run the steps on files that are copied.
func (b *builder) addFinishing(ctx context.Context) {
	b.finishFile = func(files source.Reader, p source.Path) *finishedFile {
		shrink := b.shrinks() && (picture.Is(p.Name) || picture.IsSVG(p.Name))
		has := b.cache.own != nil && b.cache.own.Has(pipeline.OnAsset, p)
		if !shrink && !has {
			return nil
		}
		return b.cache.finished.Get(files, p, nil, func(r *cache.Reads) (*finishedFile, bool) {
			f := new(finishedFile)
			if has {
				f.data, _ = b.cache.own.Data(ctx, r, p, func(d diag.Diagnostic) { f.diags = append(f.diags, d) })
			}
			if shrink {
				f.data = b.shrunk(ctx, r, p, f.data)
			}
			f.sum = sha256.Sum256(f.data)
			return f, ctx.Err() == nil
		})
	}
}

// shrinks reports whether the build makes pictures smaller.
func (b *builder) shrinks() bool { return b.profile.Release && b.project.Settings.Shrink }

// shrunk returns a smaller file of a picture, or data if there is none. data are
// its contents after other steps, or nil.
func (b *builder) shrunk(ctx context.Context, files source.Reader, p source.Path, data []byte) []byte {
	now := data
	if now == nil {
		file, err := files.Copy(p)
		if err != nil || file.Size > maxPicture {
			return data
		}
		if now, err = file.Read(); err != nil {
			return data
		}
	}
	if picture.IsSVG(p.Name) {
		short := picture.ShrinkSVG(now, func(css string) string { return b.styleInPicture(ctx, files, p, css) })
		if short == nil {
			return data
		}
		return short
	}
	sum := sha256.Sum256(now)
	key := objects.KeyOf([]byte("picture"), []byte(picture.Version), sum[:])
	out, ok := b.cache.results.Get(ctx, key)
	if !ok {
		out = picture.Shrink(now)
		b.cache.results.Put(key, out)
	}
	if len(out) == 0 || len(out) >= len(now) {
		return data
	}
	return out
}

// styleInPicture returns a style sheet of a picture after its chain, and after the
// finish without purging. It is unchanged if XML could not contain the result.
func (b *builder) styleInPicture(ctx context.Context, files source.Reader, p source.Path, css string) string {
	sheet, _ := parse.Sheet(new(source.Set).Add(p, p.Name, css))
	chain, err := b.chainOf(p)
	if err != nil {
		return css
	}
	finish, err := pipeline.New(pipeline.WithoutSite(b.profile.Finish), b.stepSettings())
	if err != nil {
		return css
	}
	u := &step.Unit{Kind: step.Element, Nodes: sheet.Nodes, Composed: true, Path: p, Files: files}
	if chain.Run(ctx, u) != nil || finish.Run(ctx, u) != nil {
		return css
	}
	text := strings.TrimSpace(print.Sheet(u.Nodes, print.Options{Compact: u.Compact}))
	if strings.ContainsAny(text, "<&") {
		return css
	}
	return text
}

// maxPicture limits the pictures that are made smaller, in bytes.
const maxPicture = 64 << 20

// finished returns a file after the steps on it; nil if they changed nothing.
func (b *builder) finished(files source.Reader, p source.Path) *finishedFile {
	if b.finishFile == nil || inventory.IsScript(p.Name) {
		return nil
	}
	if f := b.finishFile(files, p); f != nil && f.data != nil {
		return f
	}
	return nil
}

// smallFile returns the contents of a file after the steps on it, if they have at
// most a number of bytes.
func (b *builder) smallFile(files *inventory.Inventory, p source.Path, most int) ([]byte, bool) {
	if f := b.finished(files.Reader, p); f != nil {
		return f.data, len(f.data) <= most
	}
	file, err := files.Copy(p)
	if err != nil || file.Size > int64(most) {
		return nil, false
	}
	data, err := file.Read()
	return data, err == nil
}

// finishFiles runs the steps on the files of an output set that are copied so
// far.
func (b *builder) finishFiles(ctx context.Context, out *emit.Set) error {
	if b.finishFile == nil && !b.minifiesScripts() {
		return nil
	}
	list := out.Copies()
	return b.inParallel(ctx, "finishing files", len(list), func(i int) {
		o := list[i]
		if inventory.IsScript(o.From.Name) {
			b.finishCopiedScript(ctx, o)
			return
		}
		if b.finishFile == nil {
			return
		}
		f := b.finishFile(b.files.Reader, o.From)
		if f == nil {
			return
		}
		b.report(f.diags...)
		if f.data != nil {
			o.Was = o.Copy.Size
			o.Copy, o.Data = nil, f.data
		}
	})
}

// finishCopiedScript runs the steps on a script that no page runs.
func (b *builder) finishCopiedScript(ctx context.Context, o *emit.Output) {
	if !b.finishesScript(o.From) {
		return
	}
	f, err := b.files.Text(o.From)
	if err != nil {
		return // it is copied
	}
	in := own.Edited(f, b.project.Tree.Set, nil)
	text := b.minifiedScript(f, b.ownText(ctx, pipeline.OnScript, o.From, in))
	if text.File.Text != f.Text {
		o.Was = o.Copy.Size
		o.Copy, o.Data, o.Kind = nil, f.Encoded(text.File.Text), emit.ScriptKind
	}
}

// ownText runs the steps on a text that is written.
func (b *builder) ownText(ctx context.Context, on pipeline.Stage, p source.Path, in *origin.Text) *origin.Text {
	if b.cache.own == nil {
		return in
	}
	out, err := b.cache.own.Text(ctx, b.files.Reader, on, p, in, func(d diag.Diagnostic) { b.report(d) })
	if err != nil {
		b.fail(err)
	}
	return out
}

// finishPage returns a page after edits, and after the steps on it. was is its size
// before the steps, in bytes; 0 if they changed nothing.
func (b *builder) finishPage(ctx context.Context, p *graph.Page, edits []graph.Edit) (data []byte, was int64) {
	before := graph.Apply(p.File.Text, edits)
	data = p.File.Encoded(before)
	if b.cache.own == nil || !b.cache.own.Has(pipeline.OnPage, p.File.Path) {
		return data, 0
	}
	after := b.ownText(ctx, pipeline.OnPage, p.File.Path, own.Edited(p.File, b.project.Tree.Set, edits)).File.Text
	if after == before {
		return data, 0
	}
	return p.File.Encoded(after), int64(len(data))
}

// finishedScript is a script after the steps on it.
type finishedScript struct {
	data    []byte
	was     int64        // its size before, in bytes
	mapped  []byte       // its source map; nil for none, or if it is in the script
	mapName string       // in the output folder
	cameAs  *source.Path // the file of the map that it came with, or nil
}

// addTo adds the script and its map to the outputs.
func (f *finishedScript) addTo(out *scriptOutputs, p source.Path) {
	out.data[p], out.was[p] = f.data, f.was
	switch {
	case f.mapped == nil:
	case f.cameAs != nil && emit.PlainName(*f.cameAs) == f.mapName:
		out.data[*f.cameAs] = f.mapped
	default:
		out.maps = append(out.maps, emit.Output{Path: f.mapName, Kind: emit.MapKind, Data: f.mapped})
	}
}

// finishScript returns a script after edits, and after the steps on it. ok is
// false if there are none, or if they change nothing.
func (b *builder) finishScript(ctx context.Context, p source.Path, file *graph.ScriptFile,
	edits []graph.Edit) (out finishedScript, ok bool) {
	if file == nil || !b.finishesScript(p) {
		return out, false
	}
	f := file.File
	if file.Map.Text != "" { // another map replaces it
		start := strings.LastIndex(f.Text[:file.Map.At.Start], "//")
		edits = append(edits[:len(edits):len(edits)], graph.Edit{At: graph.Span{Start: start, End: file.Map.At.End}})
	}
	before := own.Edited(f, b.project.Tree.Set, edits)
	after := b.minifiedScript(f, b.ownText(ctx, pipeline.OnScript, p, before))
	if after.File.Text == before.File.Text {
		return out, false
	}
	text := after.File.Text
	out.was = int64(len(f.Text))
	if b.profile.Maps == project.NoMaps {
		out.data = f.Encoded(text)
		return out, true
	}
	name := b.fileName(p)
	out.mapName = name + ".map"
	mapped := sourcemap.NewBuilder(b.project.Tree.Set)
	if data, at, err := b.scriptMap(file, p); err != nil {
		b.reportScriptMap(file, err)
	} else if data != nil {
		if at.Name != "" {
			out.cameAs = &at
		}
		if m, err := sourcemap.Read(data); err != nil {
			b.reportScriptMap(file, err)
		} else {
			mapped.Follow(f.ID, sourcemap.NewInput(m, f))
		}
	}
	after.Map(mapped)
	json := mapped.JSON(path.Base(name), func(f *source.File) string { return b.relativeToOutput(name, f.Name) })
	address := path.Base(out.mapName)
	if b.profile.Maps == project.InlineMaps {
		address = sourcemap.DataURL(json)
	} else {
		out.mapped = json
	}
	if !strings.HasSuffix(text, "\n") {
		text += "\n"
	}
	out.data = f.Encoded(text + "//# sourceMappingURL=" + address + "\n")
	return out, true
}

// finishesScript reports whether there are steps on a script.
func (b *builder) finishesScript(p source.Path) bool {
	return b.minifiesScripts() && (inventory.IsScript(p.Name) || b.compiles(p)) ||
		b.cache.own != nil && b.cache.own.Has(pipeline.OnScript, p)
}

// minifiesScripts reports whether the build minifies scripts.
func (b *builder) minifiesScripts() bool {
	return b.profile.Release && b.project.Settings.Scripts.Minify
}

// How much smaller a script must become, so that it is not copied as it is: many
// are minified already.
const (
	leastPercent = 2
	leastBytes   = 32
)

// minifiedScript returns a script without what it does not need, if the build
// minifies scripts. Syntax errors are findings.
func (b *builder) minifiedScript(f *source.File, text *origin.Text) *origin.Text {
	if !b.minifiesScripts() {
		return text
	}
	src := text.File.Text
	opts := script.CompactOptions{Drop: b.project.Settings.Scripts.Drop}
	pieces, problems := script.Compact(src, opts)
	if len(problems) > 0 {
		at := text.At(uint32(problems[0].At.Start))
		b.report(diag.Diagnostic{Code: code.ScriptSyntax, Severity: diag.Warning,
			Span:    source.SpanOf(at, problems[0].At.End-problems[0].At.Start),
			Message: "syntax error, so browsers do not run this script: " + problems[0].Message, Cause: f.Path.String()})
		return text
	}
	if strings.Contains(src, "<!--") || strings.Contains(src, "-->") { // comments, or in modules operators
		opts.Module = true
		if other, _ := script.Compact(src, opts); !slices.Equal(pieces, other) {
			return text
		}
	}
	if len(pieces) == 0 {
		return text
	}
	list := make([]origin.Piece, len(pieces))
	size := 0
	for i, p := range pieces {
		list[i] = origin.Piece{Text: p.Text, Off: uint32(p.At)}
		size += len(p.Text)
	}
	dropped := func(name string) bool { return strings.Contains(src, name) }
	if !slices.ContainsFunc(opts.Drop, dropped) && len(src)-size < max(len(src)*leastPercent/100, leastBytes) {
		return text
	}
	return origin.Rebuilt(list, text)
}

// reportScriptMap reports an invalid source map of a script.
func (b *builder) reportScriptMap(file *graph.ScriptFile, err error) {
	b.report(diag.Diagnostic{Code: code.UnreadableMap, Severity: diag.Warning,
		Span:    file.File.Pos(file.Map.At.Start).To(uint32(file.Map.At.End)),
		Message: "the source map of this script is invalid, so the new one leads to the script: " + err.Error()})
}
