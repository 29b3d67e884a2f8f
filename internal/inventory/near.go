package inventory

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/cache"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Near returns a fix that suggests a file with a name similar to a missing one;
// "" if there is none.
func (i *Inventory) Near(p source.Path) string {
	// Many pages may refer to the same missing file.
	return i.near.Get(i.Reader, p, nil, func(r *cache.Reads) (string, bool) { return i.Through(r).findNear(p), true })
}

// findNear is Near without the cache.
func (i *Inventory) findNear(p source.Path) string {
	dir, name := path.Split(p.Name)
	siblings := i.Siblings(p)
	if near := diag.Nearest(name, siblings); near != "" {
		return fmt.Sprintf("did you mean %q?", i.Show(source.Path{Root: p.Root, Name: path.Join(dir, near)}))
	}
	if near, ok := i.elsewhere(p); ok {
		return fmt.Sprintf("did you mean %q?", i.Show(near))
	}
	if siblings != nil || dir == "" {
		return ""
	}
	parent := source.Path{Root: p.Root, Name: path.Clean(dir)}
	if near := diag.Nearest(path.Base(parent.Name), i.Siblings(parent)); near != "" {
		near = path.Join(path.Dir(parent.Name), near, name)
		return fmt.Sprintf("did you mean %q?", i.Show(source.Path{Root: p.Root, Name: near}))
	}
	return fmt.Sprintf("the folder %q does not exist either", i.Show(parent))
}

// elsewhere returns a file of another folder with the name of a missing one, or
// a similar name: the one with the most common folders.
func (i *Inventory) elsewhere(p source.Path) (near source.Path, ok bool) {
	if p.Root != "" {
		return source.Path{}, false
	}
	base := path.Base(p.Name)
	files := i.List("").Files
	var names []string
	for _, f := range files {
		if strings.EqualFold(path.Ext(f.Name), path.Ext(base)) {
			names = append(names, path.Base(f.Name))
		}
	}
	if !slices.Contains(names, base) {
		base = diag.Nearest(base, names)
	}
	most := -1
	for _, f := range files {
		if path.Base(f.Name) != base {
			continue
		}
		if n := foldersInCommon(f.Name, p.Name); n > most {
			near, most = f, n
		}
	}
	return near, most >= 0
}

// foldersInCommon counts the common folders of two files, from the top or from
// the files up.
func foldersInCommon(a, b string) (n int) {
	as, bs := strings.Split(path.Dir(a), "/"), strings.Split(path.Dir(b), "/")
	for n < min(len(as), len(bs)) && as[n] == bs[n] {
		n++
	}
	end := 0
	for end < min(len(as), len(bs))-n && as[len(as)-1-end] == bs[len(bs)-1-end] {
		end++
	}
	return n + end
}

// NearGlob returns a fix that suggests a glob similar to one without a match:
// in an existing folder, or for an existing file type; "" if there is none.
func (i *Inventory) NearGlob(glob string) string {
	root, pattern := project.SplitRoot(glob)
	folders, kinds := make(map[string]bool), make(map[string]bool)
	for _, p := range i.List(root).Files {
		kinds[strings.ToLower(path.Ext(p.Name))] = true
		for dir := path.Dir(p.Name); dir != "."; dir = path.Dir(dir) {
			folders[dir] = true
		}
	}
	prefix := ""
	if root != "" {
		prefix = root + ":"
	}
	base, rest := doublestar.SplitPattern(pattern)
	if base != "." && !folders[base] {
		if near := diag.Nearest(base, slices.Sorted(maps.Keys(folders))); near != "" {
			return fmt.Sprintf("did you mean %q?", prefix+path.Join(near, rest))
		}
	}
	if ext := path.Ext(pattern); ext != "" && !kinds[strings.ToLower(ext)] && !strings.ContainsAny(ext, "*?[{") {
		if near := diag.Nearest(ext, slices.Sorted(maps.Keys(kinds))); near != "" {
			return fmt.Sprintf("did you mean %q?", prefix+strings.TrimSuffix(pattern, ext)+near)
		}
		return fmt.Sprintf("no file in the folder has the extension %q", ext)
	}
	return ""
}
