//go:build !windows

package app

import (
	"context"
	"os/exec"
	"syscall"
)

// shell runs a command line in a process group of its own, all of which is ended with it.
func shell(ctx context.Context, line string) *exec.Cmd {
	c := exec.CommandContext(ctx, "/bin/sh", "-c", line)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
	return c
}
