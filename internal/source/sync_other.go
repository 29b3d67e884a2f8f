//go:build !linux

package source

import (
	"io/fs"
	"os"
)

// syncFolder has the system write the files in a folder to the disk.
func syncFolder(root *os.Root, dir string) error {
	return fs.WalkDir(root.FS(), dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		f, err := root.OpenFile(name, os.O_WRONLY, 0)
		if err != nil {
			return err
		}
		if err := f.Sync(); err != nil {
			_ = f.Close()
			return err
		}
		return f.Close()
	})
}
