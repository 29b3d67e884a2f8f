package session

import (
	"errors"
	"fmt"
	"strings"
	"syscall"
	"testing"
)

// TestCannotWatch checks the error for the system limit on watches.
func TestCannotWatch(t *testing.T) {
	for _, c := range []struct {
		err  error
		want string
	}{
		{fmt.Errorf("site/css: %w", syscall.ENOSPC), "raise fs.inotify.max_user_watches"},
		{errors.New("no such folder"), "cannot watch: no such folder"},
	} {
		if got := cannotWatch(c.err); !strings.Contains(got.Error(), c.want) || !errors.Is(got, c.err) &&
			!errors.Is(got, syscall.ENOSPC) {
			t.Errorf("%v: got %v", c.err, got)
		}
	}
}
