package main

import (
	_ "embed"
	"encoding/json"
	"os"
	"slices"
)

// launcher is the script that npm links as the command: it starts the program of the
// platform.
//
//go:embed launcher.js
var launcher []byte

// npmNames are the names of platforms in Node.js, where they differ from Go's.
var npmNames = map[string]string{"windows": "win32", "amd64": "x64"}

// npmPart returns the name of a system or processor in Node.js.
func npmPart(name string) string {
	if other, ok := npmNames[name]; ok {
		return other
	}
	return name
}

// npmName returns the name of the npm package with the program of a platform.
func (p platform) npmName() string { return "rinzel-" + npmPart(p.os) + "-" + npmPart(p.arch) }

// manifest is the package.json of an npm package.
type manifest struct {
	Name        string            `json:"name"`
	Version     string            `json:"version"`
	Description string            `json:"description"`
	Bin         map[string]string `json:"bin,omitempty"`
	OS          []string          `json:"os,omitempty"`
	CPU         []string          `json:"cpu,omitempty"`
	Engines     map[string]string `json:"engines,omitempty"`
	Optional    map[string]string `json:"optionalDependencies,omitempty"`
	// PreferUnplugged makes package managers that read packages from archives unpack
	// this one, so that its program can be started.
	PreferUnplugged bool `json:"preferUnplugged,omitempty"`
}

// platformPackage returns the npm package with the program of a platform.
func (r *release) platformPackage(p platform, files []file) ([]byte, error) {
	m := manifest{Name: p.npmName(), Version: r.version, Description: "Rinzel for " + p.String(),
		OS: []string{npmPart(p.os)}, CPU: []string{npmPart(p.arch)}, PreferUnplugged: true}
	kept := slices.DeleteFunc(slices.Clone(files), func(f file) bool {
		return f.name != p.program() && f.name != "NOTICE" && f.name != "LICENSES.txt"
	})
	return r.npmPackage(m, kept)
}

// launcherPackage returns the npm package that users install. It depends on those of all
// platforms, of which npm installs the one that fits. Nothing runs at installation.
func (r *release) launcherPackage() ([]byte, error) {
	readme, err := os.ReadFile("README.md")
	if err != nil {
		return nil, err
	}
	m := manifest{Name: "rinzel", Version: r.version,
		Description: "Turns the style sheets of a website into the bundles that its pages load",
		Bin:         map[string]string{"rinzel": "launcher.js"}, Engines: map[string]string{"node": ">=18"},
		Optional: make(map[string]string)}
	for _, p := range platforms {
		m.Optional[p.npmName()] = r.version
	}
	return r.npmPackage(m, []file{
		{name: "launcher.js", data: launcher, executable: true},
		{name: "README.md", data: readme},
	})
}

// npmPackage returns an npm package.
func (r *release) npmPackage(m manifest, files []file) ([]byte, error) {
	data, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return nil, err
	}
	return tarred("package", append([]file{{name: "package.json", data: append(data, '\n')}}, files...), r.time)
}
