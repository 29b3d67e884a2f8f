//go:build !linux

package source

import "os"

// syncFolder has the system write the files in a folder to the disk.
func syncFolder(root *os.Root, dir string, _ int) error { return syncFiles(root, dir) }
