//go:build !linux

package source

import "os"

// syncFolder flushes the files in a folder to disk.
func syncFolder(root *os.Root, dir string, _ int) error { return syncFiles(root, dir) }
