package source

import (
	"io/fs"
	"os"

	"golang.org/x/sync/errgroup"
)

// syncFiles flushes the files in a folder to disk, several at a time.
func syncFiles(root *os.Root, dir string) error {
	const most = 16
	group := new(errgroup.Group)
	group.SetLimit(most)
	err := fs.WalkDir(root.FS(), dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		group.Go(func() error {
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
		return nil
	})
	if failed := group.Wait(); failed != nil {
		return failed
	}
	return err
}
