package custom

import (
	"bytes"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
)

// killMarked kills the processes with a mark in their environment: children that
// left the process group. Each of them could start others meanwhile, so it looks
// again until there are none.
func killMarked(mark string) {
	const most = 20
	for range most {
		if !killSome(mark) {
			return
		}
	}
}

// killSome kills the running processes with a mark, and reports whether there
// were any.
func killSome(mark string) (found bool) {
	list, _ := filepath.Glob("/proc/[0-9]*")
	for _, dir := range list {
		env, err := os.ReadFile(filepath.Join(dir, "environ"))
		if err != nil || !bytes.Contains(append(env, 0), append([]byte(mark), 0)) {
			continue
		}
		if pid, err := strconv.Atoi(filepath.Base(dir)); err == nil && syscall.Kill(pid, syscall.SIGKILL) == nil {
			found = true
		}
	}
	return found
}
