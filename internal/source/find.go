package source

import (
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
)

// FindAbove returns the path of a file in the working folder, or in its nearest
// parent with it, relative to the working folder; "" if there is none. It stops
// at the top of a repository, at the home folder, and at parents that are
// writable for everybody.
func FindAbove(name string) string {
	dir, err := filepath.Abs(".")
	if err != nil {
		return ""
	}
	home, _ := os.UserHomeDir()
	for up := "."; ; up = filepath.Join(up, "..") {
		info, err := os.Stat(dir)
		if err != nil || up != "." && isWritableForAll(info) {
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

// isWritableForAll reports whether everybody may create files in a folder. On Windows, the
// bits of a mode have no such meaning.
func isWritableForAll(info fs.FileInfo) bool {
	return runtime.GOOS != "windows" && info.Mode()&0o002 != 0
}

// CacheFolder returns the user's folder for results of Rinzel that may be deleted
// at any time; empty if there is none.
func CacheFolder() string {
	dir, err := os.UserCacheDir()
	if err != nil {
		return ""
	}
	return filepath.Join(dir, "rinzel")
}
