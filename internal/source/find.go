package source

import (
	"os"
	"path/filepath"
)

// FindAbove returns the file of a name in the working folder, or in the nearest folder above it, relative to
// the working folder; none if there is none. It looks no further than the top of a repository or the home
// folder, and into no folder above where everybody may write.
func FindAbove(name string) string {
	dir, err := filepath.Abs(".")
	if err != nil {
		return ""
	}
	home, _ := os.UserHomeDir()
	for up := "."; ; up = filepath.Join(up, "..") {
		info, err := os.Stat(dir)
		if err != nil || up != "." && info.Mode()&0o002 != 0 {
			return ""
		}
		if Exists(filepath.Join(up, name)) {
			return filepath.Join(up, name)
		}
		parent := filepath.Dir(dir)
		if parent == dir || dir == home || Exists(filepath.Join(dir, ".git")) {
			return ""
		}
		dir = parent
	}
}
