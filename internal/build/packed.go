package build

import (
	"bytes"
	"context"
	"crypto/sha512"
	"encoding/base64"
	"path"
	"slices"
	"strings"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"

	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file makes what is written beside the outputs for servers: their
// compressed forms, and hashes by which browsers know them.

// compressible are the extensions of assets that are text.
var compressible = []string{".svg", ".js", ".mjs", ".json", ".webmanifest", ".txt", ".xml", ".css", ".html", ".map", ".wasm", ".ico"}

// least is the size below which a file is not compressed: it fits into one
// packet of the network as it is.
const least = 1024

// packedOutput is an output with its compressed forms.
type packedOutput struct {
	data  []byte       // of the output, or
	copy  *source.Copy // the file that it is a copy of
	forms []Output
}

// compressed returns the compressed forms of outputs, those that are smaller
// than the output itself. The same output gives the same bytes.
func (m *Memory) compressed(outputs []Output, forms []project.Compression) []Output {
	if len(forms) == 0 {
		return nil
	}
	packed := make([][]Output, len(outputs))
	// The error is that of a context, and there is none.
	_ = inParallel(context.Background(), len(outputs), func(i int) {
		o := outputs[i]
		if o.Size() < least || o.Size() > source.MaxTextSize || !slices.Contains(compressible, strings.ToLower(path.Ext(o.Path))) {
			return
		}
		if kept, ok := m.packed[o.Path]; ok && bytes.Equal(kept.data, o.Data) && kept.copy == o.Copy {
			packed[i] = kept.forms
			return
		}
		content, err := o.Content()
		if err != nil {
			return // the output cannot be written, which is reported then
		}
		for _, form := range forms {
			data, ext := pack(content, form)
			if len(data) < len(content) {
				packed[i] = append(packed[i], Output{Path: o.Path + ext, Kind: PackedKind, Data: data, owner: o.owner})
			}
		}
	})
	for i, o := range outputs {
		if packed[i] != nil {
			m.packed[o.Path] = packedOutput{o.Data, o.Copy, packed[i]}
		}
	}
	return slices.Concat(packed...)
}

// pack returns data in a compressed form, as small as it gets, and the
// extension of its name.
func pack(data []byte, form project.Compression) (packed []byte, ext string) {
	var b bytes.Buffer
	if form == project.Brotli {
		w := brotli.NewWriterLevel(&b, brotli.BestCompression)
		_, _ = w.Write(data) // a buffer takes all
		_ = w.Close()
		return b.Bytes(), ".br"
	}
	w, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		panic(err) // the level is one that there is
	}
	_, _ = w.Write(data)
	_ = w.Close()
	return b.Bytes(), ".gz"
}

// integrity returns the hash by which a page names a file that it loads
// (Subresource Integrity, section 3.1).
func integrity(data []byte) string {
	sum := sha512.Sum384(data)
	return "sha384-" + base64.StdEncoding.EncodeToString(sum[:])
}
