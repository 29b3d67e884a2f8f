package source

import (
	"os"

	"golang.org/x/sys/unix"
)

// syncFolder has the system write the file system of a folder to the disk, all at once: file by file would take many times
// as long.
func syncFolder(root *os.Root, dir string) error {
	f, err := root.Open(dir)
	if err != nil {
		return err
	}
	defer f.Close()
	return unix.Syncfs(int(f.Fd()))
}
