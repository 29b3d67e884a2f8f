package emit

import (
	"bytes"
	"io"
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"golang.org/x/sync/errgroup"

	"rinzel/internal/cache"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file creates compressed forms of outputs, for servers that send them.

// compressible are the extensions of outputs that are worth compressing.
var compressible = []string{".svg", ".js", ".mjs", ".json", ".webmanifest", ".txt", ".xml", ".css", ".html", ".map",
	".wasm", ".ico"}

// minSize is the size in bytes below which a file is not compressed: it fits
// into one network packet anyway.
const minSize = 1024

// Compressor creates compressed forms, and caches them.
type Compressor struct {
	tree  source.Reader
	forms *cache.Table[string, packed] // by path
}

// packed is an output with its compressed forms.
type packed struct {
	of    Output
	forms []Output
}

// NewCompressor returns a packer whose results are in a store.
func NewCompressor(tree source.Reader, s *cache.Store) *Compressor {
	return &Compressor{tree, cache.NewTable[string, packed](s)}
}

// Pack returns the compressed forms of outputs that are smaller than the
// original. It is deterministic.
func (k *Compressor) Pack(outputs []Output, forms []project.Compression) []Output {
	if len(forms) == 0 {
		return nil
	}
	lists := make([][]Output, len(outputs))
	var group errgroup.Group // the functions return no errors
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range outputs {
		o := &outputs[i]
		if o.Size() < minSize || o.Size() > source.MaxTextSize ||
			!slices.Contains(compressible, strings.ToLower(path.Ext(o.Path))) {
			continue
		}
		group.Go(func() error {
			same := func(p packed) bool { return p.of.Same(o) }
			lists[i] = k.forms.Get(k.tree, o.Path, same,
				func(*cache.Reads) (packed, bool) { return packed{*o, packAll(o, forms)}, true }).forms
			return nil
		})
	}
	_ = group.Wait()
	return slices.Concat(lists...)
}

// packAll returns the compressed forms of one output.
func packAll(o *Output, forms []project.Compression) (out []Output) {
	content, err := o.Content()
	if err != nil {
		return nil // the output cannot be read, which is reported when it is written
	}
	for _, form := range forms {
		data, ext := pack(content, form)
		if len(data) < len(content) {
			out = append(out, Output{Path: o.Path + ext, Kind: CompressedKind, Data: data, Owner: o.Owner})
		}
	}
	return out
}

// quickLevel is the level of brotli that servers use for each response. It is a
// hundred times as fast as the highest one, and the result 10% larger.
const quickLevel = 5

// resetter is a writer that compresses, and can be used again.
type resetter interface {
	io.WriteCloser
	// Reset discards the state of the writer, and makes it write to another one.
	Reset(io.Writer)
}

// quick are idle writers: each needs hundreds of kilobytes.
var quick = map[project.Compression]*sync.Pool{
	project.Gzip:   {New: func() any { return gzip.NewWriter(nil) }},
	project.Brotli: {New: func() any { return brotli.NewWriterLevel(nil, quickLevel) }},
}

// PackedSize returns the size of data after compression as servers do it for each
// response, in bytes.
func PackedSize(data []byte, form project.Compression) int {
	var b bytes.Buffer
	w := quick[form].Get().(resetter)
	defer quick[form].Put(w)
	w.Reset(&b)
	_, _ = w.Write(data) // writing to a buffer cannot fail
	_ = w.Close()
	return b.Len()
}

// pack returns compressed data, with the highest compression, and the file
// extension.
func pack(data []byte, form project.Compression) (packed []byte, ext string) {
	var b bytes.Buffer
	if form == project.Brotli {
		w := brotli.NewWriterLevel(&b, brotli.BestCompression)
		_, _ = w.Write(data) // writing to a buffer cannot fail
		_ = w.Close()
		return b.Bytes(), ".br"
	}
	w, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		panic(err) // the level is valid
	}
	_, _ = w.Write(data)
	_ = w.Close()
	return b.Bytes(), ".gz"
}
