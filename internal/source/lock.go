package source

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"time"

	"github.com/gofrs/flock"
)

// lockWait is how long a build waits for another one that writes to the same
// folder.
var lockWait = 30 * time.Second

// lock prevents other builds from writing to the folder dir until unlock is
// called. The system releases the lock of a killed process. The lock file only
// exists while it is locked.
func lock(ctx context.Context, root *os.Root, dir string) (unlock func(), err error) {
	if err := root.MkdirAll(own, 0o755); err != nil {
		return nil, err
	}
	name := filepath.Join(dir, own, "lock")
	limited, cancel := context.WithTimeout(ctx, lockWait)
	defer cancel()
	for {
		if info, err := os.Lstat(name); err == nil && !info.Mode().IsRegular() {
			return nil, &fs.PathError{Op: "lock", Path: name, Err: ErrNotRegular}
		}
		f := flock.New(name)
		const pause = 10 * time.Millisecond
		_, err = f.TryLockContext(limited, pause)
		switch {
		case errors.Is(err, context.DeadlineExceeded) && ctx.Err() == nil:
			return nil, fmt.Errorf("another build has been writing to %q for %v", dir, lockWait)
		case errors.Is(err, os.ErrNotExist): // the folder was deleted
			if err := root.MkdirAll(own, 0o755); err != nil {
				return nil, err
			}
			continue
		case err != nil:
			return nil, err
		}
		if isStill(f, name) {
			return sync.OnceFunc(func() { release(f, name) }), nil
		}
		_ = f.Close() // the previous owner deleted the lock file
	}
}

// openFilesStay is set on systems that cannot remove a file that a process has open.
const openFilesStay = runtime.GOOS == "windows"

// release removes and unlocks a lock file: in this order, so that nobody else can lock it in
// between, if that is possible. Where it is not, a lock file of somebody else stays, because
// it is open.
func release(f *flock.Flock, name string) {
	if openFilesStay {
		_ = f.Close()
	}
	_ = os.Remove(name)
	_ = f.Close()
}

// isStill reports whether the locked file still has its name: it may have been
// deleted after it was opened.
func isStill(f *flock.Flock, name string) bool {
	locked, err := f.Stat()
	if err != nil {
		return false
	}
	now, err := os.Lstat(name)
	return err == nil && os.SameFile(locked, now)
}
