package source

import (
	"os"

	"golang.org/x/sys/unix"
)

// fewFiles is how many files are synced one by one. Where there are more, it takes less to have all that was written to the file
// system synced, by whomever.
const fewFiles = 100

// syncFolder has the system write the n files in a folder to the disk.
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
