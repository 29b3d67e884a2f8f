//go:build unix

package custom

import (
	"os"
	"os/exec"
	"syscall"
)

// ownGroup makes a program start in a process group of its own.
func ownGroup(cmd *exec.Cmd) { cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }

// killAll kills a program, its process group, and where the system tells, all
// processes with its mark.
func killAll(p *os.Process, mark string) {
	_ = syscall.Kill(-p.Pid, syscall.SIGKILL)
	killMarked(mark)
}
