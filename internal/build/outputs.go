package build

import (
	"encoding/base32"
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// manifestName is the file that tells the published names of bundles. It is
// not manifest.json, which is what web applications call theirs.
const manifestName = "bundles.json"

// maxName is how many bytes the name of a file may have, without its folder. File systems take 255, and names of maps and of
// compressed forms are made by adding to it.
const maxName = 255 - len(".map.br")

// hashedName returns name with a hash of the content before its extension. A name that would be too long for a file is cut.
func hashedName(name string, sum source.Sum) string {
	hash := "." + strings.ToLower(base32.StdEncoding.EncodeToString(sum[:]))[:10]
	dir, base := path.Split(name)
	ext := path.Ext(base)
	stem := strings.TrimSuffix(base, ext)
	if room := max(1, maxName-len(hash)-len(ext)); len(stem) > room {
		stem = strings.ToValidUTF8(stem[:room], "")
	}
	return dir + stem + hash + ext
}

// outputs gathers the files of a build and sees that each has one owner.
type outputs struct {
	b      *builder
	files  []Output
	owners map[string]int // index in files, by the path in lower case
	// copies are the files that are not copied as they are: scripts that import
	// sheets, and their maps.
	copies map[source.Path][]byte
}

func newOutputs(b *builder) *outputs { return &outputs{b: b, owners: make(map[string]int)} }

func (o *outputs) addPage(r *pageResult) {
	o.add(r.html)
	for _, a := range r.assets {
		o.addAsset(a)
	}
}

// addBundle adds a bundle, its map, and the files that it names.
func (o *outputs) addBundle(s *styles) {
	for _, f := range s.files {
		if !s.within && (!s.adopted || f.Kind == MapKind) {
			o.add(f)
		}
	}
	if s.module.Path != "" {
		o.add(s.module)
	}
	for _, a := range s.names.assets {
		o.addAsset(a)
	}
}

// addAsset adds the copy of a file, once.
func (o *outputs) addAsset(a asset) {
	name := a.name
	if i, ok := o.owners[strings.ToLower(name)]; ok && o.files[i].from == a.path {
		return
	}
	if data, ok := o.copies[a.path]; ok {
		o.add(Output{Path: name, Kind: ScriptKind, Data: data, owner: a.at, from: a.path})
		return
	}
	file, err := o.b.project.Tree.Copy(a.path)
	if err != nil {
		o.b.report(o.b.unreadable(a.path, err, a.at))
		return
	}
	o.add(Output{Path: name, Kind: AssetKind, Copy: file, owner: a.at, from: a.path})
}

// add adds a file. Names that differ only in case are one file on many
// machines, and so on none may both be written.
func (o *outputs) add(f Output) {
	key := strings.ToLower(f.Path)
	if i, ok := o.owners[key]; ok {
		if f.Kind == MapKind {
			return // an echo of what was said of its sheet
		}
		first := o.files[i]
		o.b.report(diag.Diagnostic{Code: code.TwoOwners, Severity: diag.Error, Span: f.owner,
			Message: fmt.Sprintf("two files would be written to %q in the output folder", f.Path),
			Related: []diag.Related{{Span: first.owner, Message: "the other one comes from here"}},
			Mend:    "rename one of the two pages or files"})
		return
	}
	o.owners[key] = len(o.files)
	o.files = append(o.files, f)
}

// finish adds the manifest and returns all files in the order in which they
// are listed.
func (o *outputs) finish(bundles []Bundle) []Output {
	if o.b.profile.Names == project.HashedNames {
		o.add(Output{Path: manifestName, Kind: ManifestKind, Data: manifest(bundles)})
	}
	slices.SortStableFunc(o.files, func(a, b Output) int {
		if d := slices.Index(kindOrder, a.Kind) - slices.Index(kindOrder, b.Kind); d != 0 {
			return d
		}
		return strings.Compare(a.Path, b.Path)
	})
	return o.files
}

// manifest returns the JSON that maps logical names to published ones, and
// tells of each bundle its size, its hash and the pages that load it.
func manifest(bundles []Bundle) []byte {
	type file struct {
		Path      string   `json:"path"`
		Bytes     int      `json:"bytes"`
		Integrity string   `json:"integrity"`
		Pages     []string `json:"pages"`
	}
	names, files := make(map[string]string), make(map[string]file)
	for _, b := range bundles {
		if b.Within || b.Adopted {
			continue
		}
		names[b.Name] = b.Path
		files[b.Name] = file{b.Path, b.Size, b.Integrity, append([]string{}, b.pages...)}
	}
	data, err := json.MarshalIndent(struct {
		Bundles map[string]string `json:"bundles"`
		Files   map[string]file   `json:"files"`
	}{names, files}, "", "  ")
	if err != nil {
		panic(err) // strings and numbers can always be written
	}
	return append(data, '\n')
}

// Files returns the outputs as files to be written.
func Files(outputs []Output) []source.OutFile {
	files := make([]source.OutFile, len(outputs))
	for i, o := range outputs {
		files[i] = source.OutFile{Path: o.Path, Data: o.Data, Copy: o.Copy}
	}
	return files
}
