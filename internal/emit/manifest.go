package emit

import "encoding/json"

// ManifestName is the file that tells the published names of bundles. It is
// not manifest.json, which is what web applications call theirs.
const ManifestName = "bundles.json"

// ManifestEntry is what the manifest says of a bundle.
type ManifestEntry struct {
	Name      string // the logical name: its path without a hash
	Path      string
	Bytes     int
	Integrity string
	Pages     []string // that load it, by their paths
}

// Manifest returns the output that maps logical names to published ones, and
// tells of each bundle its size, its hash and the pages that load it.
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
		panic(err) // strings and numbers can always be written
	}
	return Output{Path: ManifestName, Kind: ManifestKind, Data: append(data, '\n')}
}
