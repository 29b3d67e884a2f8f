package source

import (
	"os"

	"golang.org/x/sys/unix"
)

// fewFiles is the number of files that are flushed one by one. With more, it is
// faster to flush the whole file system.
const fewFiles = 100

// syncFolder flushes the n files in a folder to disk.
func syncFolder(root *os.Root, dir string, n int) error {
	if n <= fewFiles {
		return syncFiles(root, dir)
	}
	f, err := root.Open(dir)
	if err != nil {
		return err
	}
	defer f.Close()
	return unix.Syncfs(int(f.Fd()))
}
