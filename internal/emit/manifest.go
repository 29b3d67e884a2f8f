package emit

import "encoding/json"

// ManifestName is the file with the published names of bundles. It is not
// called manifest.json, the usual name of web application manifests.
const ManifestName = "bundles.json"

// ManifestEntry is the entry of a bundle.
type ManifestEntry struct {
	Name      string // logical name: the path without a hash
	Path      string
	Bytes     int
	Integrity string
	Pages     []string // paths of the pages that load it
}

// Manifest returns the output that maps logical names to published ones, with
// the size and hash of each bundle and the pages that load it.
func Manifest(bundles []ManifestEntry) Output {
	type file struct {
		Path      string   `json:"path"`
		Bytes     int      `json:"bytes"`
		Integrity string   `json:"integrity"`
		Pages     []string `json:"pages"`
	}
	names, files := make(map[string]string), make(map[string]file)
	for _, b := range bundles {
		names[b.Name] = b.Path
		files[b.Name] = file{b.Path, b.Bytes, b.Integrity, append([]string{}, b.Pages...)}
	}
	data, err := json.MarshalIndent(struct {
		Bundles map[string]string `json:"bundles"`
		Files   map[string]file   `json:"files"`
	}{names, files}, "", "  ")
	if err != nil {
		panic(err) // strings and numbers can always be encoded
	}
	return Output{Path: ManifestName, Kind: ManifestKind, Data: append(data, '\n')}
}
